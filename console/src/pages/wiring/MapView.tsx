// The map of the wiring, drawn from the service's own layout: moved and zoomed without drawing anew, a strip can be put elsewhere by
// hand. Arrows move the sight, + and - zoom, 0 shows all; a strip in focus is put elsewhere with Alt and the arrows.
import { memo, useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { Maximize2, Minus, Plus } from "lucide-react";
import type { MapCable, MapStrip, MapView as Map } from "../../api/types";
import { fitted, linePath, marksPath, portUnder, type Sight, wordPlace, zoomed } from "../../lib/map";
import { Button } from "../../parts/basics";

const PAD = 400;

interface Props {
  map: Map;
  lit: ReadonlySet<number> | null;
  chosen: string | null;
  movable: boolean;
  onChoose(strip: MapStrip): void;
  onPort(id: number): void;
  onPut(strip: MapStrip, x: number, y: number): void;
}

export function MapView({ map, lit, chosen, movable, onChoose, onPort, onPut }: Props) {
  const frame = useRef<HTMLDivElement>(null);
  const plane = useRef<HTMLDivElement>(null);
  const sight = useRef<Sight>({ x: 0, y: 0, scale: 1 });
  const held = useRef<{ x: number; y: number; strip: MapStrip | null; moved: boolean } | null>(null);
  const resting = useRef<ReturnType<typeof setTimeout>>(undefined);
  const pinch = useRef(new globalThis.Map<number, { x: number; y: number }>());
  const [shift, setShift] = useState<{ node: string; x: number; y: number } | null>(null);

  const show = useCallback((next: Sight) => {
    sight.current = next;
    if (!plane.current) return;
    plane.current.style.willChange = "transform"; // moved as it is drawn; at rest it is drawn anew, sharp
    clearTimeout(resting.current);
    resting.current = setTimeout(() => plane.current && (plane.current.style.willChange = "auto"), 200);
    plane.current.style.transform = `translate(${next.x - PAD * next.scale}px, ${next.y - PAD * next.scale}px) scale(${next.scale})`;
  }, []);
  const fit = useCallback(() => {
    const box = frame.current?.getBoundingClientRect();
    if (box) show(fitted(map, box));
  }, [map, show]);
  const size = `${Math.round(map.width)} ${Math.round(map.height)}`;
  useLayoutEffect(fit, [size]); // eslint-disable-line react-hooks/exhaustive-deps -- not at each reading: only when it grew
  useEffect(() => {
    const box = frame.current;
    if (!box) return;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const edge = box.getBoundingClientRect();
      show(
        zoomed(sight.current, Math.exp(-event.deltaY / 500), { x: event.clientX - edge.x, y: event.clientY - edge.y }),
      );
    };
    box.addEventListener("wheel", wheel, { passive: false });
    return () => box.removeEventListener("wheel", wheel);
  }, [show]);

  const at = (event: { clientX: number; clientY: number }) => {
    const edge = frame.current!.getBoundingClientRect();
    return {
      x: (event.clientX - edge.x - sight.current.x) / sight.current.scale,
      y: (event.clientY - edge.y - sight.current.y) / sight.current.scale,
    };
  };
  const under = (point: { x: number; y: number }) =>
    map.strips.find(
      (one) => point.x >= one.x && point.x <= one.x + one.width && point.y >= one.y && point.y <= one.y + one.height,
    ) ?? null;
  const near = (by: number) => {
    const box = frame.current!.getBoundingClientRect();
    show(zoomed(sight.current, by, { x: box.width / 2, y: box.height / 2 }));
  };
  return (
    <div
      ref={frame}
      role="group"
      aria-label="The map of the wiring; arrows move it, plus and minus zoom, 0 shows all of it"
      tabIndex={0}
      className="relative h-full touch-none overflow-hidden select-none rounded border border-rule bg-leaf"
      onPointerDown={(event) => {
        pinch.current.set(event.pointerId, { x: event.clientX, y: event.clientY });
        (event.currentTarget as Element).setPointerCapture(event.pointerId);
        const strip = movable ? under(at(event)) : null;
        held.current = { x: event.clientX, y: event.clientY, strip: strip?.switch ? strip : null, moved: false };
      }}
      onPointerMove={(event) => {
        const was = pinch.current.get(event.pointerId);
        if (!was || !held.current) return;
        const other = [...pinch.current].find(([id]) => id !== event.pointerId)?.[1];
        const edge = frame.current!.getBoundingClientRect();
        if (other) {
          const before = Math.hypot(was.x - other.x, was.y - other.y);
          const now = Math.hypot(event.clientX - other.x, event.clientY - other.y);
          if (before > 1) show(zoomed(sight.current, now / before, { x: other.x - edge.x, y: other.y - edge.y }));
          held.current.moved = true;
        } else {
          const [dx, dy] = [event.clientX - was.x, event.clientY - was.y];
          if (Math.hypot(event.clientX - held.current.x, event.clientY - held.current.y) > 5) held.current.moved = true;
          if (held.current.moved && held.current.strip) {
            const { strip, x, y } = held.current;
            const scale = sight.current.scale;
            setShift({ node: strip.node, x: (event.clientX - x) / scale, y: (event.clientY - y) / scale });
          } else if (held.current.moved) show({ ...sight.current, x: sight.current.x + dx, y: sight.current.y + dy });
        }
        pinch.current.set(event.pointerId, { x: event.clientX, y: event.clientY });
      }}
      onPointerCancel={(event) => {
        pinch.current.delete(event.pointerId);
        held.current = null;
        setShift(null);
      }}
      onPointerUp={(event) => {
        pinch.current.delete(event.pointerId);
        const { current } = held;
        held.current = null;
        if (current?.strip && current.moved && shift)
          onPut(current.strip, current.strip.x + shift.x, current.strip.y + shift.y);
        setShift(null);
        if (!current || current.moved) return;
        const point = at(event);
        const strip = under(point);
        if (!strip) return;
        const place = portUnder(strip, point.x, point.y);
        const port = place === null ? undefined : strip.port_ids[place];
        if (port !== undefined) onPort(port);
        else onChoose(strip);
      }}
      onKeyDown={(event) => {
        const step = { ArrowLeft: [60, 0], ArrowRight: [-60, 0], ArrowUp: [0, 60], ArrowDown: [0, -60] }[event.key];
        if (event.altKey || event.ctrlKey || event.metaKey) return;
        if (step) show({ ...sight.current, x: sight.current.x + step[0]!, y: sight.current.y + step[1]! });
        else if (event.key === "+" || event.key === "=") near(1.25);
        else if (event.key === "-") near(0.8);
        else if (event.key === "0") fit();
        else return;
        event.preventDefault();
      }}
    >
      <div ref={plane} className="absolute top-0 left-0 origin-top-left">
        <svg
          width={map.width + 2 * PAD}
          height={map.height + 2 * PAD}
          viewBox={`${-PAD} ${-PAD} ${map.width + 2 * PAD} ${map.height + 2 * PAD}`}
        >
          {map.cables.map((one, place) => (
            <Cable
              key={`${one.link_id} ${place}`}
              cable={one}
              lit={lit?.has(one.link_id) ?? false}
              dim={lit !== null}
            />
          ))}
          {map.strips.map((one) => (
            <g key={one.node} transform={shift?.node === one.node ? `translate(${shift.x} ${shift.y})` : undefined}>
              <Strip strip={one} chosen={chosen === one.node} onChoose={onChoose} onPut={movable ? onPut : null} />
            </g>
          ))}
        </svg>
      </div>
      <div className="absolute right-2 bottom-2 flex gap-1">
        <Button aria-label="Farther" onClick={() => near(0.8)}>
          <Minus className="size-4" aria-hidden />
        </Button>
        <Button aria-label="Nearer" onClick={() => near(1.25)}>
          <Plus className="size-4" aria-hidden />
        </Button>
        <Button aria-label="All of it" onClick={fit}>
          <Maximize2 className="size-4" aria-hidden />
        </Button>
      </div>
    </div>
  );
}

