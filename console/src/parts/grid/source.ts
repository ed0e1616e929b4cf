// Where a list's rows come from: all at hand, fetched page by page for what is in view, or fetched on as one goes down.
import { useInfiniteQuery, useQueries } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useState } from "react";

export interface Source<R> {
  total: number;
  /** How many of the rows are there; another number means that rows may be taller now. */
  loaded?: number;
  rowAt(index: number): R | undefined;
  /** Told which rows are in view. */
  show(first: number, last: number): void;
}

const PAGE = 100;
const STRETCH = 500;

export const atHand = <R>(rows: readonly R[]): Source<R> => ({
  total: rows.length,
  loaded: rows.length,
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

export interface Stretch<R> {
  items: R[];
  next: string | null;
  total: number | null;
}

/** Rows of a list that is read from its beginning on, as far as one has gone down. */
export function useStretches<R>(
  key: readonly unknown[],
  fetchNext: (cursor: string | null, limit: number, signal: AbortSignal) => Promise<Stretch<R>>,
): { source: Source<R>; rows: readonly R[]; error: Error | null; loaded: boolean } {
  const list = useInfiniteQuery({
    queryKey: key,
    queryFn: ({ pageParam, signal }) => fetchNext(pageParam, STRETCH, signal),
    initialPageParam: null as string | null,
    getNextPageParam: (last) => last.next ?? undefined,
  });
  const { data, hasNextPage, isFetching, fetchNextPage, isFetchNextPageError } = list;
  const rows = useMemo(() => data?.pages.flatMap((page) => page.items) ?? [], [data]);
  const [wanted, setWanted] = useState(0);
  useEffect(() => {
    if (wanted + 1 >= rows.length && hasNextPage && !isFetching && !isFetchNextPageError) void fetchNextPage();
  }, [wanted, rows.length, hasNextPage, isFetching, isFetchNextPageError, fetchNextPage]);
  const show = useCallback((_: number, last: number) => setWanted(last), []);
  const total = hasNextPage ? Math.max(data?.pages[0]?.total ?? 0, rows.length + 1) : rows.length;
  const source = useMemo(
    () => ({ total, loaded: rows.length, show, rowAt: (index: number) => rows[index] }),
    [total, rows, show],
  );
  return { source, rows, error: list.error, loaded: list.isSuccess };
}
