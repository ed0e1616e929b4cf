import { describe, expect, it } from "vitest";
import { addressNumber, addressText, ago, duration, plural, subnetBounds } from "./format";

const NOW = Date.parse("2026-11-23T12:00:00Z");

describe("times", () => {
  it("says how long ago in the unit a person would use", () => {
    expect(ago("2026-11-23T11:59:57Z", NOW)).toBe("just now");
    expect(ago("2026-11-23T11:59:00Z", NOW)).toBe("60 s ago");
    expect(ago("2026-11-23T11:00:00Z", NOW)).toBe("60 min ago");
    expect(ago("2026-11-21T12:00:00Z", NOW)).toBe("2 d ago");
    expect(ago(null, NOW)).toBe("never");
  });
  it("never says a time in the future", () => expect(ago("2026-11-23T12:00:30Z", NOW)).toBe("just now"));
  it("shortens durations", () => {
    expect(duration(1.46)).toBe("1.5 s");
    expect(duration(50340)).toBe("13 h 59 min");
  });
});

describe("addresses", () => {
  it("go to numbers and back, also above 127", () => {
    for (const text of ["0.0.0.0", "10.44.10.41", "192.168.200.10", "255.255.255.255"])
      expect(addressText(addressNumber(text))).toBe(text);
  });
  it("knows where a subnet begins and how large it is", () =>
    expect(subnetBounds("10.44.64.0/22")).toEqual({ first: addressNumber("10.44.64.0"), size: 1024 }));
});

it("counts in words", () => {
  expect(plural(1, "device")).toBe("1 device");
  expect(plural(20000, "device")).toBe("20,000 devices");
});
