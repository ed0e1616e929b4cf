// Switching ports, and what people say of links: nothing is ordered that was not shown, named and consented to.
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { KeptPort, LinkPage, PortOrderView, PortSwitching } from "../api/types";
import { openPage, text, write } from "../testing/page";
import { answered, type Asked, StubbedService } from "../testing/stub";

const PORT = answered<{ port: KeptPort }>("/api/v1/ports/31").port;
const press = (name: string | RegExp) => screen.findByRole("button", { name });
const LINKS = answered<LinkPage>("/api/v1/links");
const KNOWN = {
  port: { id: PORT.id, name: PORT.name },
  on: true,
  behind: PORT.behind,
  way: ["switch-office-1 port 5"],
  refusals: [] as string[],
  warnings: ["phone-201 has its power from it"],
  power: false,
  credentials: [{ id: 1, name: "machinist" }],
  ask_for: "phone-201",
  grounds: [{ said: "switch-office-2 has learnt this service at port 25", at: "2026-12-01T12:59:50Z" }],
  unverified: [],
  power_unverified: [],
} as unknown as PortSwitching;
const DONE = { id: 1, what: "link", to: "off", who: "console", at: "2026-12-01T13:00:00Z" } as unknown as PortOrderView;

async function shown(known: Partial<PortSwitching>, service = new StubbedService()) {
  service.on("POST /api/v1/ports/31/switching", () => ({ ...KNOWN, ...known }));
  const { user } = openPage("/switches/2?open=port:31", service);
  await user.click(await press("See what is connected to it…"));
  return { user, service, orders: () => service.edits.filter((one) => one.path.endsWith("/orders")) };
}

describe("switching a port off", () => {
  it("asks for the name of the connected device, and for a credential", async () => {
    const service = new StubbedService();
    const done = { ...DONE, state: "off for now", said: "port 5 is off", until: "2026-12-01T13:00:30Z" };
    service.on("POST /api/v1/ports/31/orders", () => done);
    const { user, orders } = await shown({}, service);
    const off = await press("Switch it off");
    expect(text()).toContain("Connected: desk-bookings, phone-201.");
    expect(text()).toContain("What is known of it (1)");
    expect(text()).toContain("Phone-201 has its power from it.");
    await user.selectOptions(screen.getByLabelText("By a credential with write access"), "machinist");
    await write(user, screen.getByLabelText("Type “phone-201”"), "phone-20");
    expect(off).toHaveProperty("disabled", true);
    await write(user, screen.getByLabelText("Type “phone-201”"), "1 ");
    await user.click(off);
    await waitFor(() => expect(text()).toContain("Port 5 is off. It comes back at"));
    expect(orders().map((one) => one.body)).toEqual([
      { what: "link", to: "off", credential: "machinist", name: "phone-201 ", for_seconds: 30, weak: false, my_device: "", consents: [] },
    ]);
  });

  it("asks for a consent to what is not verified by that credential, sentence by sentence", async () => {
    const service = new StubbedService();
    service.on("POST /api/v1/ports/31/orders", () => ({ ...DONE, state: "done", said: "port 5 is off" }));
    const { user, orders } = await shown({}, service);
    const sentence = "what switch-office-2 tells: it was read by SNMP version 2c";
    service.on("POST /api/v1/ports/31/switching", () => ({ ...KNOWN, unverified: [sentence] }));
    await user.selectOptions(await screen.findByLabelText("By a credential with write access"), "machinist");
    await write(user, screen.getByLabelText("Type “phone-201”"), "phone-201");
    await waitFor(() => expect(text()).toContain("What switch-office-2 tells: it was read by SNMP version 2c."));
    expect(service.asked.filter((one) => one.path.endsWith("/switching")).at(-1)?.query.get("by")).toBe("machinist");
    const off = await press("Switch it off");
    expect(off).toHaveProperty("disabled", true);
    await user.click(screen.getByLabelText("I have checked that myself"));
    await user.click(off);
    await waitFor(() => expect(orders().map((one) => (one.body as { consents: string[] }).consents)).toEqual([[sentence]]));
  });

  it("asks anew where another credential means other sentences", async () => {
    const service = new StubbedService();
    const credentials = ["machinist", "rigging"].map((name, id) => ({ id, name }));
    const { user } = await shown({ credentials }, service);
    service.on("POST /api/v1/ports/31/switching", (asked: Asked) => ({
      ...KNOWN,
      credentials,
      unverified: [`what is read by ${asked.query.get("by")}`],
    }));
    await user.selectOptions(await screen.findByLabelText("By a credential with write access"), "machinist");
    await user.click(await screen.findByLabelText("I have checked that myself"));
    await write(user, screen.getByLabelText("Type “phone-201”"), "phone-201");
    expect(await press("Switch it off")).toHaveProperty("disabled", false);
    await user.selectOptions(screen.getByLabelText("By a credential with write access"), "rigging");
    await waitFor(() => expect(text()).toContain("What is read by rigging."));
    expect(screen.getByLabelText("I have checked that myself")).toHaveProperty("checked", false);
    expect(await press("Switch it off")).toHaveProperty("disabled", true);
  });

  it("follows an order until its switch has answered", async () => {
    const service = new StubbedService();
    service.on("POST /api/v1/ports/31/orders", () => ({ ...DONE, state: "sent", said: "port 5 was told to be off" }));
    service.on("GET /api/v1/port-orders/1", () => ({ ...DONE, state: "not known", said: "whether port 5 is off is not known" }));
    const { user } = await shown({}, service);
    await user.selectOptions(await screen.findByLabelText("By a credential with write access"), "machinist");
    await write(user, screen.getByLabelText("Type “phone-201”"), "phone-201");
    await user.click(await press("Switch it off"));
    await waitFor(() => expect(text()).toContain("Whether port 5 is off is not known."));
  });

  it("sends the person's own device, for browsers behind a proxy", async () => {
    const service = new StubbedService().on("POST /api/v1/ports/31/switching", KNOWN);
    const { user } = openPage("/switches/2?open=port:31", service);
    await write(user, await screen.findByRole("textbox", { name: /Your device/ }), "switch-office-2:7");
    await user.click(screen.getByRole("button", { name: "See what is connected to it…" }));
    await press("Switch it off");
    const asked = service.asked.filter((one) => one.path.endsWith("/switching"));
    expect(asked.map((one) => one.query.get("my_device"))).toEqual(["switch-office-2:7"]);
  });

  it("is not offered where the guard refuses it, and says why", async () => {
    await shown({ refusals: ["switch-office-2 is connected to it", "it is on the path to the gateway"] });
    await waitFor(() => expect(text()).toContain("It cannot be switched off:"));
    expect(screen.getAllByRole("listitem").map((one) => one.textContent)).toEqual(
      expect.arrayContaining(["switch-office-2 is connected to it", "it is on the path to the gateway"]),
    );
    expect(screen.queryByRole("button", { name: "Switch it off" })).toBeNull();
    expect(screen.queryByRole("button", { name: "Switch it on" })).toBeNull();
  });

  it("says what the switch made of it, and keeps what was written when it is refused", async () => {
    const service = new StubbedService().refuse("POST /api/v1/ports/31/orders", "machinist does not encrypt", 422);
    const { user, orders } = await shown({}, service);
    await user.selectOptions(await screen.findByLabelText("By a credential with write access"), "machinist");
    await write(user, screen.getByLabelText("Type “phone-201”"), "PHONE-201");
    await user.selectOptions(screen.getByLabelText("How long"), "until it is switched on again");
    await user.click(await press("Switch it off"));
    await waitFor(() => expect(text()).toContain("Machinist does not encrypt."));
    service.on("POST /api/v1/ports/31/orders", () => ({ ...DONE, state: "failed", said: "the port is as it was", until: null }));
    await user.click(screen.getByLabelText("also by a credential that does not encrypt"));
    await user.click(await press("Switch it off"));
    await waitFor(() => expect(text()).toContain("The port is as it was."));
    const wanted = { to: "off", name: "PHONE-201", for_seconds: null };
    expect(orders().map((one) => one.body)).toMatchObject([{ ...wanted, weak: false }, { ...wanted, weak: true }]);
  });

  it("is undone without a name: on cuts nobody off", async () => {
    const service = new StubbedService();
    service.on("POST /api/v1/ports/31/orders", () => ({ ...DONE, to: "on", state: "done", said: "port 5 is on", until: null }));
    const { user, orders } = await shown({ on: false, behind: [] }, service);
    expect((await screen.findByText("Nobody is known to be connected to it.")).tagName).toBe("P");
    expect(screen.queryByRole("button", { name: "Switch it off" })).toBeNull();
    await user.selectOptions(screen.getByLabelText("By a credential with write access"), "machinist");
    await user.click(await press("Switch it on"));
    await waitFor(() => expect(orders()[0]?.body).toMatchObject({ to: "on", for_seconds: null }));
  });
});

