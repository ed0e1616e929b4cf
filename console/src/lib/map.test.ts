import { describe, expect, it } from "vitest";
import { fitted, linePath, markAt, marksPath, portUnder, wordPlace, zoomed } from "./map";

const strip = { x: 100, y: 50, width: 116, height: 40, marks: "+^-x" };

describe("the map", () => {
  it("fits whole into the window, and is never larger than drawn", () => {
    expect(fitted({ width: 2000, height: 500 }, { width: 1048, height: 800 })).toEqual({ scale: 0.5, x: 24, y: 275 });
    expect(fitted({ width: 200, height: 100 }, { width: 1000, height: 800 }).scale).toBe(1);
  });
  it("keeps what is under the pointer where it is", () => {
    const sight = zoomed({ x: 10, y: 20, scale: 1 }, 2, { x: 110, y: 120 });
    expect(sight).toEqual({ scale: 2, x: -90, y: -80 });
    expect(zoomed(sight, 100, { x: 0, y: 0 }).scale).toBe(3);
  });
  it("knows the port under a point, and none above the marks", () => {
    expect(markAt(strip, 0)).toBe(120.5);
    expect(portUnder(strip, 121, 85)).toBe(0);
    expect(portUnder(strip, 199, 85)).toBe(3);
    expect(portUnder(strip, 121, 55)).toBeNull();
    expect(portUnder(strip, 101, 85)).toBeNull();
  });
  it("draws the marks of one kind as one path", () => {
    expect(marksPath(strip, "^")).toBe("M145.5 84v-14");
    expect(marksPath(strip, "x")).toContain("m-1.5 -6");
    expect(
      linePath([
        [0, 0],
        [0, 9],
        [5, 9],
      ]),
    ).toBe("M0 0L0 9L5 9");
    expect(
      wordPlace([
        [0, 0],
        [0, 9],
        [50, 9],
        [50, 20],
      ]),
    ).toEqual({ x: 25, y: 9 });
  });
});
