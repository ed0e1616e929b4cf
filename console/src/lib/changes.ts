// How a recorded edit is told in one line: what it was about, and what it changed.
import type { ChangeRow } from "../api/types";

type Told = Pick<ChangeRow, "action" | "before" | "after">;

export const what = (change: Told) => lines(change).join(", ");

/** The same, each value in a line of its own. */
export function lines({ action, before, after }: Told): string[] {
  if ((action !== "set" && action !== "undo") || typeof after !== "object" || after === null) {
    const [first, ...rest] = pairs(after ?? before);
    return [first ? `${action}: ${first}` : action, ...rest];
  }
  const was = (before ?? {}) as Record<string, unknown>;
  const told = Object.entries(after as Record<string, unknown>).map(
    ([name, value]) => `${name}: ${name in was ? `${shown(was[name])} → ` : ""}${shown(value)}`,
  );
  return action === "undo" ? (told.length > 0 ? [`undo, ${told[0]}`, ...told.slice(1)] : ["undo"]) : told;
}

function pairs(values: unknown): string[] {
  if (typeof values !== "object" || values === null) return [];
  return Object.entries(values)
    .filter(([, value]) => value !== "" && value !== null)
    .map(([name, value]) => `${name} ${typeof value === "object" ? JSON.stringify(value) : String(value)}`);
}

const shown = (value: unknown) =>
  value === "" || value === null || value === undefined
    ? "nothing"
    : typeof value === "object"
      ? JSON.stringify(value)
      : `“${String(value)}”`;

/** When a change was made, as one reads it: today, yesterday, then dates. */
export function when(iso: string, now = new Date()): string {
  const at = new Date(iso);
  const yesterday = new Date(now.getFullYear(), now.getMonth(), now.getDate() - 1);
  const time = at.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  if (at.toDateString() === now.toDateString()) return `Today ${time}`;
  if (at.toDateString() === yesterday.toDateString()) return `Yesterday ${time}`;
  return `${at.toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric" })} ${time}`;
}
