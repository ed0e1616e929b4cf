// What people set: roll calls, notices, pairs, credentials, switches and what they say of ports.
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { CredentialView, RollCallView, RouteView } from "../api/types";
import { openPage, text, write } from "../testing/page";
import { answered, problem, StubbedService } from "../testing/stub";

const page = (items: unknown[]) => ({ items, next: null, total: items.length });

describe("roll calls", () => {
  const CALL = answered<{ items: RollCallView[] }>("/api/v1/calls").items[0]!;

  it("are begun with a name and lines", async () => {
    const { user, service } = openPage("/calls");
    await user.click(await screen.findByRole("button", { name: "New roll call…" }));
    const form = screen.getByRole("form", { name: "New roll call" });
    expect(within(form).getByRole("button", { name: "Save" })).toHaveProperty("disabled", true);
    await write(user, within(form).getByRole("textbox", { name: "Called" }), "Doors");
    await write(user, within(form).getByRole("textbox", { name: /^One a line/ }), "printer-1, box office");
    await user.click(within(form).getByRole("button", { name: "Save" }));
    await waitFor(() => expect(service.edits).toHaveLength(1));
    expect(service.edits[0]).toMatchObject({
      method: "POST",
      path: "/api/v1/calls",
      body: { name: "Doors", text: "printer-1, box office", every_seconds: 30 },
    });
  });

  it("say at the very field what is wrong with them, and keep what was written", async () => {
    const said = "line 1: '10.44.10.300' is not an IPv4 address (last number over 255)";
    const service = new StubbedService().on("POST /api/v1/calls", () => problem(422, said, { field: "text" }));
    const { user } = openPage("/calls", service);
    await user.click(await screen.findByRole("button", { name: "New roll call…" }));
    await write(user, screen.getByRole("textbox", { name: "Called" }), "Doors");
    await write(user, screen.getByRole("textbox", { name: /^One a line/ }), "10.44.10.300");
    await user.click(screen.getByRole("button", { name: "Save" }));
    expect((await screen.findByText(`${said}.`)).getAttribute("role")).toBe("alert");
    expect(screen.getByRole("textbox", { name: /^One a line/ })).toHaveProperty("value", "10.44.10.300");
  });

  it("are asked now, and changed at the version that was shown", async () => {
    const { user, service } = openPage("/calls");
    await user.click(await screen.findByRole("button", { name: "Ask now" }));
    await waitFor(() => expect(service.edits.map((one) => one.path)).toEqual([`/api/v1/calls/${CALL.id}/ask`]));
    await user.click(screen.getByRole("button", { name: "Change" }));
    const form = screen.getByRole("form", { name: `Change ${CALL.name}` });
    await user.clear(within(form).getByRole("spinbutton", { name: "Asked every, seconds" }));
    await write(user, within(form).getByRole("spinbutton", { name: "Asked every, seconds" }), "60");
    await user.click(within(form).getByRole("button", { name: "Save" }));
    await waitFor(() => expect(service.edits).toHaveLength(2));
    expect(service.edits[1]).toMatchObject({
      method: "PATCH",
      version: String(CALL.version),
      body: { every_seconds: 60 },
    });
  });
});

describe("who was only heard", () => {
  it("becomes a device by a press, and its sheet opens", async () => {
    const heard = { mac: "02:c0:66:00:00:66", vendor: null, local: true, randomised: false, address: "192.168.200.9" };
    const links = answered<{ items: object[] }>("/api/v1/listening");
    const times = { first_seen: "2026-12-01T12:00:00Z", last_seen: "2026-12-01T12:01:00Z" };
    const first = { ...links.items[0], heard_only: [{ ...heard, ...times }] };
    const row = answered<{ items: { id: number }[] }>("/api/v1/devices").items[0]!;
    const service = new StubbedService()
      .on("GET /api/v1/listening", page([first]))
      .on("POST /api/v1/devices", { device: row });
    const { user, where } = openPage("/watch", service);
    await user.click(await screen.findByText(/^Only heard, not yet a device.*: 1$/));
    await user.click(screen.getByRole("button", { name: `Make ${heard.mac} a device` }));
    await waitFor(() => expect(service.edits).toHaveLength(1));
    expect(service.edits[0]).toMatchObject({ method: "POST", path: "/api/v1/devices", body: { mac: heard.mac } });
    await waitFor(() => expect(where()).toContain(`device%3A${row.id}`));
  });
});

