// Stays: who held which address, from when to when.
import type { DeviceSheet } from "../../api/types";
import { ago, moment } from "../../lib/format";
import { useOpen } from "../../lib/open";
import { Mono } from "../../parts/basics";

type Stay = DeviceSheet["stays"][number];

export function StayList({ stays, show }: { stays: Stay[]; show: "address" | "holder" }) {
  const [, setOpen] = useOpen();
  if (stays.length === 0) return <p className="text-soft">None seen yet.</p>;
  return (
    <ul>
      {stays.map((stay) => (
        <li key={`${stay.address}-${stay.mac}-${stay.first_seen}`} className="border-b border-rule py-1">
          <div className="flex items-baseline gap-3">
            {show === "address" ? (
              <button
                type="button"
                className="hover:underline"
                onClick={() => setOpen({ kind: "address", address: stay.address })}
              >
                <Mono>{stay.address}</Mono>
              </button>
            ) : stay.device ? (
              <button
                type="button"
                className="min-w-0 truncate font-semibold hover:underline"
                onClick={() => setOpen({ kind: "device", id: stay.device!.id })}
              >
                {stay.device.name ?? "without a name"}
              </button>
            ) : (
              <span className="text-soft">behind the gateway</span>
            )}
            <span className="ml-auto text-soft" title={moment(stay.last_seen)}>
              {ago(stay.last_seen)}
            </span>
          </div>
          <div className="text-sm text-soft">
            {show === "holder" && stay.mac ? (
              <>
                <Mono>{stay.mac}</Mono> {stay.vendor} ·{" "}
              </>
            ) : null}
            since {moment(stay.first_seen)}, seen {stay.count}× by {stay.sources.join(", ")}
            {stay.ended
              ? `; then ${stay.ended}`
              : stay.silent_since
                ? `; silent since ${moment(stay.silent_since)}`
                : ""}
          </div>
        </li>
      ))}
    </ul>
  );
}