const Cable = memo(function Cable({ cable, lit, dim }: { cable: MapCable; lit: boolean; dim: boolean }) {
  const word = cable.word ? wordPlace(cable.points) : null;
  return (
    <g opacity={dim && !lit ? 0.3 : 1}>
      <path
        d={linePath(cable.points)}
        fill="none"
        stroke={lit ? "var(--amber)" : cable.blocked ? "var(--soft)" : "var(--ink)"}
        strokeWidth={cable.width + (lit ? 2 : 0)}
        strokeLinejoin="round"
        strokeDasharray={cable.blocked ? "7 5" : cable.known === "inferred" ? "1.5 3.5" : undefined}
        strokeLinecap={cable.known === "inferred" ? "round" : undefined}
      >
        <title>{`${cable.said || "a link"}, ${cable.known}`}</title>
      </path>
      {word ? (
        <text
          x={word.x}
          y={word.y + 4}
          textAnchor="middle"
          className="fill-(--soft) text-[11px]"
          paintOrder="stroke"
          stroke="var(--leaf)"
          strokeWidth="5"
        >
          {cable.word}
        </text>
      ) : null}
    </g>
  );
});

const STEPS: Record<string, [number, number]> = {
  ArrowLeft: [-16, 0],
  ArrowRight: [16, 0],
  ArrowUp: [0, -16],
  ArrowDown: [0, 16],
};

