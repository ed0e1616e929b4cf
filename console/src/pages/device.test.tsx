// Editing a device: at the version that was shown, beside other people's edits, several at once.
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { DeviceRow } from "../api/types";
import { troublesWaiting } from "../app/Troubles";
import { openPage, rows, text, write } from "../testing/page";
import { answered, problem, StubbedService } from "../testing/stub";

const SHEET = Object.keys(answered<object>("/api/v1/here")).length ? "/devices?open=device:2" : "";
type Sheet = { device: DeviceRow };
const sheetPath = () => "/api/v1/devices/2";

/** A service with one device, whose record tests change. */
function withDevice(change: Partial<DeviceRow> = {}) {
  const service = new StubbedService();
  const recorded = answered<{ items: DeviceRow[] }>("/api/v1/devices").items[0]!;
  const device: DeviceRow = {
    ...recorded,
    id: 2,
    version: 7,
    name: "Box office printer",
    role: "printer",
    owner: "Box office",
    place: "Counter 2",
    notes: "",
    ...change,
  };
  const template = Object.entries(recordedSheets())[0]![1];
  service.on(`GET ${sheetPath()}`, () => ({ ...template, device }));
  return { service, device };
}
const recordedSheets = () => ({ sheet: answered<Sheet>(firstSheet()) });
const firstSheet = () => {
  for (let id = 1; id < 400; id++)
    try {
      answered(`/api/v1/devices/${id}`);
      return `/api/v1/devices/${id}`;
    } catch {
      continue;
    }
  throw new Error("no device was recorded");
};
const field = (name: string) => screen.findByRole("textbox", { name });

describe("the form of a device", () => {
  it("saves only what was changed, at the version that was shown", async () => {
    const { service, device } = withDevice();
    service.on("PATCH /api/v1/devices/2", () => Object.assign(device, { version: 8, place: "Counter 3" }));
    const { user } = openPage(SHEET, service);
    const place = await field("Place");
    expect(screen.getByRole("button", { name: "Save" })).toHaveProperty("disabled", true);
    await user.clear(place);
    await write(user, place, "Counter 3");
    await user.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => expect(service.edits).toHaveLength(1));
    expect(service.edits[0]).toMatchObject({
      path: "/api/v1/devices/2",
      version: "7",
      body: { place: "Counter 3", with_hostname: false },
    });
    await waitFor(() => expect(screen.getByRole("button", { name: "Save" })).toHaveProperty("disabled", true));
  });

  it("can be put back as it was", async () => {
    const { service } = withDevice();
    const { user } = openPage(SHEET, service);
    await write(user, await field("Owner"), " and bar");
    await user.click(screen.getByRole("button", { name: "Discard" }));
    expect(await field("Owner")).toHaveProperty("value", "Box office");
    expect(service.edits).toEqual([]);
  });

  it("shows what somebody else saved, as long as nothing is being written", async () => {
    const { service, device } = withDevice();
    openPage(SHEET, service);
    expect(await field("Name")).toHaveProperty("value", "Box office printer");
    service.on(`GET ${sheetPath()}`, {
      ...recordedSheets().sheet,
      device: { ...device, version: 8, name: "Till printer" },
    });
    service.tell("devices", { ids: [2], edited: true });
    await waitFor(async () => expect(await field("Name")).toHaveProperty("value", "Till printer"));
  });

  it("shows both versions when it is stale, and loses neither", async () => {
    const { service, device } = withDevice();
    const stale = () => {
      Object.assign(device, { version: 9, place: "Foyer" }); // it is read again, and must be then what somebody else saved
      return problem(412, "it was changed since", { code: "stale", version: 9, current: { place: "Foyer" } });
    };
    service.on("PATCH /api/v1/devices/2", stale);
    const { user } = openPage(SHEET, service);
    const place = await field("Place");
    await user.clear(place);
    await write(user, place, "Bar");
    await user.click(screen.getByRole("button", { name: "Save" }));
    const both = await screen.findByRole("alert");
    expect(both.textContent).toContain("Somebody else saved this device");
    await waitFor(() => expect(troublesWaiting()).toBe(0));
    expect(screen.getAllByRole("alert")).toEqual([both]); // it is told once
    const row = within(both).getByRole("row", { name: /place/ });
    expect([...row.querySelectorAll("td")].map((one) => one.textContent)).toEqual(["Bar", "Foyer"]);
    service.on("PATCH /api/v1/devices/2", () => Object.assign(device, { version: 10, place: "Bar" }));
    await user.click(screen.getByRole("button", { name: "Save mine over it" }));
    await waitFor(() => expect(service.edits.at(-1)).toMatchObject({ version: "9", body: { place: "Bar" } }));
    await waitFor(async () => expect(await field("Place")).toHaveProperty("value", "Bar"));
  });

  it("takes theirs when asked to, without another edit", async () => {
    const { service, device } = withDevice();
    service.on("PATCH /api/v1/devices/2", () => {
      Object.assign(device, { version: 9, place: "Foyer" });
      return problem(412, "stale", { code: "stale", version: 9, current: { place: "Foyer" } });
    });
    const { user } = openPage(SHEET, service);
    await write(user, await field("Place"), "!");
    await user.click(screen.getByRole("button", { name: "Save" }));
    await user.click(await screen.findByRole("button", { name: "Take theirs" }));
    expect(await field("Place")).toHaveProperty("value", "Foyer");
    expect(service.edits).toHaveLength(1);
  });

  it("says why it was refused, and keeps what was written", async () => {
    const { service } = withDevice();
    service.refuse("PATCH /api/v1/devices/2", "another device is called that", 409);
    const { user } = openPage(SHEET, service);
    await write(user, await field("Name"), " 2");
    await user.click(screen.getByRole("button", { name: "Save" }));
    expect((await screen.findByText("another device is called that.")).getAttribute("role")).toBe("alert");
    expect(await field("Name")).toHaveProperty("value", "Box office printer 2");
  });
});