describe("notices", () => {
  const ROUTE = {
    id: 4,
    version: 3,
    name: "office",
    kind: "webhook",
    to: "https://hook.larkspur.example/x",
    least: "wrong",
    on: true,
    sent: null,
    trouble: "",
    has_secret: true,
  };
  const withRoute = (change: Partial<RouteView> = {}) =>
    new StubbedService().on("GET /api/v1/notices", page([{ ...ROUTE, ...change }]));

  it("are added with a secret that is never shown", async () => {
    const { user, service } = openPage("/watch", new StubbedService().on("GET /api/v1/notices", page([])));
    await user.click(await screen.findByRole("button", { name: "Add a route" }));
    await write(user, screen.getByRole("textbox", { name: "name" }), "office");
    await write(user, screen.getByRole("textbox", { name: "URL" }), "https://hook.larkspur.example/x");
    const secret = screen.getByLabelText("secret to sign with");
    expect(secret).toHaveProperty("type", "password");
    await write(user, secret, "under the rose");
    await user.click(screen.getByRole("button", { name: "Add" }));
    await waitFor(() => expect(service.edits).toHaveLength(1));
    expect(service.edits[0]!.body).toEqual({
      name: "office",
      kind: "webhook",
      to: "https://hook.larkspur.example/x",
      least: "wrong",
      secret: "under the rose",
    });
  });

  it("are tried, and say what came back", async () => {
    const service = withRoute().on("POST /api/v1/notices/4/test", {
      ok: false,
      said: "hook.larkspur.example answered 500",
    });
    const { user } = openPage("/watch", service);
    await user.click(await screen.findByRole("button", { name: "Test" }));
    expect(await screen.findByText("hook.larkspur.example answered 500")).toBeTruthy();
  });

  it("are switched off and removed at the version that was shown", async () => {
    const service = withRoute();
    const { user } = openPage("/watch", service);
    await user.click(await screen.findByRole("button", { name: "Switch off" }));
    await user.click(screen.getByRole("button", { name: "Remove" }));
    await waitFor(() =>
      expect(service.edits.map((one) => [one.method, one.version])).toEqual([
        ["PATCH", "3"],
        ["DELETE", "3"],
      ]),
    );
  });

  it("that did not arrive say so without being asked", async () => {
    openPage("/watch", withRoute({ trouble: "no answer since yesterday" }));
    expect(await screen.findByText("no answer since yesterday")).toBeTruthy();
  });
});

describe("pairs", () => {
  it("are entered as a list, and what is wrong with a line is said there", async () => {
    const said = "line 2: '02:c0:44' is not a MAC (6 octets are wanted)";
    let refused = true;
    const service = new StubbedService().on("POST /api/v1/pairs", () =>
      refused ? problem(422, said, { field: "text" }) : { entered: 1 },
    );
    const { user } = openPage("/pairs", service);
    await user.click(await screen.findByRole("button", { name: "Enter pairs…" }));
    const form = screen.getByRole("form", { name: "Enter pairs" });
    await write(user, within(form).getByRole("textbox"), "10.44.10.30 02:c0:44:00:00:26 spare");
    await user.click(within(form).getByRole("button", { name: "Enter" }));
    expect(await screen.findByText(/Line 2: '02:c0:44' is not a MAC/i)).toBeTruthy();
    refused = false;
    await user.click(within(form).getByRole("button", { name: "Enter" }));
    await waitFor(() => expect(screen.queryByRole("form", { name: "Enter pairs" })).toBeNull());
  });

  it("that were only told are forgotten, those that people entered stay", async () => {
    const { user, service } = openPage("/pairs");
    await user.click(await screen.findByRole("button", { name: "Forget what was told" }));
    await waitFor(() =>
      expect(service.edits.map((one) => `${one.method} ${one.path}`)).toEqual(["DELETE /api/v1/pairs/told"]),
    );
  });

  it("say for a MAC without an address whom to ask", async () => {
    const one = {
      mac: "02:c0:5b:00:00:36",
      port: { id: 5, name: "3" },
      switch: { id: 3, name: "switch-office-1" },
      device: null,
      ask: "the router gate-10",
    };
    const { user, where } = openPage("/pairs", new StubbedService().on("GET /api/v1/pairs/without", page([one])));
    await waitFor(() => expect(text()).toContain("ask the router gate-10"));
    await user.click(screen.getByRole("button", { name: "port 3 of switch-office-1" }));
    expect(decodeURIComponent(where())).toContain("open=port:5");
  });
});

