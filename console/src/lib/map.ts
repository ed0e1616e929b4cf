// The arithmetic of the wiring's map: fitting, zooming, marks of a strip as paths, the port under a point. Pure, tested on its own.
export interface Sight {
  x: number;
  y: number;
  scale: number;
}

export interface StripBox {
  x: number;
  y: number;
  width: number;
  height: number;
  marks: string;
}

const INSET = 8,
  FOOT = 6,
  LEAST = 0.08,
  MOST = 3;

/** All of the map in the middle of the window, no larger than it is drawn. */
export function fitted(map: { width: number; height: number }, room: { width: number; height: number }): Sight {
  const scale = Math.min(
    1,
    Math.max(LEAST, Math.min((room.width - 48) / Math.max(map.width, 1), (room.height - 48) / Math.max(map.height, 1))),
  );
  return { scale, x: (room.width - map.width * scale) / 2, y: Math.max(24, (room.height - map.height * scale) / 2) };
}

/** Nearer or farther, so that what is under the pointer stays there. */
export function zoomed(sight: Sight, by: number, at: { x: number; y: number }): Sight {
  const scale = Math.min(MOST, Math.max(LEAST, sight.scale * by));
  const ratio = scale / sight.scale;
  return { scale, x: at.x - (at.x - sight.x) * ratio, y: at.y - (at.y - sight.y) * ratio };
}

/** How far from the left of the map the mark of a port is. */
export function markAt(strip: StripBox, place: number): number {
  return strip.x + INSET + ((place + 0.5) * (strip.width - 2 * INSET)) / strip.marks.length;
}

/** The place of the port whose mark is nearest to a point, null above the marks. */
export function portUnder(strip: StripBox, x: number, y: number): number | null {
  if (!strip.marks.length || y < strip.y + strip.height / 2) return null;
  const step = (strip.width - 2 * INSET) / strip.marks.length;
  const place = Math.floor((x - strip.x - INSET) / step);
  return place >= 0 && place < strip.marks.length ? place : null;
}

/** All marks of a strip of one kind as one path: few elements move faster than many. */
export function marksPath(strip: StripBox, kind: string): string {
  const base = strip.y + strip.height - FOOT;
  const high = { "^": 14, "+": 8, "-": 2, x: 6 }[kind] ?? 2;
  let path = "";
  for (let place = 0; place < strip.marks.length; place++) {
    if (strip.marks[place] !== kind) continue;
    const x = markAt(strip, place).toFixed(1);
    path += kind === "x" ? `M${x} ${base}m-1.5 -6l3 6m0 -6l-3 6` : `M${x} ${base}v-${high}`;
  }
  return path;
}

export const linePath = (points: number[][]) => points.map(([x, y], place) => `${place ? "L" : "M"}${x} ${y}`).join("");

/** The middle of the longest stretch that lies, where a word has room. */
export function wordPlace(points: number[][]): { x: number; y: number } {
  let best = { x: points[0]?.[0] ?? 0, y: points[0]?.[1] ?? 0 },
    longest = -1;
  for (let at = 1; at < points.length; at++) {
    const [one, other] = [points[at - 1]!, points[at]!];
    const long = Math.abs(one[0]! - other[0]!);
    if (long > longest) [longest, best] = [long, { x: (one[0]! + other[0]!) / 2, y: (one[1]! + other[1]!) / 2 }];
  }
  return best;
}
