// How a subnet is laid out on the ruler: rows of measured strip, zoomed or whole. Pure, tested on its own.

export interface Stretch {
  first: number;
  last: number;
}

export interface RulerRow {
  first: number;
  size: number;
}

const ROW = 256;
const MOST_ROWS = 16;

/** The rows a stretch is drawn in: at most ROW addresses each, evenly filled, at most MOST_ROWS of them. */
export function rows(stretch: Stretch): RulerRow[] {
  const size = stretch.last - stretch.first + 1;
  const perRow = Math.max(Math.min(ROW, size), Math.ceil(size / MOST_ROWS));
  const found: RulerRow[] = [];
  for (let first = stretch.first; first <= stretch.last; first += perRow)
    found.push({ first, size: Math.min(perRow, stretch.last - first + 1) });
  return found;
}

/** Distance between labelled marks: a round number of addresses that leaves room for the text. */
export function markEvery(size: number, width: number): number {
  const wanted = (size * 46) / width;
  return [1, 2, 4, 8, 16, 32, 64, 128, 256].find((step) => step >= wanted) ?? 512;
}

/** The stretch a drag from one address to another selects; null when it is a click. */
export function dragged(from: number, to: number): Stretch | null {
  const [first, last] = from < to ? [from, to] : [to, from];
  return last - first < 3 ? null : { first, last };
}

export interface Edged {
  id: number;
  first: number;
  last: number;
}

/** The edge of a band that a pointer has taken hold of: its other end stays. `reach` is in addresses. */
export function grabbed(band: Edged | null, at: number, reach: number): { fixed: number } | null {
  if (!band) return null;
  const toFirst = Math.abs(at - band.first),
    toLast = Math.abs(at - band.last);
  if (Math.min(toFirst, toLast) > reach) return null;
  return { fixed: toFirst < toLast ? band.last : band.first };
}

/** A stretch with its ends in order. */
export const ordered = (from: number, to: number): Stretch =>
  from < to ? { first: from, last: to } : { first: to, last: from };

/** The part of a stretch that lies in a row, as offset and size in addresses; null when none does. */
export function within(stretch: Stretch, row: RulerRow): { offset: number; size: number } | null {
  const first = Math.max(stretch.first, row.first),
    last = Math.min(stretch.last, row.first + row.size - 1);
  return first > last ? null : { offset: first - row.first, size: last - first + 1 };
}
