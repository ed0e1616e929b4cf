import { expect, test } from "vitest";
import type { ScanInfo } from "../api/types";
import { later } from "./scan";

const scan = (state: ScanInfo["state"], seconds: number, id = 1) => ({ id, state, seconds }) as ScanInfo;

test("a scan that has ended does not run again because an older answer came late", () => {
  expect(later(scan("running", 0), scan("done", 3)).state).toBe("done");
  expect(later(scan("done", 3), scan("running", 2)).state).toBe("done");
});

test("of two reports of a running scan the later one counts, and one alone as it is", () => {
  expect(later(scan("running", 1), scan("running", 2)).seconds).toBe(2);
  expect(later(scan("running", 2), scan("running", 1)).seconds).toBe(2);
  expect(later(scan("running", 1), undefined).seconds).toBe(1);
  expect(later(scan("running", 1), scan("done", 9, 2)).id).toBe(1);
});
