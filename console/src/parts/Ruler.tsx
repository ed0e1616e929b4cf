// The ruler: a subnet as one measured strip. One tick per address, whose shape tells its state; drag to zoom, hover to
// read, click or Enter to open. Subnets beyond 4,096 addresses are drawn as counted stretches.
import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import type { Ruler as RulerData, Tick } from "../api/types";
import { addressNumber, addressText, ago, count, plural, subnetBounds } from "../lib/format";
import { dragged, markEvery, rows, type RulerRow, type Stretch } from "../lib/ruler";
import { useWidth } from "../lib/width";
import { Button, Mono } from "./basics";
import { ShapePaths, Status, type StateWord } from "./Status";

const HEIGHT = 68;
const BASE = 50;

export function Ruler({ data, selected, onSelect }: { data: RulerData; selected: string | null; onSelect(address: string): void }) {
  const { first, size } = subnetBounds(data.subnet);
  const [zoom, setZoom] = useState<Stretch | null>(null);
  const [hover, setHover] = useState<number | null>(null);
  const [drag, setDrag] = useState<Stretch | null>(null);
  const [frame, width] = useWidth<HTMLDivElement>();
  useEffect(() => setZoom(null), [data.subnet]);
  const whole = useMemo(() => ({ first, last: first + size - 1 }), [first, size]);
  const shown = zoom ?? whole;
  const ticks = useMemo(() => new Map(data.ticks.map((tick) => [addressNumber(tick.address), tick])), [data.ticks]);
  const counted = data.stretches.length > 0;

  const onKey = (event: KeyboardEvent) => {
    const step = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: 256, ArrowUp: -256 }[event.key];
    const now = hover ?? shown.first;
    if (step) setHover(Math.min(Math.max(now + (hover === null ? 0 : step), shown.first), shown.last));
    else if (event.key === "Enter" && hover !== null) onSelect(addressText(hover));
    else if (event.key === "Escape" && zoom) setZoom(null);
    else return;
    event.preventDefault();
  };
  const finish = () => {
    if (drag) {
      const stretch = dragged(drag.first, drag.last);
      if (stretch) setZoom(stretch);
      else if (!counted) onSelect(addressText(drag.first));
    }
    setDrag(null);
  };
  return (
    <div>
      <div ref={frame} tabIndex={0} role="application" aria-label={`Ruler of ${data.subnet}: arrow keys move, Enter opens an address`}
        onKeyDown={onKey} onPointerLeave={() => setHover(null)} className="touch-pan-y select-none rounded border border-rule bg-leaf px-2 pt-2 pb-1">
        {rows(shown).map((row) => (
          <Row key={row.first} row={row} width={width - 18} {...{ ticks, data, hover, selected, drag, counted }}
            onHover={setHover} onDown={(at) => setDrag({ first: at, last: at })} onMove={(at) => drag && setDrag({ ...drag, last: at })} onUp={finish} />
        ))}
      </div>
      <div className="mt-1 flex min-h-8 flex-wrap items-center gap-x-4 gap-y-1 text-sm">
        <Readout at={hover} tick={hover === null ? undefined : ticks.get(hover)} data={data} counted={counted} />
        <span className="ml-auto flex gap-3 text-xs"><Legend /></span>
        {zoom ? <Button onClick={() => setZoom(null)}>Whole subnet</Button> : null}
      </div>
    </div>
  );
}

interface RowProps {
  row: RulerRow;
  width: number;
  ticks: Map<number, Tick>;
  data: RulerData;
  hover: number | null;
  selected: string | null;
  drag: Stretch | null;
  counted: boolean;
  onHover(at: number): void;
  onDown(at: number): void;
  onMove(at: number): void;
  onUp(): void;
}

