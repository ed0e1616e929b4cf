// Bringing devices in: beginning, each step of one device, several at once, and the kinds that the site knows.
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { FittedView, FittingView } from "../api/types";
import { openPage, text, write } from "../testing/page";
import { answered, StubbedService } from "../testing/stub";
import { macsOf } from "./fitting/NewFitting";

const FITTING = answered<FittingView>("/api/v1/fittings/1");
const DEVICE = FITTING.devices[0]!;
const press = (name: string | RegExp) => screen.findByRole("button", { name });
const field = (name: string | RegExp) => screen.findByLabelText(name);

/** A service whose only fitting has these devices. */
function withDevices(...changes: Partial<FittedView>[]) {
  const devices = changes.map((change, place) => ({ ...DEVICE, id: place + 1, ...change }));
  const fitting = { ...FITTING, devices, device_count: devices.length };
  return { service: new StubbedService().on("GET /api/v1/fittings/1", () => fitting), fitting };
}

describe("the MACs of a text", () => {
  it.each([
    ["02:c0:44:0c:00:01", ["02:c0:44:0c:00:01"]],
    [" 02-C0-44-0C-00-01 \n\n 02c0.440c.0002,02C0440C0003;", ["02-C0-44-0C-00-01", "02c0.440c.0002", "02C0440C0003"]],
    ["  \n ", []],
  ])("of %j", (given, found) => expect(macsOf(given)).toEqual(found));
});

describe("a new fitting", () => {
  async function begun(service = new StubbedService()) {
    const { user, where } = openPage("/fittings", service);
    await user.click(await press("New device…"));
    return { user, where, service };
  }

  it("is begun with what stands on the label, and goes to its own page", async () => {
    const service = new StubbedService().on("POST /api/v1/fittings", () => FITTING);
    const { user, where } = await begun(service);
    expect(await press("Begin")).toHaveProperty("disabled", true);
    await write(user, await field(/^The MAC on its label/), "02-C0-44-0C-00-02");
    await user.selectOptions(await field("Kind"), "Quillmark Q20");
    expect(await field("Role")).toHaveProperty("value", "printer");
    await write(user, await field("Subnet or band"), "Office");
    await write(user, await field(/^Hostname/), "printer-5");
    await user.click(await press("Begin"));
    await waitFor(() => expect(where()).toBe("/fittings/1"));
    expect(service.edits[0]!.body).toEqual({
      macs: ["02-C0-44-0C-00-02"],
      kind: "Quillmark Q20",
      role: "printer",
      where: "Office",
      name: "printer-5",
      address: "",
      policy: null,
      anyway: false,
    });
  });

  it("of several asks for no address, and says how their names are counted", async () => {
    const { user } = await begun();
    expect(screen.queryByLabelText(/^Address/)).not.toBeNull();
    await write(user, await field(/^The MAC on its label/), "02c0440c0002\n02c0440c0003\n02c0440c0004");
    expect(text()).toContain("3 devices");
    expect(text()).toContain("with {n} for the number");
    expect(screen.queryByLabelText(/^Address/)).toBeNull();
  });

  it("shows what is wrong at the field that it is about", async () => {
    const service = new StubbedService().refuse("POST /api/v1/fittings", "there is no subnet 'Offic'; is it Office", 422, {
      field: "where",
    });
    const { user } = await begun(service);
    await write(user, await field(/^The MAC on its label/), "02c0440c0002");
    await write(user, await field("Subnet or band"), "Offic");
    await user.click(await press("Begin"));
    const said = await screen.findByText("there is no subnet 'Offic'; is it Office.");
    expect(said.closest("label")?.textContent).toContain("Subnet or band");
    expect(await field(/^Subnet or band/)).toHaveProperty("value", "Offic");
    expect(screen.queryByRole("button", { name: "Begin all the same" })).toBeNull();
  });

  it("is begun against a warning only by a second press", async () => {
    const service = new StubbedService().refuse("POST /api/v1/fittings", "10.44.10.30 is not known to be free", 409, {
      anyway: true,
    });
    const { user, where } = await begun(service);
    await write(user, await field(/^The MAC on its label/), "02c0440c0002");
    await user.click(await press("Begin"));
    expect((await screen.findByRole("alert")).textContent).toBe("10.44.10.30 is not known to be free.");
    service.on("POST /api/v1/fittings", () => FITTING);
    await user.click(await press("Begin all the same"));
    await waitFor(() => expect(where()).toBe("/fittings/1"));
    expect(service.edits.map((one) => (one.body as { anyway: boolean }).anyway)).toEqual([false, true]);
  });

  it("takes a MAC from those that just appeared, by the last digits of the label", async () => {
    const now = new Date().toISOString();
    const row = answered<{ items: object[] }>("/api/v1/devices").items[0]!;
    const items = ["02:c0:44:0c:00:02", "02:c0:44:0c:00:13"].map((mac, id) => ({ ...row, id, mac, first_seen: now }));
    items.push({ ...row, id: 9, mac: "02:c0:44:0c:99:13", first_seen: "2020-01-01T00:00:00Z" });
    const service = new StubbedService().on("GET /api/v1/devices", () => ({ items, next: null, total: 3 }));
    const { user } = await begun(service);
    await user.click(await press("It just appeared…"));
    await screen.findByText("02:c0:44:0c:00:02");
    expect(screen.queryByText("02:c0:44:0c:99:13")).toBeNull();
    await write(user, await field("The last digits of the label"), "00-13");
    await waitFor(() => expect(screen.queryByText("02:c0:44:0c:00:02")).toBeNull());
    await user.click(await press(/^02:c0:44:0c:00:13/));
    expect(await field(/^The MAC on its label/)).toHaveProperty("value", "02:c0:44:0c:00:13");
    expect(text()).toContain("Nothing new that ends so");
  });
});

