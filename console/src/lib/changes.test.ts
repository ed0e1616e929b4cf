import { expect, test } from "vitest";
import { what, when } from "./changes";

test("an edit tells what was and what is", () => {
  expect(what({ action: "set", before: { name: "", role: "printer" }, after: { name: "Foyer", role: "camera" } })).toBe(
    "name: nothing → “Foyer”, role: “printer” → “camera”",
  );
  expect(what({ action: "undo", before: { on: true }, after: { on: false } })).toBe("undo, on: “true” → “false”");
});

test("an edit of several things at once tells what was set", () => {
  expect(what({ action: "set", before: null, after: { owner: "Wardrobe" } })).toBe("owner: “Wardrobe”");
});

test("what came or went is told with its values, empty ones left out", () => {
  expect(what({ action: "assign", before: null, after: { address: "10.44.10.30", note: "", mac: null } })).toBe(
    "assign: address 10.44.10.30",
  );
  expect(what({ action: "release", before: { address: "10.44.10.30" }, after: null })).toBe(
    "release: address 10.44.10.30",
  );
  expect(what({ action: "join", before: null, after: null })).toBe("join");
});

test("when it was is told by the day", () => {
  const now = new Date(2026, 10, 27, 9, 0);
  const told = (...at: [number, number, number, number]) => when(new Date(...at).toISOString(), now);
  expect(told(2026, 10, 27, 8)).toBe("Today 08:00");
  expect(told(2026, 10, 26, 23)).toBe("Yesterday 23:00");
  expect(told(2026, 9, 2, 12)).toBe("2 Oct 2026 12:00");
});
