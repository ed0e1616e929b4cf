// What a list has in a column: how it is drawn, sorted by the service, and written as text.
import type { ReactNode } from "react";

export interface Column<R, S extends string = string> {
  name: string;
  /** A track of a CSS grid: a width in rem, or `minmax` of one and a share of what is left. */
  width: `${number}rem` | `minmax(${number}rem,${"" | " "}${number}fr)`;
  /** What the service sorts by; without it the column cannot be sorted. */
  sort?: S;
  right?: boolean;
  cell(row: R): ReactNode;
  text(row: R): string;
}

export interface Sorting<S extends string = string> {
  by: S;
  descending: boolean;
}

/** The width below which a list scrolls sideways: the least of each track together. */
export function leastWidth(tracks: readonly string[]): string {
  return `calc(${tracks.map((track) => /[\d.]+rem/.exec(track)![0]).join(" + ")})`;
}

/** Rows as lines of a spreadsheet, for the clipboard. */
export function asLines<R>(columns: readonly Column<R>[], rows: readonly R[]): string {
  const clean = (text: string) => text.replaceAll(/[\t\r\n]+/g, " ");
  const lines = rows.map((row) => columns.map((column) => clean(column.text(row))).join("\t"));
  return [columns.map((column) => column.name).join("\t"), ...lines].join("\n");
}

const RISKY = /^[=+\-@\t\r]/;

/** Rows as CSV (RFC 4180) that every spreadsheet reads right and evaluates nothing of. */
export function asCsv<R>(columns: readonly Column<R>[], rows: readonly R[]): string {
  const written = (text: string) => {
    const safe = RISKY.test(text) ? `'${text}` : text;
    return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
  };
  const lines = rows.map((row) => columns.map((column) => written(column.text(row))).join(","));
  return `\uFEFF${[columns.map((column) => written(column.name)).join(","), ...lines].join("\r\n")}\r\n`;
}
