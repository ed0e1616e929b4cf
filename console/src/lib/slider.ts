// How high the marks of the time strip stand. Pure, tested on its own.

/** Counts as parts of the strip's height: 0 for nothing, never under a sixth for something, by the square root. */
export function bucketHeights(counts: number[]): number[] {
  const most = Math.max(...counts, 1);
  return counts.map((count) => (count === 0 ? 0 : Math.max(Math.sqrt(count / most), 1 / 6)));
}