function Row({ row, width, ticks, data, hover, selected, drag, counted, onHover, onDown, onMove, onUp }: RowProps) {
  const step = width / row.size;
  const svg = useRef<SVGSVGElement>(null);
  const place = (event: PointerEvent) => {
    const left = svg.current?.getBoundingClientRect().left ?? 0;
    return row.first + Math.min(Math.max(Math.floor((event.clientX - left) / step), 0), row.size - 1);
  };
  const every = markEvery(row.size, width);
  const marks: number[] = [];
  for (let at = Math.ceil(row.first / every) * every; at < row.first + row.size; at += every) marks.push(at);
  const x = (at: number) => (at - row.first) * step;
  const held = selected ? addressNumber(selected) : null;
  const inRow = (at: number | null): at is number => at !== null && at >= row.first && at < row.first + row.size;
  return (
    <svg ref={svg} width={Math.max(width, 0)} height={HEIGHT} className="block cursor-crosshair" data-first={addressText(row.first)}
      onPointerMove={(event) => { const at = place(event); onHover(at); onMove(at); }}
      onPointerDown={(event) => { event.currentTarget.setPointerCapture(event.pointerId); onDown(place(event)); }} onPointerUp={onUp}>
      {drag ? <rect x={x(Math.min(drag.first, drag.last))} width={(Math.abs(drag.last - drag.first) + 1) * step} y="2" height={BASE} fill="var(--wash)" /> : null}
      <line x1="0" x2={width} y1={BASE} y2={BASE} stroke="var(--rule)" />
      {marks.map((at) => (
        <g key={at}>
          <line x1={x(at) + step / 2} x2={x(at) + step / 2} y1={BASE} y2={BASE + 5} stroke="var(--soft)" />
          <text x={x(at) < 12 ? 0 : x(at) + step / 2} y={BASE + 15} fontSize="10.5" textAnchor={x(at) < 12 ? "start" : "middle"} fill="var(--soft)" fontFamily="var(--font-mono)">{label(at, row.size)}</text>
        </g>
      ))}
      {counted ? <Counted data={data} row={row} step={step} /> : [...ticks].filter(([at]) => inRow(at)).map(([at, tick]) => <TickMark key={at} tick={tick} x={x(at)} step={step} />)}
      {inRow(hover) ? <rect x={x(hover)} width={Math.max(step, 1)} y="2" height={BASE - 2} fill="var(--ink)" opacity="0.16" /> : null}
      {inRow(held) ? <path d={`M${x(held) + step / 2 - 5} 0h10l-5 6z`} fill="var(--ink)" /> : null}
    </svg>
  );
}

const label = (at: number, size: number) => (size > 256 ? `${Math.floor(at / 256) % 256}.${at % 256}` : at % 256 === 0 ? `${Math.floor(at / 256) % 256}.0` : String(at % 256));

/** States whose shape stands above the tick as well, because height and fill alone would not tell them. */
const MARKED = new Set(["two", "gateway", "self"]);

const LOOK: Record<string, { height: number; fill: string; stroke?: string }> = {
  answering: { height: 26, fill: "var(--fine)" },
  seen: { height: 14, fill: "none", stroke: "var(--soft)" },
  two: { height: 26, fill: "var(--alarm)" },
  self: { height: 26, fill: "var(--ink)" },
  gateway: { height: 26, fill: "var(--ink)" },
};

function TickMark({ tick, x, step }: { tick: Tick; x: number; step: number }) {
  const look = LOOK[tick.state] ?? LOOK.answering!;
  const width = Math.max(step - Math.min(step * 0.3, 2), 0.8);
  const middle = x + step / 2;
  return (
    <g>
      <rect x={middle - width / 2} width={width} y={BASE - look.height} height={look.height} fill={look.fill} stroke={look.stroke} strokeWidth={look.stroke ? 1 : 0} />
      {MARKED.has(tick.state) ? (
        <g transform={`translate(${middle - 5} ${BASE - look.height - 12}) scale(0.84)`} color={look.fill}><ShapePaths state={tick.state as StateWord} /></g>
      ) : null}
    </g>
  );
}

function Counted({ data, row, step }: { data: RulerData; row: RulerRow; step: number }) {
  return data.stretches.map((stretch) => {
    const first = addressNumber(stretch.first), last = addressNumber(stretch.last);
    if (last < row.first || first >= row.first + row.size) return null;
    const size = last - first + 1, x = (first - row.first) * step, width = Math.max(size * step - 0.6, 0.8);
    const all = (stretch.answering + stretch.seen) / size, now = stretch.answering / size;
    return (
      <g key={first}>
        <rect x={x} width={width} y={BASE - 34 * all} height={34 * all} fill="none" stroke="var(--soft)" strokeWidth={all ? 0.7 : 0} />
        <rect x={x} width={width} y={BASE - 34 * now} height={34 * now} fill="var(--fine)" />
        {stretch.two ? <rect x={x} width={width} y={BASE - 39} height="4" fill="var(--alarm)" /> : null}
      </g>
    );
  });
}

function Readout({ at, tick, data, counted }: { at: number | null; tick: Tick | undefined; data: RulerData; counted: boolean }) {
  if (at === null) return <span className="text-soft">{count(data.answering)} answering, {plural(data.seen, "address", "addresses")} ever seen of {count(data.usable)} usable. Drag to zoom in.</span>;
  if (counted) {
    const stretch = data.stretches.find((one) => addressNumber(one.first) <= at && at <= addressNumber(one.last));
    return stretch ? <span><Mono>{stretch.first} – {stretch.last}</Mono>: {count(stretch.answering)} answering, {count(stretch.seen)} seen before</span> : null;
  }
  return (
    <span className="flex flex-wrap items-center gap-x-3">
      <Mono className="font-semibold">{addressText(at)}</Mono>
      {tick ? <><Status state={tick.state as StateWord} /> <span>{tick.device?.name ?? "nobody has named it"}</span> <span className="text-soft">{tick.vendor} {ago(tick.last)}</span></> : <span className="text-soft">never seen in use</span>}
    </span>
  );
}

function Legend() {
  return <>{(["answering", "seen", "two", "gateway", "self"] as const).map((state) => <Status key={state} state={state} />)}</>;
}
