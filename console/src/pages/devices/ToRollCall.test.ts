import { describe, expect, it } from "vitest";
import type { DeviceRow } from "../../api/types";
import { lineOf, withLines } from "./ToRollCall";

const device = (given: Partial<DeviceRow>) =>
  ({ id: 7, mac: null, address: null, called: "", ...given }) as unknown as DeviceRow;

describe("a device on a roll call", () => {
  it("is named by its MAC, else its address, with what it is called behind", () => {
    expect(lineOf(device({ mac: "02:c0:44:00:00:26", address: "10.44.10.30", called: "printer-1" }))).toBe(
      "02:c0:44:00:00:26, printer-1",
    );
    expect(lineOf(device({ address: "10.44.10.30" }))).toBe("10.44.10.30");
    expect(lineOf(device({ address: "10.44.10.30", called: 'Box "office", left' }))).toBe(
      '10.44.10.30, "Box ""office"", left"',
    );
  });
  it("is put behind the lines that are there, once", () => {
    const text = "printer-1, box office\n10.44.10.99";
    const found = withLines(text, [
      device({ mac: "02:c0:44:00:00:26", called: "Printer-1" }),
      device({ address: "10.44.10.99" }),
      device({ mac: "02:c0:44:00:00:27", called: "printer-2" }),
    ]);
    expect(found).toEqual({ text: "printer-1, box office\n10.44.10.99\n02:c0:44:00:00:27, printer-2\n", added: 1 });
    expect(withLines(found.text, [device({ mac: "02:c0:44:00:00:27" })])).toEqual({ text: found.text, added: 0 });
  });
});