interface StripProps {
  strip: MapStrip;
  chosen: boolean;
  onChoose(strip: MapStrip): void;
  onPut: ((strip: MapStrip, x: number, y: number) => void) | null;
}

const Strip = memo(function Strip({ strip, chosen, onChoose, onPut }: StripProps) {
  const paths = useMemo(() => ["+", "^", "-", "x"].map((kind) => marksPath(strip, kind)), [strip]);
  if (strip.node.startsWith("l"))
    return (
      <rect
        x={strip.x}
        y={strip.y}
        width={strip.width}
        height={strip.height}
        rx="3"
        fill="var(--leaf)"
        stroke="var(--soft)"
        strokeDasharray="2 2"
      >
        <title>something that is not read</title>
      </rect>
    );
  const most = Math.floor((strip.width - 16) / 6.6);
  const name = strip.called.length > most ? `${strip.called.slice(0, most - 1)}…` : strip.called;
  return (
    <g
      tabIndex={0}
      role="button"
      aria-label={`${strip.called}${strip.switch ? "" : ", not read"}${strip.fixed ? ", put here by hand" : ""}`}
      className="cursor-pointer outline-offset-2"
      onKeyDown={(event) => {
        const step = STEPS[event.key];
        if (event.key === "Enter" || event.key === " ") onChoose(strip);
        else if (event.altKey && step && onPut) onPut(strip, strip.x + step[0], strip.y + step[1]);
        else return;
        event.preventDefault();
        event.stopPropagation();
      }}
    >
      <rect
        x={strip.x}
        y={strip.y}
        width={strip.width}
        height={strip.height}
        rx="3"
        fill={chosen ? "var(--wash)" : "var(--paper)"}
        stroke={chosen ? "var(--ink)" : "var(--soft)"}
        strokeWidth={chosen ? 2 : 1}
        strokeDasharray={strip.switch ? undefined : "4 3"}
      />
      <text x={strip.x + 8} y={strip.y + 16} className="fill-(--text) text-[12.5px]">
        {name}
        <title>{strip.called}</title>
      </text>
      {strip.fixed ? <circle cx={strip.x + strip.width - 8} cy={strip.y + 9} r="2.5" fill="var(--ink)" /> : null}
      <path d={paths[0]} stroke="var(--ink)" strokeWidth="2" />
      <path d={paths[1]} stroke="var(--ink)" strokeWidth="2.5" />
      <path d={paths[2]} stroke="var(--soft)" strokeWidth="1" />
      <path d={paths[3]} stroke="var(--alarm)" strokeWidth="1" fill="none" />
    </g>
  );
});
