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
