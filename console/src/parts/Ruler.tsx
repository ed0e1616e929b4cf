// The ruler: a subnet as one measured strip. One tick per address, whose shape tells its state, feet for what is planned,
// bands as labelled stretches. Drag to zoom, hover to read, click or Enter to open. While a band is being drawn, dragging
// draws it or moves its edges instead.
import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import type { Ruler as RulerData, Tick } from "../api/types";
import { addressNumber, addressText, subnetBounds } from "../lib/format";
import { dragged, grabbed, markEvery, ordered, rows, type RulerRow, type Stretch } from "../lib/ruler";
import { useWidth } from "../lib/width";
import { Button } from "./basics";
import { BandStrip, BASE, Counted, DraftStrip, FOOT, PoolPattern, TickMark } from "./ruler/Marks";
import { Legend, Readout } from "./ruler/Readout";

const MARKS = 18;
const HEIGHT = BASE + FOOT + MARKS;

/** A band being drawn: which one is changed (null for a new one), where it is now, and whether that is wrong. */
export interface Drawing {
  id: number | null;
  stretch: Stretch | null;
  wrong: boolean;
  onDraw(stretch: Stretch): void;
}

interface Props {
  data: RulerData;
  selected: string | null;
  onSelect(address: string): void;
  drawing?: Drawing | null;
  onBand?(id: number): void;
}

export function Ruler({ data, selected, onSelect, drawing = null, onBand }: Props) {
  const { first, size } = subnetBounds(data.subnet.cidr);
  const [zoom, setZoom] = useState<Stretch | null>(null);
  const [hover, setHover] = useState<number | null>(null);
  const [zooming, setZooming] = useState<Stretch | null>(null);
  // What the pointer holds is a ref: moves come faster than pages are drawn.
  const held = useRef<{ from: number; to: number } | null>(null);
  const [frame, width] = useWidth<HTMLDivElement>();
  useEffect(() => setZoom(null), [data.subnet.cidr]);
  const whole = useMemo(() => ({ first, last: first + size - 1 }), [first, size]);
  const shown = zoom ?? whole;
  const ticks = useMemo(() => new Map(data.ticks.map((tick) => [addressNumber(tick.address), tick])), [data.ticks]);
  const counted = data.stretches.length > 0;
  const perRow = rows(shown)[0]?.size ?? 1;

  const onKey = (event: KeyboardEvent) => {
    const step = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: 256, ArrowUp: -256 }[event.key];
    const now = hover ?? shown.first;
    if (step) setHover(Math.min(Math.max(now + (hover === null ? 0 : step), shown.first), shown.last));
    else if (event.key === "Enter" && hover !== null) onSelect(addressText(hover));
    else if (event.key === "Escape" && zoom) setZoom(null);
    else return;
    event.preventDefault();
  };
  const down = (at: number) => {
    const hold = drawing
      ? grabbed(
          drawing.stretch ? { id: 0, ...drawing.stretch } : null,
          at,
          Math.max((perRow * 6) / Math.max(width, 1), 1),
        )
      : null;
    held.current = { from: hold ? hold.fixed : at, to: at };
    if (drawing && !hold) drawing.onDraw({ first: at, last: at });
  };
  const move = (at: number) => {
    if (!held.current) return;
    held.current.to = at;
    const stretch = ordered(held.current.from, at);
    if (drawing) drawing.onDraw(stretch);
    else setZooming(stretch);
  };
  const finish = () => {
    const drag = held.current;
    held.current = null;
    setZooming(null);
    if (!drag || drawing) return;
    const stretch = dragged(drag.from, drag.to);
    if (stretch) setZoom(stretch);
    else if (!counted) onSelect(addressText(drag.from));
  };
  return (
    <div>
      <div
        ref={frame}
        tabIndex={0}
        role="application"
        aria-label={`Ruler of ${data.subnet}: arrow keys move, Enter opens an address`}
        onKeyDown={onKey}
        onPointerLeave={() => setHover(null)}
        className="touch-pan-y select-none rounded border border-rule bg-leaf px-2 pt-2 pb-1"
      >
        {rows(shown).map((row) => (
          <Row
            key={row.first}
            row={row}
            width={width - 18}
            {...{ ticks, data, hover, selected, zooming, counted, drawing }}
            onBand={drawing ? undefined : onBand}
            onHover={setHover}
            onDown={down}
            onMove={move}
            onUp={finish}
          />
        ))}
      </div>
      <div className="mt-1 flex min-h-8 flex-wrap items-center gap-x-4 gap-y-1 text-sm">
        {drawing ? (
          <span className="text-ink">Drag over the ruler to draw the band; drag its ends to change it.</span>
        ) : (
          <Readout at={hover} tick={hover === null ? undefined : ticks.get(hover)} data={data} counted={counted} />
        )}
        <span className="ml-auto flex flex-wrap gap-x-3 text-xs">
          <Legend planned={data.subnet.id !== null || data.bands.length > 0} past={!!data.at} />
        </span>
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
  zooming: Stretch | null;
  counted: boolean;
  drawing: Drawing | null;
  onBand?: ((id: number) => void) | undefined;
  onHover(at: number): void;
  onDown(at: number): void;
  onMove(at: number): void;
  onUp(): void;
}

