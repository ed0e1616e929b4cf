// Where a list's rows come from: all at hand, or fetched page by page for what is in view.
import { useQueries } from "@tanstack/react-query";
import { useCallback, useState } from "react";

export interface Source<R> {
  total: number;
  rowAt(index: number): R | undefined;
  /** Told which rows are in view. */
  show(first: number, last: number): void;
}

const PAGE = 100;

export const atHand = <R>(rows: readonly R[]): Source<R> => ({
  total: rows.length,
  rowAt: (index) => rows[index],
  show: () => undefined,
});

/** Rows of a list of any length, by position. `key` names the list with its filters. */
export function usePages<R>(
  key: readonly unknown[],
  total: number,
  fetchPage: (offset: number, limit: number, signal: AbortSignal) => Promise<{ items: R[] }>,
): Source<R> {
  const [[first, last], setPages] = useState<[number, number]>([0, 0]);
  const fetched = useQueries({
    queries: Array.from({ length: last - first + 1 }, (_, i) => first + i).map((page) => ({
      queryKey: [...key, page],
      enabled: total > 0,
      queryFn: ({ signal }: { signal: AbortSignal }) => fetchPage(page * PAGE, PAGE, signal),
    })),
  });
  const show = useCallback(
    (from: number, to: number) =>
      setPages((before) => {
        const next: [number, number] = [Math.floor(from / PAGE), Math.floor(to / PAGE)];
        return next[0] === before[0] && next[1] === before[1] ? before : next;
      }),
    [],
  );
  return { total, show, rowAt: (index) => fetched[Math.floor(index / PAGE) - first]?.data?.items[index % PAGE] };
}

/** All rows of such a list, page after page, to take them out. */
export async function everything<R>(
  fetchPage: (offset: number, limit: number) => Promise<{ items: R[]; total: number | null }>,
): Promise<R[]> {
  const found: R[] = [];
  for (;;) {
    const page = await fetchPage(found.length, 500);
    found.push(...page.items);
    if (page.items.length === 0 || found.length >= (page.total ?? 0)) return found;
  }
}
