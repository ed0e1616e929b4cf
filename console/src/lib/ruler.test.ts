import { expect, it } from "vitest";
import { dragged, grabbed, markEvery, ordered, rows, within } from "./ruler";

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

it("takes hold of the nearer edge of a band and keeps the other", () => {
  const band = { id: 1, first: 100, last: 199 };
  expect(grabbed(band, 101, 2)).toEqual({ fixed: 199 });
  expect(grabbed(band, 198, 2)).toEqual({ fixed: 100 });
  expect(grabbed(band, 150, 2)).toBeNull();
  expect(grabbed(null, 100, 2)).toBeNull();
});

it("cuts a stretch to a row", () => {
  expect(within({ first: 200, last: 300 }, { first: 256, size: 256 })).toEqual({ offset: 0, size: 45 });
  expect(within({ first: 0, last: 5 }, { first: 256, size: 256 })).toBeNull();
  expect(ordered(9, 4)).toEqual({ first: 4, last: 9 });
});
