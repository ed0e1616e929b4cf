import { expect, it } from "vitest";
import { dragged, markEvery, rows } from "./ruler";

it("draws a /24 in one row and a /22 in four", () => {
  expect(rows({ first: 0, last: 255 })).toEqual([{ first: 0, size: 256 }]);
  expect(rows({ first: 1024, last: 2047 }).map((row) => row.first)).toEqual([1024, 1280, 1536, 1792]);
});

it("never draws more than sixteen rows", () => expect(rows({ first: 0, last: 65535 })).toHaveLength(16));

it("covers every address once", () => {
  const drawn = rows({ first: 10, last: 709 });
  expect(drawn.reduce((total, row) => total + row.size, 0)).toBe(700);
  expect(drawn[2]).toEqual({ first: 522, size: 188 });
});

it("marks at round distances that leave room for the text", () => {
  expect(markEvery(256, 1000)).toBe(16);
  expect(markEvery(20, 1000)).toBe(1);
});

it("tells a drag from a click, in both directions", () => {
  expect(dragged(40, 20)).toEqual({ first: 20, last: 40 });
  expect(dragged(40, 41)).toBeNull();
});
