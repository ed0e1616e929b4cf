import { expect, test } from "vitest";
import type { KeptPort } from "../api/types";
import { height, look, sinceSaid } from "./ports";

const port = (given: Partial<KeptPort>) =>
  ({ wanted: "up", link: "up", tree: "", uplink: false, behind_count: 0, behind: [], ...given }) as KeptPort;

test("a port is drawn by what it is, not by its colour", () => {
  expect(look(port({ wanted: "down", link: "down" }))).toBe("off");
  expect(look(port({ link: "lower layer down" }))).toBe("none");
  expect(look(port({ uplink: true, tree: "blocking" }))).toBe("blocked");
  expect(look(port({ uplink: true, tree: "root" }))).toBe("uplink");
  expect(look(port({ behind_count: 1 }))).toBe("edge");
  expect(look(port({}))).toBe("quiet");
});

test("more of them stand higher, and many hundred fill the strip", () => {
  const heights = [0, 1, 2, 12, 400, 9000].map((behind_count) =>
    height(port({ behind_count, uplink: behind_count > 9 })),
  );
  expect(heights).toEqual([...heights].sort((a, b) => a - b));
  expect(heights.at(-1)).toBe(1);
});

test("a line ends with since when, or that nobody was ever there", () => {
  const now = new Date(2026, 10, 28, 15);
  const first_seen = new Date(2026, 10, 24).toISOString();
  expect(sinceSaid(port({ behind_count: 1, behind: [{ first_seen }] as KeptPort["behind"] }), now)).toBe(
    "since Tuesday",
  );
  const begun = { behind_count: 1, behind: [{ first_seen, at_least: true }] as KeptPort["behind"] };
  expect(sinceSaid(port(begun), now)).toBe("at least since Tuesday");
  expect(sinceSaid(port({ link: "down", last_seen: new Date(2026, 2, 3).toISOString() }), now)).toBe("since 3 March");
  expect(sinceSaid(port({ link: "down", last_seen: null }), now)).toBe("and nobody was seen there yet");
});
