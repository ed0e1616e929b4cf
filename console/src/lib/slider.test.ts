import { describe, expect, it } from "vitest";
import { bucketHeights } from "./slider";

describe("marks of the time strip", () => {
  it("shows the busiest part at full height and nothing as nothing", () => {
    expect(bucketHeights([0, 100, 25])).toEqual([0, 1, 0.5]);
  });
  it("keeps a single change visible beside a busy day", () => {
    expect(bucketHeights([1, 10_000])[0]).toBeCloseTo(1 / 6);
    expect(bucketHeights([])).toEqual([]);
  });
});
