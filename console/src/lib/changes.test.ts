import { describe, expect, it, test } from "vitest";
import { byDay, what } from "./changes";

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

describe("days", () => {
  it("stand over the changes made on them, the latest first", () => {
    const now = new Date(2026, 10, 27, 9, 0);
    const at = (...when: [number, number, number, number]) => ({ at: new Date(...when).toISOString() });
    const made = [at(2026, 10, 27, 8), at(2026, 10, 27, 0), at(2026, 10, 26, 23), at(2026, 9, 2, 12)];
    expect(byDay(made, now).map(([day, changes]) => [day, changes.length])).toEqual([
      ["Today", 2],
      ["Yesterday", 1],
      ["Friday 2 October 2026", 1],
    ]);
  });
});
