// Where somebody is plugged in, in a line for each adapter: which switch and port, how well that is known, and since when.
import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import type { Placing } from "../api/types";
import { moment, sentence } from "../lib/format";
import { useOpen } from "../lib/open";
import { since } from "../lib/ports";
import { when } from "../lib/since";
import { Section } from "./basics";

export function Where({ what, at = null }: { what: string; at?: string | null }) {
  const [, setOpen] = useOpen();
  const switches = useQuery({
    queryKey: ["switches"],
    queryFn: ({ signal }) => api.all("/api/v1/switches", { signal }),
  });
  const where = useQuery({
    queryKey: ["where", what, at],
    queryFn: () => api.get("/api/v1/where/{what}", { path: { what }, query: { at } }),
    enabled: !!switches.data?.length,
    retry: false,
  });
  const found = where.data?.items.filter((one) => one.port) ?? [];
  if (!switches.data?.length || !found.length) return null;
  const earlier = where.data?.earlier.filter((one) => !one.here) ?? [];
  return (
    <Section title={at ? "Plugged in then" : "Plugged in"}>
      {found.map((one) => (
        <div key={one.mac} className="border-b border-rule py-1">
          <button
            type="button"
            className="text-left underline decoration-rule underline-offset-4 hover:decoration-ink"
            onClick={() => one.port && setOpen({ kind: "port", id: one.port.id })}
          >
            {sentence(one.said)}
          </button>
          <span className="text-sm text-soft" title={moment(one.first_seen)}>
            {sinceThen(one)}
          </span>
          {one.notes || one.alias ? (
            <span className="block text-sm">{one.notes || `the switch says “${one.alias}”`}</span>
          ) : null}
          {one.reasons
            .filter((reason) => one.grade !== "on" || !reason.startsWith("it is the only"))
            .map((reason) => (
              <span key={reason} className="block text-sm text-soft">
                {reason}
              </span>
            ))}
        </div>
      ))}
      {earlier.slice(0, 5).map((one) => (
        <p key={`${one.port.id} ${one.first_seen}`} className="text-sm text-soft">
          before: port {one.port.name} of {one.switch.name}, until {moment(one.last_seen).slice(0, 16)}
          {one.ended ? `; ${one.ended}` : ""}
        </p>
      ))}
    </Section>
  );
}

function sinceThen(one: Placing): string {
  if (one.grade === "not since") return one.last_seen ? `, ${moment(one.last_seen).slice(0, 16)}` : "";
  return one.first_seen ? `, ${since(one.at_least)} ${when(one.first_seen)}` : "";
}