describe("one device of a fitting", () => {
  it("says large what to do, what speaks against it, and which steps are passed", async () => {
    const { service } = withDevices({});
    openPage("/fittings/1", service);
    const now = await screen.findByRole("region", { name: "Now" });
    expect(now.textContent).toContain("Type it in once more, and store it: press Store on the last page.");
    expect(now.textContent).toContain("Back at 192.168.50.10 on office0: typed in but not stored.");
    expect(within(now).getByRole("link", { name: "Open its page" }).getAttribute("href")).toBe(DEVICE.page);
    expect(screen.getAllByRole("img").map((one) => one.getAttribute("aria-label"))).toEqual(
      DEVICE.steps.map((one) => one.state),
    );
  });

  it("copies a value with one press", async () => {
    const { service } = withDevices({});
    const { user } = openPage("/fittings/1", service);
    const copied = vi.spyOn(navigator.clipboard, "writeText");
    await user.click(await press("Copy gateway"));
    expect(copied).toHaveBeenCalledWith("10.44.10.1");
  });

  it("is reached with an address that is lent, and the address is taken back", async () => {
    const { service, fitting } = withDevices({ step: "reach" });
    const lent = { adapter: "office0", address: "192.168.50.77", until: "2026-12-01T13:05:00Z" };
    const after = { ...fitting, devices: [{ ...fitting.devices[0]!, reach: { ...DEVICE.reach!, lent } }] };
    service.on("POST /api/v1/fittings/1/lend", () => after).on("POST /api/v1/fittings/1/take-back", () => fitting);
    const { user } = openPage("/fittings/1", service);
    await user.click(await press("Let this machine reach it"));
    service.on("GET /api/v1/fittings/1", () => after);
    await waitFor(() => expect(text()).toContain("office0 has 192.168.50.77 to reach it"));
    service.on("GET /api/v1/fittings/1", () => fitting);
    await user.click(await press("Take it back"));
    await press("Let this machine reach it");
    expect(service.edits.map((one) => one.body)).toEqual([{ fitted_id: 1 }, { fitted_id: 1 }]);
  });

  it("is answered from here only with consent", async () => {
    const reach = { ...DEVICE.reach!, answer_refused: "", bootp: true };
    const { service, fitting } = withDevices({ step: "reach", reach });
    service.refuse("POST /api/v1/fittings/1/answer", "a DHCP server answers on this link", 409);
    const { user } = openPage("/fittings/1", service);
    expect(await press("Answer it")).toHaveProperty("disabled", true);
    expect(text()).toContain("By BOOTP it keeps the address until it is told otherwise.");
    await user.click(screen.getByRole("checkbox"));
    await user.click(await press("Answer it"));
    expect((await screen.findByRole("alert")).textContent).toBe("a DHCP server answers on this link.");
    expect(service.edits[0]!.body).toEqual({ fitted_id: 1, consent: true });
    const answering = { ...reach, answering: true, answer_said: "it is answered until 13:10" };
    const now = { ...fitting, devices: [{ ...fitting.devices[0]!, reach: answering }] };
    service.on("POST /api/v1/fittings/1/answer", () => now).on("GET /api/v1/fittings/1", () => now);
    await user.click(await press("Answer it"));
    await press("Answer no more");
    expect(text()).toContain("It is answered until 13:10.");
  });

  it("is recorded with its place, and the kind of its fitting", async () => {
    const { service, fitting } = withDevices({ step: "record", said: "write down where it stands", against: "" });
    const done = { ...fitting, devices: [{ ...fitting.devices[0]!, state: "done", step: "done", said: "in place" }] };
    service.on("POST /api/v1/fittings/1/record", () => done);
    const { user } = openPage("/fittings/1", service);
    await write(user, await field("Where it stands"), "Box office");
    service.on("GET /api/v1/fittings/1", () => done);
    await user.click(await press("In place"));
    await waitFor(() => expect(screen.queryByRole("form", { name: "Record" })).toBeNull());
    expect(service.edits[0]!.body).toEqual({
      fitted_id: 1, name: "", place: "Box office", owner: "", notes: "", kind: "Quillmark Q20",
    });
    expect(screen.getByRole("region", { name: "Now" }).textContent).toContain("Over");
    expect(screen.queryByRole("button", { name: "Give this device up…" })).toBeNull();
  });

  it("is given up by a second press only, and keeps standing when that is refused", async () => {
    const { service } = withDevices({});
    service.refuse("POST /api/v1/fittings/1/give-up", "it is being recorded", 409);
    const { user } = openPage("/fittings/1", service);
    await user.click(await press("Give this device up…"));
    expect(service.edits).toEqual([]);
    await user.click(await press("Yes: 10.44.10.34 is free again"));
    await waitFor(() => expect(text()).toContain("it is being recorded."));
    expect(service.edits[0]!.body).toEqual({ fitted_ids: [1] });
  });
});

