// Which columns a table shows and in which order, remembered per table.
import { useState } from "react";

export function useColumns<K extends string>(
  table: string,
  all: readonly K[],
  usual: readonly K[],
): [K[], (next: K[]) => void] {
  const key = `roster-columns-${table}`;
  const [columns, setColumns] = useState<K[]>(() => {
    try {
      const kept = JSON.parse(localStorage.getItem(key) ?? "null") as unknown;
      const known = Array.isArray(kept) ? kept.filter((one): one is K => all.includes(one as K)) : [];
      return known.length > 0 ? known : [...usual];
    } catch {
      return [...usual];
    }
  });
  const keep = (next: K[]) => {
    localStorage.setItem(key, JSON.stringify(next));
    setColumns(next);
  };
  return [columns, keep];
}

/** Move one entry by a step, staying within the list. */
export function moved<K>(list: readonly K[], item: K, step: number): K[] {
  const at = list.indexOf(item),
    to = Math.min(Math.max(at + step, 0), list.length - 1);
  const next = list.filter((one) => one !== item);
  next.splice(to, 0, item);
  return next;
}
