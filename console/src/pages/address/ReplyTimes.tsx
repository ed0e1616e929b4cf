// How fast an address answered roll calls in the last week: a stroke an hour from the shortest to the longest time, and the mean.
import { useQuery } from "@tanstack/react-query";
import { api } from "../../api/client";
import type { ReplyHour } from "../../api/types";
import { millis, moment, plural } from "../../lib/format";
import { Section } from "../../parts/basics";

const HOURS = 7 * 24;
const HOUR = 3600_000;
const WIDTH = 504;
const HEIGHT = 80;

export function ReplyTimes({ address }: { address: string }) {
  const told = useQuery({
    queryKey: ["reply-times", address],
    queryFn: () => api.get("/api/v1/reply-times/{subject}", { path: { subject: address }, query: { hours: HOURS } }),
    refetchInterval: 60_000,
  });
  const hours = told.data?.hours ?? [];
  if (!hours.length) return null;
  const looks = hours.reduce((sum, one) => sum + one.look_count, 0);
  const here = hours.reduce((sum, one) => sum + one.here_count, 0);
  return (
    <Section title="How fast it answered" aside={<span className="text-sm text-soft">the last seven days</span>}>
      <Plot hours={hours} />
      <p className="text-sm text-soft">
        Here in {here} of {plural(looks, "look")} of roll calls.
      </p>
    </Section>
  );
}

function Plot({ hours }: { hours: ReplyHour[] }) {
  const most = Math.max(...hours.map((one) => one.most_ms ?? 0));
  if (!most) return <p className="text-sm text-soft">No reply time is certain.</p>;
  const now = Math.floor(Date.now() / HOUR);
  const x = (one: ReplyHour) => WIDTH - (now - Math.floor(Date.parse(one.at) / HOUR) + 0.5) * (WIDTH / HOURS);
  const y = (ms: number) => HEIGHT - 2 - (ms / most) * (HEIGHT - 6);
  const means = hours.map((one) => one.mean_ms).filter((one) => one !== null);
  const least = Math.min(...means);
  const said = `Mean reply times between ${millis(least)} and ${millis(Math.max(...means))}, the longest ${millis(most)}`;
  return (
    <figure>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="w-full border-b border-rule text-ink"
        role="img"
        aria-label={said}
      >
        {hours.map((one) =>
          one.mean_ms === null ? (
            <path
              key={one.at}
              d={`M${x(one)} ${HEIGHT - 4}v4`}
              className="text-alarm"
              stroke="currentColor"
              strokeWidth="2"
            />
          ) : (
            <g key={one.at} stroke="currentColor">
              <title>{`${moment(one.at)}: ${millis(one.least_ms ?? 0)} to ${millis(one.most_ms ?? 0)}`}</title>
              <path d={`M${x(one)} ${y(one.least_ms ?? 0)}V${y(one.most_ms ?? 0)}`} strokeWidth="1" opacity="0.5" />
              <path d={`M${x(one) - 1.5} ${y(one.mean_ms)}h3`} strokeWidth="2" />
            </g>
          ),
        )}
      </svg>
      <figcaption className="mt-0.5 text-sm">{said}.</figcaption>
    </figure>
  );
}