describe("several devices of a fitting", () => {
  const three = () => withDevices({ name: "camera-1" }, { name: "camera-2", against: "" }, { name: "camera-3", state: "done" });

  it("stand in a list, each at its own step, and one opens", async () => {
    const { service } = three();
    const { user, where } = openPage("/fittings/1", service);
    const list = await screen.findByRole("list", { name: "Devices" });
    expect(within(list).getAllByRole("button").map((one) => one.textContent?.slice(0, 8))).toEqual([
      "camera-1", "camera-2", "camera-3",
    ]);
    await user.click(within(list).getByRole("button", { name: /^camera-2/ }));
    expect(where()).toBe("/fittings/1?device=2");
    expect((await screen.findByRole("article")).getAttribute("aria-label")).toBe("camera-2");
    await user.click(await press("3 devices of this one"));
    expect(where()).toBe("/fittings/1");
  });

  it("are given up together, those that are not over", async () => {
    const { service, fitting } = three();
    service.on("POST /api/v1/fittings/1/give-up", () => fitting);
    const { user } = openPage("/fittings/1", service);
    await user.click(await press("Give up…"));
    await user.click(await press("Yes: give 2 devices up"));
    await waitFor(() => expect(service.edits[0]?.body).toEqual({ fitted_ids: [] }));
  });
});

describe("the kinds of devices", () => {
  it("are changed at the version that was shown", async () => {
    const service = new StubbedService();
    const { user } = openPage("/fittings", service);
    await user.click(await press("Change"));
    const form = await screen.findByRole("form", { name: "Change Quillmark Q20" });
    await write(user, within(form).getByLabelText(/^To reset it/), "hold Feed for ten seconds");
    await user.click(within(form).getByRole("button", { name: "Save" }));
    await waitFor(() => expect(service.edits).toHaveLength(1));
    expect(service.edits[0]).toMatchObject({
      method: "PATCH",
      path: "/api/v1/kinds/1",
      version: "32",
      body: { reset: "hold Feed for ten seconds", factory: "192.168.50.10/24" },
    });
    await waitFor(() => expect(screen.queryByRole("form", { name: "Change Quillmark Q20" })).toBeNull());
  });

  it("are imported from a file, and the counts are shown", async () => {
    const counts = { added_count: 2, changed_count: 1, same_count: 4 };
    const service = new StubbedService().on("POST /api/v1/kinds/file", () => counts);
    const { user } = openPage("/fittings", service);
    const file = new File(['{"kinds": []}'], "kinds.json", { type: "application/json" });
    await user.upload(await field("A library of kinds"), file);
    expect((await screen.findByText("2 new kinds, 1 changed, 4 as they were.")).getAttribute("role")).toBe("status");
    expect(service.edits[0]!.body).toEqual({ text: '{"kinds": []}' });
  });

  it("stay when their removal is refused", async () => {
    const service = new StubbedService().refuse("DELETE /api/v1/kinds/1", "a fitting of it is open", 409);
    const { user } = openPage("/fittings", service);
    await user.click(await press("Remove"));
    expect((await screen.findByText("a fitting of it is open.")).getAttribute("role")).toBe("alert");
    expect(text()).toContain("Quillmark Q20");
  });
});
