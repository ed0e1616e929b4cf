import { expect, test } from "vitest";
import { when } from "./since";

const now = new Date(2026, 10, 28, 15, 0);
const said = (...parts: [number, number, number, number?, number?]) => when(new Date(...parts).toISOString(), now);

test("a time reads as people say it", () => {
  expect(said(2026, 10, 28, 9, 5)).toBe("09:05");
  expect(said(2026, 10, 24, 9, 5)).toBe("Tuesday");
  expect(said(2026, 2, 3)).toBe("3 March");
  expect(said(2024, 2, 3)).toBe("3 March 2024");
});