function Row({
  row,
  width,
  ticks,
  data,
  hover,
  selected,
  zooming,
  counted,
  drawing,
  onBand,
  onHover,
  onDown,
  onMove,
  onUp,
}: RowProps) {
  const step = width / row.size;
  const svg = useRef<SVGSVGElement>(null);
  const banded = data.bands.length > 0 || drawing !== null;
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
  const bandY = HEIGHT;
  return (
    <svg
      ref={svg}
      width={Math.max(width, 0)}
      height={HEIGHT + (banded ? 20 : 0)}
      className="block cursor-crosshair"
      data-first={addressText(row.first)}
      onPointerMove={(event) => {
        const at = place(event);
        onHover(at);
        onMove(at);
      }}
      onPointerDown={(event) => {
        const band = event.target instanceof Element ? event.target.closest("[data-band]") : null;
        if (band && onBand) return onBand(Number(band.getAttribute("data-band")));
        event.currentTarget.setPointerCapture(event.pointerId);
        onDown(place(event));
      }}
      onPointerUp={onUp}
    >
      <PoolPattern />
      {zooming ? (
        <rect
          x={x(zooming.first)}
          width={(zooming.last - zooming.first + 1) * step}
          y="2"
          height={BASE}
          fill="var(--wash)"
        />
      ) : null}
      <line x1="0" x2={width} y1={BASE} y2={BASE} stroke="var(--rule)" />
      {marks.map((at) => (
        <g key={at}>
          <line
            x1={x(at) + step / 2}
            x2={x(at) + step / 2}
            y1={BASE + FOOT}
            y2={BASE + FOOT + 3}
            stroke="var(--soft)"
          />
          <text
            x={x(at) < 12 ? 0 : x(at) + step / 2}
            y={BASE + FOOT + 13}
            fontSize="10.5"
            textAnchor={x(at) < 12 ? "start" : "middle"}
            fill="var(--soft)"
            fontFamily="var(--font-mono)"
          >
            {label(at, row.size)}
          </text>
        </g>
      ))}
      {counted ? (
        <Counted data={data} row={row} step={step} />
      ) : (
        [...ticks]
          .filter(([at]) => inRow(at))
          .map(([at, tick]) => <TickMark key={at} tick={tick} x={x(at)} step={step} />)
      )}
      {data.bands
        .filter((band) => band.id !== drawing?.id)
        .map((band) => (
          <BandStrip key={band.id} band={band} row={row} step={step} y={bandY} active={false} />
        ))}
      {drawing?.stretch ? (
        <DraftStrip stretch={drawing.stretch} row={row} step={step} y={bandY} wrong={drawing.wrong} />
      ) : null}
      {inRow(hover) ? (
        <rect
          x={x(hover)}
          width={Math.max(step, 1)}
          y="2"
          height={BASE - 2}
          fill="var(--ink)"
          opacity="0.16"
          pointerEvents="none"
        />
      ) : null}
      {inRow(held) ? <path d={`M${x(held) + step / 2 - 5} 0h10l-5 6z`} fill="var(--ink)" /> : null}
    </svg>
  );
}

const label = (at: number, size: number) =>
  size > 256
    ? `${Math.floor(at / 256) % 256}.${at % 256}`
    : at % 256 === 0
      ? `${Math.floor(at / 256) % 256}.0`
      : String(at % 256);