describe("the links as a list", () => {
  const linked = (change: Partial<LinkPage>) =>
    new StubbedService().on("GET /api/v1/links", () => ({ ...LINKS, ...change }));
  const told = LINKS.items.find((one) => one.known === "told by both" && one.ends.every((end) => end.port))!;

  it("say how each is known, and a hand can say that two ports are not joined", async () => {
    const service = linked({ items: [told], words: [], rings: [] });
    const { user } = openPage("/wiring", service);
    const line = (await screen.findByText(told.said)).closest("li")!;
    expect(line.textContent).toContain("told by both, ");
    expect(within(line).getAllByRole("listitem", { hidden: true })[0]!.textContent).toBe(told.reasons[0]);
    await user.click(within(line).getByRole("button", { name: "These are not joined", hidden: true }));
    const [one, other] = told.ends.map((end) => end.port!.id);
    await waitFor(() => expect(service.edits[0]?.body).toEqual({ one, other, joined: false, notes: "" }));
  });

  it("tell what a hand said of them, until it says nothing of it", async () => {
    const [one, other] = told.ends;
    const words = [{ one, other, joined: false, notes: "seen by eye" }] as unknown as LinkPage["words"];
    const service = linked({ words });
    const { user } = openPage("/wiring", service);
    await waitFor(() => expect(text()).toContain(`${other!.called} are not joined (seen by eye).`));
    await user.click(await press("Say nothing of it"));
    await waitFor(() => expect(service.edits[0]).toMatchObject({ method: "DELETE" }));
    expect(service.edits[0]!.path).toBe(`/api/v1/links/words/${one!.port!.id}/${other!.port!.id}`);
  });

  it("of a moment that is past are only looked at", async () => {
    openPage("/wiring?at=2026-12-01T12:58:00Z", linked({ items: [told], words: [] }));
    await screen.findByText(told.said);
    expect(screen.queryByRole("button", { name: "These are not joined", hidden: true })).toBeNull();
  });

  it("are shown by hundreds, and all on demand", async () => {
    const items = Array.from({ length: 130 }, (_, id) => ({ ...told, id, said: `link number ${id}` }));
    const { user } = openPage("/wiring", linked({ items, words: [] }));
    await screen.findByText("link number 99");
    expect(screen.queryByText("link number 100")).toBeNull();
    await user.click(await press("All 130"));
    await screen.findByText("link number 129");
  });
});
