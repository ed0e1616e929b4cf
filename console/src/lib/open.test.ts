import { describe, expect, it } from "vitest";
import { moved } from "./columns";
import { parseOpen } from "./open";

describe("what is open, from the URL", () => {
  it("reads devices and addresses", () => {
    expect(parseOpen("device:12")).toEqual({ kind: "device", id: 12 });
    expect(parseOpen("finding:3")).toEqual({ kind: "finding", id: 3 });
    expect(parseOpen("address:10.44.10.41")).toEqual({ kind: "address", address: "10.44.10.41" });
  });
  it("takes nothing else for something", () => {
    for (const text of [null, "", "device:", "device:x", "device:1e3", "scan:4", "address:", "device"])
      expect(parseOpen(text)).toBeNull();
  });
});

describe("ordering columns", () => {
  const list = ["address", "name", "mac"];
  it("moves one by a step", () => {
    expect(moved(list, "mac", -1)).toEqual(["address", "mac", "name"]);
    expect(moved(list, "address", 1)).toEqual(["name", "address", "mac"]);
  });
  it("stays within the list and never loses one", () => {
    expect(moved(list, "address", -1)).toEqual(list);
    expect(moved(list, "mac", 5)).toEqual(list);
  });
});
