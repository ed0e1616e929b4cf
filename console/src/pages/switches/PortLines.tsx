// Ports as sentences, one a line: who hangs there, since when, and what people say of it.
import type { KeptPort } from "../../api/types";
import { moment } from "../../lib/format";
import { useOpen } from "../../lib/open";
import { look, sinceSaid } from "../../lib/ports";

interface Props {
  ports: KeptPort[];
  withSwitch?: boolean;
  empty: string;
  at?: string | null;
}

export function PortLines({ ports, withSwitch = false, empty, at = null }: Props) {
  const [open, setOpen] = useOpen();
  if (!ports.length) return <p className="text-sm text-soft">{empty}</p>;
  return (
    <ul aria-label="Ports">
      {ports.map((port) => {
        const soft = ["none", "off"].includes(look(port));
        const chosen = open?.kind === "port" && open.id === port.id;
        return (
          <li key={port.id} className="border-b border-rule">
            <button
              type="button"
              aria-current={chosen}
              onClick={() => setOpen({ kind: "port", id: port.id })}
              className={`flex w-full flex-wrap items-baseline gap-x-3 px-1 py-1 text-left hover:bg-wash ${chosen ? "bg-wash" : ""}`}
            >
              <span className={`shrink-0 font-mono text-[0.94em] ${withSwitch ? "w-48" : "min-w-12"}`}>
                {withSwitch ? `${port.switch.name} ${port.name}` : port.name}
              </span>
              <span className={`min-w-0 flex-1 basis-64 ${soft ? "text-soft" : ""}`}>
                {port.said}
                {port.together ? `; ${port.together}` : ""}
                <span className="text-soft" title={port.since ? moment(port.since) : undefined}>
                  {at ? "" : `, ${sinceSaid(port)}`}
                </span>
              </span>
              {port.notes || port.alias ? (
                <span className="text-sm">
                  {port.notes || <span className="text-soft">{port.alias}</span>}
                  {port.disagrees ? <span className="text-amber"> – the switch says “{port.alias}”</span> : null}
                </span>
              ) : null}
            </button>
          </li>
        );
      })}
    </ul>
  );
}
