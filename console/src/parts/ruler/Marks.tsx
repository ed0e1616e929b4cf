// What is drawn on one row of the ruler: ticks by state, feet by plan, counted stretches, and bands as labelled stretches.
import type { Ruler as RulerData, RulerBand, Tick } from "../../api/types";
import { addressNumber } from "../../lib/format";
import { type RulerRow, type Stretch, within } from "../../lib/ruler";
import { ShapePaths, type StateWord } from "../Status";

export const BASE = 50;
export const FOOT = 6;
export const BAND = 15;

/** States whose shape stands above the tick as well, because height and fill alone would not tell them. */
const MARKED = new Set(["two", "gateway", "self"]);

const LOOK: Record<string, { height: number; fill: string; stroke?: string; dash?: string }> = {
  answering: { height: 26, fill: "var(--fine)" },
  seen: { height: 14, fill: "none", stroke: "var(--soft)" },
  planned: { height: 5, fill: "none", stroke: "var(--ink)" },
  leased: { height: 9, fill: "none", stroke: "var(--soft)", dash: "2 1.5" },
  two: { height: 26, fill: "var(--alarm)" },
  self: { height: 26, fill: "var(--ink)" },
  gateway: { height: 26, fill: "var(--ink)" },
};

/** Below the line: a full foot for a static assignment, an open one for a reservation, a thin one for a lease. */
function Foot({ plan, middle, width }: { plan: string; middle: number; width: number }) {
  const x = middle - width / 2;
  if (plan === "static") return <rect x={x} y={BASE + 1} width={width} height={FOOT - 1} fill="var(--ink)" />;
  if (plan === "reserved")
    return (
      <rect
        x={x + 0.4}
        y={BASE + 1.4}
        width={Math.max(width - 0.8, 0.6)}
        height={FOOT - 1.8}
        fill="var(--leaf)"
        stroke="var(--ink)"
        strokeWidth="1"
      />
    );
  if (plan === "off" || plan === "leased")
    return <rect x={x} y={BASE + 1} width={width} height="1.6" fill="var(--soft)" />;
  return null;
}

export function TickMark({ tick, x, step }: { tick: Tick; x: number; step: number }) {
  const look = LOOK[tick.state] ?? LOOK.answering!;
  const width = Math.max(step - Math.min(step * 0.3, 2), 0.8);
  const middle = x + step / 2;
  return (
    <g>
      <rect
        x={middle - width / 2}
        width={width}
        y={BASE - look.height}
        height={look.height}
        fill={look.fill}
        stroke={look.stroke}
        strokeWidth={look.stroke ? 1 : 0}
        strokeDasharray={look.dash}
      />
      <Foot plan={tick.plan} middle={middle} width={width} />
      {MARKED.has(tick.state) ? (
        <g transform={`translate(${middle - 5} ${BASE - look.height - 12}) scale(0.84)`} color={look.fill}>
          <ShapePaths state={tick.state as StateWord} />
        </g>
      ) : null}
    </g>
  );
}

export function Counted({ data, row, step }: { data: RulerData; row: RulerRow; step: number }) {
  return data.stretches.map((stretch) => {
    const first = addressNumber(stretch.first),
      last = addressNumber(stretch.last);
    if (last < row.first || first >= row.first + row.size) return null;
    const size = last - first + 1,
      x = (first - row.first) * step,
      width = Math.max(size * step - 0.6, 0.8);
    const all = (stretch.answering + stretch.seen) / size,
      now = stretch.answering / size;
    return (
      <g key={first}>
        <rect
          x={x}
          width={width}
          y={BASE - 34 * all}
          height={34 * all}
          fill="none"
          stroke="var(--soft)"
          strokeWidth={all ? 0.7 : 0}
        />
        <rect x={x} width={width} y={BASE - 34 * now} height={34 * now} fill="var(--fine)" />
        {stretch.two ? <rect x={x} width={width} y={BASE - 39} height="4" fill="var(--alarm)" /> : null}
      </g>
    );
  });
}

const KINDS: Record<string, { fill: string; stroke: string; dash?: string }> = {
  static: { fill: "var(--wash)", stroke: "var(--ink)" },
  pool: { fill: "url(#pool)", stroke: "var(--fine)" },
  spare: { fill: "none", stroke: "var(--soft)", dash: "4 3" },
};

/** What a band says of itself in the room it has. */
export function bandLabel(band: { kind: string; name: string; roles: string[] }, width: number): string {
  const whole = band.name || (band.kind === "static" ? band.roles.join(", ") || "static" : band.kind);
  const room = Math.floor((width - 6) / 6.2);
  if (room < 3) return "";
  return whole.length <= room ? whole : `${whole.slice(0, room - 1)}…`;
}

export function BandStrip({
  band,
  row,
  step,
  y,
  active,
}: {
  band: RulerBand;
  row: RulerRow;
  step: number;
  y: number;
  active: boolean;
}) {
  const part = within({ first: addressNumber(band.first), last: addressNumber(band.last) }, row);
  if (!part) return null;
  const look = KINDS[band.kind] ?? KINDS.static!;
  const x = part.offset * step + 0.5,
    width = Math.max(part.size * step - 1, 1);
  return (
    <g data-band={band.id}>
      <rect
        x={x}
        y={y}
        width={width}
        height={BAND}
        fill={look.fill}
        stroke={look.stroke}
        strokeWidth={active ? 2 : 1}
        strokeDasharray={look.dash}
        rx="2"
      />
      <text x={x + 4} y={y + BAND - 4} fontSize="11" fill="var(--text)">
        {bandLabel(band, width)}
      </text>
      {active ? (
        <path
          d={`M${x + 2.5} ${y + 3}v${BAND - 6}M${x + width - 2.5} ${y + 3}v${BAND - 6}`}
          stroke={look.stroke}
          strokeWidth="2"
        />
      ) : null}
    </g>
  );
}

export function DraftStrip({
  stretch,
  row,
  step,
  y,
  wrong,
}: {
  stretch: Stretch;
  row: RulerRow;
  step: number;
  y: number;
  wrong: boolean;
}) {
  const part = within(stretch, row);
  if (!part) return null;
  const colour = wrong ? "var(--alarm)" : "var(--ink)";
  return (
    <g pointerEvents="none">
      <rect x={part.offset * step} y="2" width={part.size * step} height={y + BAND - 2} fill={colour} opacity="0.1" />
      <rect
        x={part.offset * step + 1}
        y={y}
        width={Math.max(part.size * step - 2, 1)}
        height={BAND}
        fill="none"
        stroke={colour}
        strokeWidth="2"
        rx="2"
      />
    </g>
  );
}

export function PoolPattern() {
  return (
    <defs>
      <pattern id="pool" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <rect width="6" height="6" fill="var(--leaf)" />
        <line x1="0" y1="0" x2="0" y2="6" stroke="var(--fine)" strokeWidth="1.4" opacity="0.55" />
      </pattern>
    </defs>
  );
}
