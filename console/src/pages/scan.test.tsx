// A scan is ordered with a range that is checked while it is typed, followed live, and stopped with what was found.
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { AddressResult, Here, MeasureView, ScanInfo } from "../api/types";
import { openPage, rows, text, write } from "../testing/page";
import { answered, problem, StubbedService } from "../testing/stub";

const HERE = answered<Here>("/api/v1/here");
const SUMS = answered<MeasureView>("/api/v1/measure");
const DONE = answered<ScanInfo>("/api/v1/scans/1");
const RUNNING: ScanInfo = {
  ...DONE,
  state: "running",
  done_part: 0.4,
  seconds_left: 12,
  round: 1,
  rounds: 3,
  phase: "sweep" as ScanInfo["phase"],
  answered_count: 9,
};

/** A site where nothing was scanned yet: its first page offers a scan. */
const fresh = () => new StubbedService().on("GET /api/v1/here", { ...HERE, scanned: false });

describe("the order of a scan", () => {
  it("is sent as it was written, and opens the scan", async () => {
    const service = fresh().on("POST /api/v1/scans", { ...RUNNING, id: 12 });
    const { user, where } = openPage("/", service);
    const range = await screen.findByRole("textbox", { name: /^Range/ });
    await user.clear(range);
    await write(user, range, "10.44.20.0/24");
    await user.selectOptions(screen.getByRole("combobox", { name: "From adapter" }), "stage0");
    await user.click(screen.getByRole("checkbox", { name: "ask for names" }));
    await waitFor(() => expect(text()).toContain("254 addresses, private"));
    await user.click(screen.getByRole("button", { name: "Scan" }));
    await waitFor(() => expect(where()).toBe("/scans/12"));
    expect(service.edits[0]!.body).toEqual({
      targets: ["10.44.20.0/24"],
      adapter: "stage0",
      pace: 1000,
      with_names: false,
      confirm: false,
    });
  });

  it("with a wrong range says what is wrong, and where in it", async () => {
    const service = fresh().on("GET /api/v1/measure", () =>
      problem(422, "'10.44.10.300' is not an IPv4 address: 300 is over 255", {
        code: "bad_range",
        field: "range",
        start: 9,
        end: 12,
      }),
    );
    const { user } = openPage("/", service);
    const range = await screen.findByRole("textbox", { name: /^Range/ });
    await user.clear(range);
    await write(user, range, "10.44.10.300");
    expect(await screen.findByText(/300 is over 255/)).toBeTruthy();
    expect(document.querySelector("mark")!.textContent).toBe("300");
    expect(screen.getByRole("button", { name: "Scan" })).toHaveProperty("disabled", true);
  });

  it("of a huge range wants a confirmation that names the count", async () => {
    const service = fresh().on("GET /api/v1/measure", { ...SUMS, count: 16_384, needs_confirm: true, why_not: null });
    const { user } = openPage("/", service);
    const sure = await screen.findByRole("checkbox", { name: "yes, scan 16,384 addresses" });
    expect(screen.getByRole("button", { name: "Scan" })).toHaveProperty("disabled", true);
    await user.click(sure);
    expect(screen.getByRole("button", { name: "Scan" })).toHaveProperty("disabled", false);
  });

  it("of a range that is never scanned cannot be sent", async () => {
    openPage("/", fresh().on("GET /api/v1/measure", { ...SUMS, why_not: "over 1,048,576 addresses are too many" }));
    expect(await screen.findByText(/are too many/)).toBeTruthy();
    expect(screen.getByRole("button", { name: "Scan" })).toHaveProperty("disabled", true);
  });

  it("that is refused says why, and stays as it was written", async () => {
    const service = fresh().refuse("POST /api/v1/scans", "a scan of this segment runs already", 409);
    const { user } = openPage("/", service);
    await waitFor(() => expect(text()).toContain("254 addresses"));
    await user.click(screen.getByRole("button", { name: "Scan" }));
    expect(await screen.findByText(/a scan of this segment runs already/)).toBeTruthy();
  });
});

describe("a running scan", () => {
  const running = () => new StubbedService().on("GET /api/v1/scans/1", RUNNING);

  it("says how far it is and how long it takes yet", async () => {
    openPage("/scans/1", running());
    await waitFor(() => expect(text()).toContain("round 1 of 3, about 12 s left"));
    expect(screen.getByRole("progressbar").getAttribute("aria-valuenow")).toBe("40");
    expect(text()).toContain("9 answered");
    expect(text()).toContain("so far");
  });

  it("goes on by events, without being asked again", async () => {
    const service = running();
    openPage("/scans/1", service);
    await waitFor(() => expect(text()).toContain("9 answered"));
    const asked = service.asked.filter((one) => one.path === "/api/v1/scans/1").length;
    service.tell("scan", { scan: { ...RUNNING, answered_count: 31, done_part: 0.9 }, results: [] });
    await waitFor(() => expect(text()).toContain("31 answered"));
    expect(service.asked.filter((one) => one.path === "/api/v1/scans/1")).toHaveLength(asked);
  });

  it("is stopped, and what was found stays", async () => {
    const service = running();
    const { user } = openPage("/scans/1", service);
    await user.click(await screen.findByRole("button", { name: "Stop and keep" }));
    await waitFor(() => expect(service.edits.map((one) => one.path)).toEqual(["/api/v1/scans/1/stop"]));
    service.tell("scan", { scan: { ...RUNNING, state: "stopped", answered_count: 9 }, results: [] });
    await waitFor(() => expect(screen.queryByRole("button", { name: "Stop and keep" })).toBeNull());
    expect(rows().length).toBeGreaterThan(3);
  });

  it("has results that are narrowed by any fragment, of a MAC in any notation too", async () => {
    const list = answered<{ items: AddressResult[] }>("/api/v1/scans/1/addresses");
    const claim = { mac: "02:c0:88:00:01:2a", vendor: "Oxbow Vision", local: false } as AddressResult["claims"][number];
    const items = list.items.map((one, at) => (at === 1 ? { ...one, claims: [claim] } : one));
    const { user } = openPage("/scans/1", new StubbedService().on("GET /api/v1/scans/1/addresses", { ...list, items }));
    await waitFor(() => expect(rows().length).toBe(items.length));
    await write(user, screen.getByRole("searchbox", { name: "Narrow the results" }), "8800.012a");
    await waitFor(() => expect(rows().map((row) => row.textContent?.includes("02:c0:88:00:01:2a"))).toEqual([true]));
  });

  it("tells what it could not see", async () => {
    openPage(
      "/scans/1",
      new StubbedService().on("GET /api/v1/scans/1", {
        ...DONE,
        remarks: ["a second MAC for one address cannot be seen"],
      }),
    );
    expect(await screen.findByText("Note: a second MAC for one address cannot be seen.")).toBeTruthy();
  });
});
