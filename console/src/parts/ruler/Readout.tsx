// What the ruler says below itself: the address or stretch under the pointer, and what its shapes mean.
import type { Ruler as RulerData, Tick } from "../../api/types";
import { addressNumber, addressText, ago, count, moment, plural } from "../../lib/format";
import { Mono } from "../basics";
import { Status, type StateWord } from "../Status";

const PLANS: Record<string, string> = {
  static: "assigned to",
  reserved: "reserved for",
  off: "switched off:",
  leased: "leased",
};

export function Readout({
  at,
  tick,
  data,
  counted,
}: {
  at: number | null;
  tick: Tick | undefined;
  data: RulerData;
  counted: boolean;
}) {
  if (at === null && data.at)
    return (
      <span className="text-soft">
        {plural(data.seen, "address", "addresses")} in use on {moment(data.at)}
        {counted
          ? ""
          : `, and ${count(data.ticks.filter((one) => one.plan !== "").length)} assigned in the plan at that time`}
        .
      </span>
    );
  if (at === null)
    return (
      <span className="text-soft">
        {count(data.answering)} answering, {plural(data.seen, "address", "addresses")} ever seen of {count(data.usable)}{" "}
        usable. Drag to zoom in.
      </span>
    );
  if (counted) {
    const stretch = data.stretches.find((one) => addressNumber(one.first) <= at && at <= addressNumber(one.last));
    return stretch ? (
      <span>
        <Mono>
          {stretch.first} – {stretch.last}
        </Mono>
        :{" "}
        {data.at
          ? `${count(stretch.answering)} in use`
          : `${count(stretch.answering)} answering, ${count(stretch.seen)} seen before`}
      </span>
    ) : null;
  }
  const band = data.bands.find((one) => addressNumber(one.first) <= at && at <= addressNumber(one.last));
  return (
    <span className="flex flex-wrap items-center gap-x-3">
      <Mono className="font-semibold">{addressText(at)}</Mono>
      {tick ? (
        <>
          <Status state={tick.state as StateWord} />
          <span>{tick.device?.name ?? (tick.device ? "nobody has named it" : "")}</span>
          {tick.plan ? (
            <span className="text-ink">
              {PLANS[tick.plan]} {tick.assigned}
            </span>
          ) : null}
          <span className="text-soft">
            {tick.vendor} {tick.last_seen ? ago(tick.last_seen) : ""}
          </span>
        </>
      ) : (
        <span className="text-soft">never seen in use, planned for nobody</span>
      )}
      {band ? <span className="text-soft">{band.name || band.kind}</span> : null}
    </span>
  );
}

/** Of the past there is less to tell apart: who was there, and what the plan said. */
export function Legend({ planned, past }: { planned: boolean; past: boolean }) {
  const states = past
    ? (["answering", "two", "gateway"] as const)
    : (["answering", "seen", "two", "gateway", "self"] as const);
  return (
    <>
      {states.map((state) => (
        <Status key={state} state={state} />
      ))}
      {planned ? (
        <>
          <span className="inline-flex items-center gap-1 text-ink">
            <svg viewBox="0 0 8 8" className="size-2.5" aria-hidden>
              <rect width="8" height="8" fill="currentColor" />
            </svg>{" "}
            assigned
          </span>
          <span className="inline-flex items-center gap-1 text-ink">
            <svg viewBox="0 0 8 8" className="size-2.5" aria-hidden>
              <rect x="1" y="1" width="6" height="6" fill="none" stroke="currentColor" strokeWidth="1.6" />
            </svg>{" "}
            reserved
          </span>
          {past ? null : (
            <span className="inline-flex items-center gap-1 text-soft">
              <svg viewBox="0 0 8 8" className="size-2.5" aria-hidden>
                <rect y="3" width="8" height="2" fill="currentColor" />
              </svg>{" "}
              leased
            </span>
          )}
        </>
      ) : null}
    </>
  );
}
