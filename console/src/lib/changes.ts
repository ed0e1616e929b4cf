// How a recorded edit is told in one line: what it was about, and what it changed.
import type { ChangeRow } from "../api/types";

export function what({ action, before, after }: Pick<ChangeRow, "action" | "before" | "after">): string {
  if ((action !== "set" && action !== "undo") || typeof after !== "object" || after === null) {
    const given = pairs(after ?? before);
    return given ? `${action}: ${given}` : action;
  }
  const was = (before ?? {}) as Record<string, unknown>;
  const told = Object.entries(after as Record<string, unknown>).map(
    ([name, value]) => `${name}: ${name in was ? `${shown(was[name])} → ` : ""}${shown(value)}`,
  );
  return `${action === "undo" ? "undo, " : ""}${told.join(", ")}`;
}

function pairs(values: unknown): string {
  if (typeof values !== "object" || values === null) return "";
  return Object.entries(values)
    .filter(([, value]) => value !== "" && value !== null)
    .map(([name, value]) => `${name} ${typeof value === "object" ? JSON.stringify(value) : String(value)}`)
    .join(", ");
}

const shown = (value: unknown) =>
  value === "" || value === null || value === undefined
    ? "nothing"
    : typeof value === "object"
      ? JSON.stringify(value)
      : `“${String(value)}”`;

/** Changes under the day on which they were made, as one reads them: today, yesterday, then dates. */
export function byDay<C extends { at: string }>(changes: readonly C[], now = new Date()): [string, C[]][] {
  const day = (date: Date) => `${date.getFullYear()}-${date.getMonth()}-${date.getDate()}`;
  const yesterday = new Date(now.getFullYear(), now.getMonth(), now.getDate() - 1);
  const groups = new Map<string, C[]>();
  for (const change of changes) {
    const at = new Date(change.at);
    const name =
      day(at) === day(now)
        ? "Today"
        : day(at) === day(yesterday)
          ? "Yesterday"
          : at
              .toLocaleDateString("en-GB", { weekday: "long", day: "numeric", month: "long", year: "numeric" })
              .replace(",", "");
    groups.set(name, [...(groups.get(name) ?? []), change]);
  }
  return [...groups];
}