describe("several devices", () => {
  async function selected(service: StubbedService) {
    const { user } = openPage("/devices", service);
    await waitFor(() => expect(text()).toContain("Tolvane Networks"));
    for (const row of rows().slice(0, 2)) await user.click(within(row).getByRole("checkbox"));
    expect(text()).toContain("2 devices selected");
    return user;
  }
  const picked = answered<{ items: DeviceRow[] }>("/api/v1/devices/positions")
    .items.slice(0, 2)
    .map(({ id, version }) => ({ id, version }));

  it("get a place at once, each at the version that was shown", async () => {
    const service = new StubbedService();
    const user = await selected(service);
    expect(screen.getByRole("button", { name: "Set for all" })).toHaveProperty("disabled", true);
    await write(user, screen.getByRole("textbox", { name: "Place for all" }), "Rack 1");
    await user.click(screen.getByRole("button", { name: "Set for all" }));
    await waitFor(() => expect(service.edits).toHaveLength(1));
    expect(service.edits[0]).toMatchObject({
      path: "/api/v1/devices/bulk",
      body: { devices: picked, place: "Rack 1" },
    });
    await waitFor(() => expect(text()).not.toContain("devices selected"));
  });

  it("stay selected and as they were when it is refused", async () => {
    const service = new StubbedService().refuse("POST /api/v1/devices/bulk", "one of them was changed since", 412);
    const user = await selected(service);
    await write(user, screen.getByRole("textbox", { name: "Owner for all" }), "House");
    await user.click(screen.getByRole("button", { name: "Set for all" }));
    expect(await screen.findByText("one of them was changed since; nothing was set.")).toBeTruthy();
    expect(text()).toContain("2 devices selected");
  });

  it("are asked of the service as they are filtered and sorted", async () => {
    const { user, service, where } = openPage("/devices");
    await write(user, await screen.findByRole("searchbox", { name: "Search devices" }), "printer");
    await waitFor(() => expect(where()).toContain("q=printer"));
    await user.click(screen.getByRole("checkbox", { name: "nobody has named or planned" }));
    await waitFor(() => expect(where()).toContain("unknown=true"));
    await user.click(screen.getByRole("button", { name: "vendor" }));
    await waitFor(() => {
      const last = service.asked.findLast((one) => one.path === "/api/v1/devices/positions")!.query;
      expect(Object.fromEntries(last)).toMatchObject({ q: "printer", unknown: "true", sort: "vendor" });
    });
    await user.click(screen.getByRole("button", { name: "vendor" }));
    await waitFor(() => expect(where()).toContain("descending=true"));
  });

  it("that match nothing are no empty roster", async () => {
    openPage("/devices?q=zzz", new StubbedService().empty());
    expect(await screen.findByText(/No device matches/)).toBeTruthy();
    expect(text()).not.toContain("The roster is empty");
  });
});
