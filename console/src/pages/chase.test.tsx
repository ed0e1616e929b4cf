// Looking for cables: what is watched, what turned last, and which port a cable is found at.
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { ChaseTurn, ChaseView } from "../api/types";
import { openPage, text, write } from "../testing/page";
import { answered, StubbedService } from "../testing/stub";

const CHASE = answered<ChaseView>("/api/v1/chases/1");
const SWITCH = CHASE.switches[0]!.switch;
const press = (name: string | RegExp) => screen.findByRole("button", { name });

function turn(number: number, up: boolean, port = `${number}`): ChaseTurn {
  const said = `${SWITCH.name} port ${port} ${up ? "has its link" : "lost its link"}`;
  const at = new Date(Date.now() - 60_000 * (10 - number)).toISOString();
  return { number, at, up, said, switch: SWITCH, port: { id: 30 + number, name: port }, names: [] } as unknown as ChaseTurn;
}
function withChase(change: Partial<ChaseView>) {
  const chase = { ...CHASE, ...change };
  return { chase, service: new StubbedService().on("GET /api/v1/chases/1", () => chase) };
}
const cable = (number: number, words: string, port: { id: number; name: string } | null = null) =>
  ({ number, text: words, port, switch: port ? SWITCH : null }) as ChaseView["cables"][number];

describe("a chase", () => {
  it("asks to pull a cable before anything turned", async () => {
    openPage("/chases/1", withChase({}).service);
    expect((await screen.findByText("Pull a cable.")).closest("[role=status]")).not.toBeNull();
    expect(text()).toContain("Watching switch-office-1");
  });

  it("shows the port that turned last large, who hung there, and the earlier ones below", async () => {
    const last = { ...turn(3, false, "17"), names: ["printer-1", "desk-7", "desk-8", "desk-9"] };
    const { service } = withChase({ turns: [last, turn(2, true), turn(1, false)] });
    openPage("/chases/1", service);
    const status = await screen.findByRole("status");
    expect(status.textContent).toContain("switch-office-1, port 17");
    expect(status.textContent).toContain("lost its link: printer-1, desk-7, desk-8");
    expect(status.textContent).not.toContain("desk-9");
    const before = screen.getByRole("heading", { name: "Before" }).closest("section")!;
    expect(within(before).getAllByRole("listitem").map((one) => one.textContent?.replace(/ \d.*$/, ""))).toEqual([
      "Switch-office-1 port", "Switch-office-1 port",
    ]);
    expect(within(before).getAllByRole("listitem")[0]!.textContent).toContain("port 2 has its link");
  });

  it("writes down which cable it was, and takes it back", async () => {
    const cables = [cable(1, "bar till"), cable(2, "stage box left")];
    const { chase, service } = withChase({ turns: [turn(1, false, "5")], cables });
    const found = { ...chase, cables: [cable(1, "bar till", { id: 31, name: "5" }), cables[1]!] };
    service.on("POST /api/v1/chases/1/found", () => found);
    const { user } = openPage("/chases/1", service);
    await press("stage box left");
    service.on("GET /api/v1/chases/1", () => found);
    await user.click(await press("bar till"));
    const link = await screen.findByRole("link", { name: "switch-office-1 port 5" });
    expect(link.getAttribute("href")).toBe(`/switches/${SWITCH.id}?open=port:31`);
    expect(screen.queryByRole("button", { name: "bar till" })).toBeNull();
    expect(screen.getByRole("link", { name: "Labels of switch-office-1" })).toBeTruthy();
    await user.click(await press("Not after all"));
    await waitFor(() => expect(service.edits).toHaveLength(2));
    expect(service.edits.map((one) => one.body)).toEqual([{ cable: 1, port: 31 }, { cable: 1, port: null }]);
  });

  it("says why a cable could not be written down", async () => {
    const { service } = withChase({ turns: [turn(1, false)], cables: [cable(1, "bar till")] });
    service.refuse("POST /api/v1/chases/1/found", "that port has another cable", 409);
    const { user } = openPage("/chases/1", service);
    await user.click(await press("bar till"));
    await waitFor(() => expect(text()).toContain("That port has another cable."));
    await press("bar till");
  });

  it("says which switch cannot be read and which device did not answer yet", async () => {
    const switches = [{ ...CHASE.switches[0]!, trouble: "it does not answer" }];
    const devices = [{ name: "desk-9", answers: null }, { name: "desk-8", answers: true }] as unknown as ChaseView["devices"];
    openPage("/chases/1", withChase({ switches, devices }).service);
    expect((await screen.findByRole("alert")).textContent).toBe("switch-office-1: it does not answer.");
    expect(text()).toContain("desk-9 did not answer yet.");
    expect(text()).not.toContain("desk-8 did not answer");
  });

  it("stops, and watches again", async () => {
    const { chase, service } = withChase({});
    service.on("PATCH /api/v1/chases/1", ({ body }: { body: { on: boolean } }) => ({ ...chase, ...body }));
    const { user } = openPage("/chases/1", service);
    await user.click(await press("Stop"));
    await press("Watch again");
    expect(text()).toContain("Not watching: switch-office-1");
    expect(service.edits[0]!.body).toEqual({ on: false });
  });
});

describe("a new chase", () => {
  it("watches the switches that are chosen, for the cables that are written down", async () => {
    const service = new StubbedService().on("POST /api/v1/chases", () => CHASE);
    const { user, where } = openPage("/chases", service);
    const boxes = within(await screen.findByRole("group", { name: "Watch these switches" }));
    const watch = await press("Watch");
    expect(watch).toHaveProperty("disabled", true);
    await user.click(await boxes.findByRole("checkbox", { name: "switch-office-1" }));
    await user.click(boxes.getByRole("checkbox", { name: "switch-office-2" }));
    await user.click(boxes.getByRole("checkbox", { name: "switch-office-2" }));
    await write(user, screen.getByLabelText(/^And ask these devices/), "desk-9, , 10.44.10.30");
    await write(user, screen.getByLabelText(/^Cables to find/), "bar till\n\n stage box left ");
    await user.click(watch);
    await waitFor(() => expect(where()).toBe("/chases/1"));
    expect(service.edits[0]!.body).toEqual({
      name: "",
      switches: [String(SWITCH.id)],
      devices: ["desk-9", "10.44.10.30"],
      cables: ["bar till", "stage box left"],
    });
  });

  it("keeps what was written when it is refused", async () => {
    const service = new StubbedService().refuse("POST /api/v1/chases", "there is no device 'desk-99'", 422);
    const { user } = openPage("/chases", service);
    await write(user, await screen.findByLabelText(/^And ask these devices/), "desk-99");
    await user.click(await press("Watch"));
    await waitFor(() => expect(text()).toContain("There is no device 'desk-99'."));
    expect(screen.getByLabelText(/^And ask these devices/)).toHaveProperty("value", "desk-99");
  });

  it("tells how far earlier ones came", async () => {
    const cables = [cable(1, "bar till", { id: 31, name: "5" }), cable(2, "stage box left")];
    const service = new StubbedService();
    service.on("GET /api/v1/chases", () => ({ items: [{ ...CHASE, on: false, cables }], next: null, total: 1 }));
    openPage("/chases", service);
    await waitFor(() => expect(text()).toContain("1 of 2 cables found"));
    expect(text()).toContain("over, begun");
  });
});
