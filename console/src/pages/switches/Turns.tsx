// What is different at a switch between a past moment and now, port by port.
import { useQuery } from "@tanstack/react-query";
import { api } from "../../api/client";
import { moment, plural } from "../../lib/format";
import { Section } from "../../parts/basics";

export function Turns({ id, since }: { id: number; since: string }) {
  const turns = useQuery({
    queryKey: ["ports", "turns", id, since],
    queryFn: ({ signal }) =>
      api.all("/api/v1/switches/{identity}/turns", { path: { identity: id }, query: { since }, signal }),
    placeholderData: (before) => before,
  });
  if (!turns.data) return null;
  return (
    <Section title={`Different now from ${moment(since)}`}>
      {turns.data.length === 0 ? <p className="text-sm text-soft">Nothing is.</p> : null}
      <ul>
        {turns.data.slice(0, 60).map((turn) => (
          <li key={turn.port.id} className="flex flex-wrap items-baseline gap-x-3 border-b border-rule py-1 text-sm">
            <span className="min-w-12 font-mono">{turn.port.name}</span>
            {turn.before === turn.after ? (
              <span>
                {turn.came.length ? `came: ${turn.came.map(name).join(", ")}` : ""}
                {turn.came.length && turn.went.length ? "; " : ""}
                {turn.went.length ? `went: ${turn.went.map(name).join(", ")}` : ""}
              </span>
            ) : (
              <span>
                {turn.before} <span className="text-soft">→</span> {turn.after}
              </span>
            )}
          </li>
        ))}
      </ul>
      {turns.data.length > 60 ? (
        <p className="text-sm text-soft">and {plural(turns.data.length - 60, "more port")}</p>
      ) : null}
    </Section>
  );
}

const name = (one: { mac: string; device: { name: string | null } | null }) => one.device?.name ?? one.mac;
