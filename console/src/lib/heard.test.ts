import { describe, expect, it } from "vitest";
import { heardSince } from "./heard";

describe("heard since its last answer", () => {
  it("is told only where it was a while after the answer", () => {
    const at = (seen: string | null, heard: string | null) => heardSince({ last_seen: seen, heard_at: heard });
    expect(at("2026-03-01T14:00:00Z", "2026-03-01T14:05:00Z")).toBe(true);
    expect(at("2026-03-01T14:00:00Z", "2026-03-01T14:00:30Z")).toBe(false);
    expect(at("2026-03-01T14:05:00Z", "2026-03-01T14:00:00Z")).toBe(false);
    expect(at("2026-03-01T14:05:00Z", null)).toBe(false);
    expect(at(null, "2026-03-01T14:05:00Z")).toBe(true);
  });
});
