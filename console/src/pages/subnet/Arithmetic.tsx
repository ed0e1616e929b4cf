// The sums of a planned subnet, spelled out: usable - pools - kept free - gateway - taken = left, and per band.
import type { SubnetView } from "../../api/types";
import { count } from "../../lib/format";

export function Arithmetic({ subnet }: { subnet: SubnetView }) {
  const s = subnet.shares;
  const parts: [string, number, string][] = subnet.supernet
    ? [
        ["", s.usable, "addresses"],
        ["−", s.taken, "in subnets"],
        ["=", s.left, "left"],
      ]
    : [
        ["", s.usable, "usable"],
        ["−", s.pooled, "in pools"],
        ["−", s.spare, "kept free"],
        ["−", s.gateways, "gateway"],
        ["−", s.taken, "taken"],
        ["=", s.left, "left for static use"],
      ];
  return (
    <div>
      <p className="flex flex-wrap items-end gap-x-3 gap-y-1" aria-label="Arithmetic">
        {parts
          .filter(([sign, value]) => sign !== "−" || value > 0)
          .map(([sign, value, word]) => (
            <span key={word} className="inline-flex items-end gap-3">
              {sign ? <span className="pb-4 text-xl text-soft">{sign}</span> : null}
              <span className="inline-flex flex-col items-center">
                <span className={`text-xl ${sign === "=" ? "font-semibold text-ink" : ""}`}>{count(value)}</span>
                <span className="text-xs text-soft">{word}</span>
              </span>
            </span>
          ))}
      </p>
      {s.roles.length > 0 ? (
        <table className="mt-3 w-full max-w-3xl text-left text-sm">
          <thead className="text-soft">
            <tr>
              <th className="font-normal">static use</th>
              <th className="font-normal">roles</th>
              <th className="text-right font-normal">size</th>
              <th className="text-right font-normal">taken</th>
              <th className="text-right font-normal">left</th>
              <td className="w-40" />
            </tr>
          </thead>
          <tbody>
            {s.roles.map((role) => (
              <tr key={role.band?.id ?? 0} className="border-t border-rule">
                <td className="py-0.5">{role.title.replace(/^static band /, "")}</td>
                <td className="text-soft">{role.roles.join(", ")}</td>
                <td className="text-right">{count(role.size)}</td>
                <td className="text-right">{count(role.taken)}</td>
                <td className="text-right font-semibold">{count(role.left)}</td>
                <td className="pl-4">
                  <Fill part={role.size ? role.taken / role.size : 0} label={`${role.taken} of ${role.size} taken`} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : null}
    </div>
  );
}

/** How full something is, as a bar; the words beside it say the same. */
export function Fill({ part, label }: { part: number; label: string }) {
  const colour = part > 0.9 ? "bg-alarm" : part > 0.75 ? "bg-amber" : "bg-ink";
  return (
    <span
      role="img"
      aria-label={label}
      title={label}
      className="block h-2 w-full overflow-hidden rounded-sm border border-rule bg-paper"
    >
      <span className={`block h-full ${colour}`} style={{ width: `${Math.min(part, 1) * 100}%` }} />
    </span>
  );
}
