// A switch as a strip in the ruler's language: one mark a port in their order, as high as many hang there, its pattern telling what
// it is. Never a drawing of a front.
import { useId } from "react";
import type { KeptPort } from "../api/types";
import { useWidth } from "../lib/width";
import { height, look, LOOKS, sinceSaid, type PortLook } from "../lib/ports";

const TALL = 44,
  FOOT = 16,
  NARROWEST = 16,
  WIDEST = 40;

interface Props {
  ports: KeptPort[];
  label: string;
  selected?: number | null;
  lit?: ReadonlySet<number> | null;
  onOpen?(port: KeptPort): void;
}

export function PortStrip({ ports, label, selected = null, lit = null, onOpen }: Props) {
  const pattern = useId();
  const [frame, room] = useWidth<HTMLDivElement>();
  const step = Math.min(Math.max(Math.floor((room - 20) / Math.max(ports.length, 1)), NARROWEST), WIDEST);
  const wide = Math.round(step * 0.62);
  const width = Math.max(ports.length * step + 4, room - 16);
  return (
    <div
      ref={frame}
      tabIndex={0}
      role="group"
      aria-label={label}
      className="overflow-x-auto rounded border border-rule bg-leaf px-2 pt-2"
    >
      <svg width={width} height={TALL + FOOT} className="block" role="img" aria-label={label}>
        <Hatch id={pattern} />
        <line x1="0" x2={width} y1={TALL} y2={TALL} stroke="var(--rule)" />
        {ports.map((port, place) => (
          <g
            key={port.id}
            className={onOpen ? "cursor-pointer" : ""}
            opacity={lit && !lit.has(port.id) ? 0.25 : 1}
            onClick={onOpen && (() => onOpen(port))}
          >
            <title>{`${port.name} – ${port.said}, ${sinceSaid(port)}`}</title>
            <rect
              x={place * step + 2}
              y="0"
              width={step}
              height={TALL + FOOT}
              fill={selected === port.id ? "var(--wash)" : "transparent"}
            />
            <Mark port={port} wide={wide} x={place * step + 2 + (step - wide) / 2} pattern={pattern} />
            <text
              x={place * step + 2 + step / 2}
              y={TALL + 11}
              textAnchor="middle"
              className="fill-(--soft) font-mono text-[9px]"
            >
              {short(port.name)}
            </text>
          </g>
        ))}
      </svg>
    </div>
  );
}

/** What fits below a mark: the end of a name, where its number stands. */
const short = (name: string) => (name.length <= 3 ? name : name.slice(-3).replace(/^\D+/, ""));

function Hatch({ id }: { id: string }) {
  return (
    <defs>
      <pattern id={id} width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <line x1="0" y1="0" x2="0" y2="4" stroke="var(--ink)" strokeWidth="2.2" />
      </pattern>
    </defs>
  );
}

function Mark({ port, x, wide, pattern }: { port: KeptPort; x: number; wide: number; pattern: string }) {
  const drawn = look(port);
  const tall = height(port) * TALL;
  const y = TALL - tall;
  return (
    <>
      <Shape drawn={drawn} {...{ x, y, wide, tall, pattern }} />
      {port.mark === "faulty" ? (
        <path d={`M${x + wide / 2 - 3} ${y - 7}l6 5m0-5l-6 5`} stroke="var(--alarm)" strokeWidth="1.5" />
      ) : null}
      {port.mark === "spare" ? <circle cx={x + wide / 2} cy={y - 5} r="2" fill="none" stroke="var(--ink)" /> : null}
      {port.mark === "kept" ? <circle cx={x + wide / 2} cy={y - 5} r="2" fill="var(--ink)" /> : null}
    </>
  );
}

function Shape({
  drawn,
  x,
  y,
  wide,
  tall,
  pattern,
}: {
  drawn: PortLook;
  x: number;
  y: number;
  wide: number;
  tall: number;
  pattern: string;
}) {
  if (drawn === "off")
    return <path d={`M${x + wide / 2 - 3.5} ${TALL - 7}l7 7m0-7l-7 7`} stroke="var(--soft)" strokeWidth="1.5" />;
  if (drawn === "none") return <path d={`M${x + wide / 2} ${TALL}v-5`} stroke="var(--soft)" strokeWidth="1.5" />;
  const box = { x: x + 0.5, y: y + 0.5, width: wide - 1, height: tall - 0.5 };
  if (drawn === "quiet") return <rect {...box} fill="none" stroke="var(--soft)" />;
  if (drawn === "blocked") return <rect {...box} fill="none" stroke="var(--ink)" strokeDasharray="2.5 2" />;
  if (drawn === "uplink") return <rect {...box} fill={`url(#${pattern})`} stroke="var(--ink)" />;
  return <rect x={x} y={y} width={wide} height={tall} fill="var(--ink)" />;
}

export function StripLegend() {
  const pattern = useId();
  return (
    <ul className="flex flex-wrap gap-x-4 gap-y-1 text-xs text-soft">
      {LOOKS.map(([drawn, said]) => (
        <li key={drawn} className="flex items-center gap-1.5">
          <svg width="14" height="18" viewBox={`0 ${TALL - 16} 14 17`} aria-hidden>
            <Hatch id={`${pattern}${drawn}`} />
            <Shape
              drawn={drawn}
              x={1}
              wide={11}
              y={TALL - (drawn === "quiet" ? 8 : 15)}
              tall={drawn === "quiet" ? 8 : 15}
              pattern={`${pattern}${drawn}`}
            />
          </svg>
          {said}
        </li>
      ))}
    </ul>
  );
}
