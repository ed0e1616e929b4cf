// The way between two devices, cable by cable, with how well each is known; what is not known stands below.
import { useQuery } from "@tanstack/react-query";
import { Fragment, useState } from "react";
import { api } from "../../api/client";
import type { PathHop, PathView } from "../../api/types";
import { moment, sentence } from "../../lib/format";
import { useOpen } from "../../lib/open";
import { Button, Section } from "../../parts/basics";

export function PathLines({ path, begin, end }: { path: PathView; begin: string; end: string }) {
  return (
    <Section title={path.said}>
      <ol className="text-sm">
        {path.hops.map((hop, place) => (
          <Fragment key={`${hop.one.called} ${hop.other.called}`}>
            <li>
              <Stop before={path.hops[place - 1]} hop={hop} />
            </li>
            <li className="ml-1.5 border-l-2 border-ink py-0.5 pl-3 text-soft">
              {hop.said}
              {hop.vlan ? `, VLAN ${hop.vlan}` : ""}
            </li>
          </Fragment>
        ))}
        {path.hops.length ? <li>{path.hops[path.hops.length - 1]?.other.called}</li> : null}
      </ol>
      {begin && path.at === null ? <Turns key={`${begin} ${end}`} begin={begin} end={end || path.end.called} /> : null}
      {path.lacks.map((lack) => (
        <p key={lack} className="mt-1 text-sm text-amber">
          Not known: {lack}.
        </p>
      ))}
    </Section>
  );
}

/** What stands between two cables: a device, or a switch with the ports that the way comes in and goes out by. */
function Stop({ before, hop }: { before: PathHop | undefined; hop: PathHop }) {
  const came = before?.other;
  if (!came?.switch || !hop.one.switch) return <>{hop.one.called}</>;
  return (
    <>
      {hop.one.switch.name}, in by <Port of={came.port} /> and out by <Port of={hop.one.port} />
    </>
  );
}

function Port({ of }: { of: { id: number; name: string } | null }) {
  const [, setOpen] = useOpen();
  if (!of) return <>a port that is not known</>;
  return (
    <button
      type="button"
      className="font-mono underline decoration-rule underline-offset-4 hover:decoration-ink"
      onClick={() => setOpen({ kind: "port", id: of.id })}
    >
      {of.name}
    </button>
  );
}

const WEEK = 7 * 86_400_000;

/** Which ways it went in the last week. */
function Turns({ begin, end }: { begin: string; end: string }) {
  const [since, setSince] = useState<string | null>(null);
  const turns = useQuery({
    queryKey: ["path", "turns", begin, end, since],
    queryFn: ({ signal }) => api.get("/api/v1/paths/turns", { query: { begin, end, since: since ?? "" }, signal }),
    enabled: since !== null,
    retry: false,
  });
  if (since === null)
    return (
      <Button tone="quiet" className="mt-1" onClick={() => setSince(new Date(Date.now() - WEEK).toISOString())}>
        Which ways it went this week
      </Button>
    );
  if (turns.error) return <p className="text-sm text-alarm">{sentence(turns.error.message)}.</p>;
  return (
    <ul className="mt-1 text-sm">
      {turns.data?.items.map((one) => (
        <li key={one.since} className="border-b border-rule py-1">
          <span className="text-soft">
            {moment(one.since)} to {one.until ? moment(one.until) : "now"}:
          </span>{" "}
          {one.said}
        </li>
      ))}
    </ul>
  );
}