describe("switches", () => {
  const CREDENTIAL = answered<{ items: CredentialView[] }>("/api/v1/credentials").items[0]!;

  it("are looked for in a range, and an address without one says why", async () => {
    const service = new StubbedService().on("POST /api/v1/switches/search", {
      added: [{}, {}],
      refused: [{ address: "10.44.10.12", device: { id: 9, name: "archive" }, why: "no SNMP answer" }],
    });
    const { user } = openPage("/switches", service);
    await user.click(await screen.findByRole("button", { name: "Add switches…" }));
    const form = screen.getByRole("form", { name: "Add switches" });
    await write(user, within(form).getAllByRole("textbox")[0]!, "10.44.10.0/24");
    await user.click(within(form).getByRole("button", { name: "Add" }));
    await waitFor(() => expect(text()).toContain("2 switches are read from now on."));
    expect(text()).toContain("archive, 10.44.10.12, is not: no SNMP answer.");
    expect(service.edits[0]!.body).toEqual({ within: "10.44.10.0/24", credential: null, every_seconds: 300 });
  });

  it("are added one by one, and read at once", async () => {
    const service = new StubbedService().on("POST /api/v1/switches", { id: 31 });
    const { user } = openPage("/switches", service);
    await user.click(await screen.findByRole("button", { name: "Add switches…" }));
    const form = screen.getByRole("form", { name: "Add switches" });
    await write(user, within(form).getAllByRole("textbox")[0]!, "switch-attic");
    await user.selectOptions(within(form).getByRole("combobox"), String(CREDENTIAL.id));
    await user.click(within(form).getByRole("button", { name: "Add" }));
    await waitFor(() =>
      expect(service.edits.map((one) => one.path)).toEqual(["/api/v1/switches", "/api/v1/switches/31/read"]),
    );
    expect(service.edits[0]!.body).toMatchObject({ switch: "switch-attic" });
  });

  it("are read by a user whose passwords are typed unseen", async () => {
    const { user, service } = openPage("/switches");
    await user.click(await screen.findByRole("button", { name: "New credential…" }));
    const form = screen.getByRole("form", { name: "New credential" });
    await write(user, within(form).getByRole("textbox", { name: "Called" }), "usher");
    await write(user, within(form).getByRole("textbox", { name: "User" }), "usher");
    for (const [label, word] of [
      ["with the password", "limelight-one"],
      ["with its password", "limelight-two"],
    ] as const) {
      expect(within(form).getByLabelText(label)).toHaveProperty("type", "password");
      await write(user, within(form).getByLabelText(label), word);
    }
    await user.click(within(form).getByRole("button", { name: "Keep it" }));
    await waitFor(() => expect(service.edits).toHaveLength(1));
    expect(service.edits[0]!.body).toMatchObject({
      name: "usher",
      snmp: "3",
      auth: "sha256",
      auth_password: "limelight-one",
      privacy: "aes128",
      privacy_password: "limelight-two",
    });
    expect(text()).not.toContain("limelight");
  });

  it("of a credential in use are not left without it", async () => {
    const service = new StubbedService().refuse(
      `DELETE /api/v1/credentials/${CREDENTIAL.id}`,
      "4 switches are read by it alone",
      409,
    );
    const { user } = openPage("/switches", service);
    await user.click((await screen.findAllByRole("button", { name: "Remove" }))[0]!);
    expect(await screen.findByText(/4 switches are read by it alone/)).toBeTruthy();
  });
});

describe("a port", () => {
  it("gets a note, at the version that was shown", async () => {
    const service = new StubbedService();
    const { user } = openPage("/switches?open=port:1", service);
    const notes = await screen.findByRole("textbox", { name: /note/i });
    await user.clear(notes);
    await write(user, notes, "counter 2");
    await user.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => expect(service.edits).toHaveLength(1));
    expect(service.edits[0]).toMatchObject({ method: "PATCH", body: { notes: "counter 2" } });
    expect(Number(service.edits[0]!.version)).toBeGreaterThan(0);
  });

  it("lists the MACs behind it and why it counts as an uplink or not", async () => {
    openPage("/switches?open=port:1");
    await waitFor(() => expect(text()).toMatch(/Behind it/));
    expect(text()).toMatch(/Does it lead to other switches\?/);
    expect(text()).toMatch(/as it seems/);
  });
});
