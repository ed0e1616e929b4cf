// Findings: evidence first, remedies that can be pressed, an acceptance with its reason.
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { FindingView } from "../api/types";
import { openPage, text, write } from "../testing/page";
import { answered, problem, StubbedService } from "../testing/stub";

const LIST = answered<{ items: FindingView[]; counts: Record<string, number> }>("/api/v1/findings");
const FIRST = LIST.items[0]!;
const open = `/?open=finding:${FIRST.id}`;
const sheet = (change: Partial<FindingView> = {}) => ({
  finding: { ...FIRST, ...change },
  turns: [{ at: FIRST.since, turn: "opened", said: "two devices answer" }],
});
const withSheet = (change: Partial<FindingView> = {}) =>
  new StubbedService().on(`GET /api/v1/findings/${FIRST.id}`, sheet(change));

describe("a finding", () => {
  it("shows its evidence, what it means and its history", async () => {
    openPage(open, withSheet());
    expect(await screen.findByRole("heading", { name: "Evidence" })).toBeTruthy();
    for (const one of FIRST.evidence) expect(text().toLowerCase()).toContain(one.said.toLowerCase());
    expect(text()).toContain("two devices answer");
  });

  it("is accepted with a reason, until a day", async () => {
    const service = withSheet();
    const { user } = openPage(open, service);
    await user.click(
      (await screen.findAllByText(/^Accept it: they share the address on purpose…$/)).at(-1)!, // the sheet's, behind the card's
    );
    const accept = (await screen.findAllByRole("button", { name: "Accept" })).at(-1)!;
    expect(accept).toHaveProperty("disabled", true);
    await write(user, screen.getByRole("textbox", { name: /Why it is all right/ }), "two heads of one desk");
    fireEvent.change(screen.getByLabelText(/Until/), { target: { value: "2027-01-31" } });
    await user.click(accept);
    await waitFor(() => expect(service.edits).toHaveLength(1));
    expect(service.edits[0]).toMatchObject({
      path: `/api/v1/findings/${FIRST.id}/accept`,
      body: { reason: "two heads of one desk" },
    });
    expect((service.edits[0]!.body as { until: string }).until).toMatch(/^2027-01-31|^2027-02-01/);
  });

  it("that is accepted says by whom and why, and may be accepted no longer", async () => {
    const acceptance = { reason: "a pair", who: "keeper", at: FIRST.since, until: null, macs: null };
    const service = withSheet({ state: "accepted", acceptance: acceptance as FindingView["acceptance"] });
    const { user } = openPage(open, service);
    await waitFor(() => expect(text()).toContain("by keeper"));
    expect(text()).toContain(", for good");
    await user.click(screen.getByRole("button", { name: "Accept it no longer" }));
    await waitFor(() => expect(service.edits.map((one) => one.method)).toEqual(["DELETE"]));
  });

  it("does a remedy, and says what was done", async () => {
    const steps = [{ key: "move", action: "move_plan", label: "plan it at 10.44.20.44 instead", link: null }];
    const service = withSheet({ steps: steps as unknown as FindingView["steps"] });
    service.on(`POST /api/v1/findings/${FIRST.id}/steps`, { said: "it is planned at 10.44.20.44" });
    const { user } = openPage(open, service);
    const list = await screen.findByRole("heading", { name: "What to do" });
    await user.click(list.closest("section")!.querySelector("button")!);
    expect(await screen.findByText("Done: it is planned at 10.44.20.44.")).toBeTruthy();
    expect(service.edits[0]!.body).toEqual({ key: "move", anyway: false });
  });

  it("asks before a remedy that something speaks against", async () => {
    const steps = [{ key: "move", action: "move_plan", label: "plan it there", link: null }];
    const service = withSheet({ steps: steps as unknown as FindingView["steps"] });
    service.on(`POST /api/v1/findings/${FIRST.id}/steps`, ({ body }: { body: { anyway: boolean } }) =>
      body.anyway ? { said: "done anyway" } : problem(409, "it lies inside the pool", { anyway: true }),
    );
    const { user } = openPage(open, service);
    const list = await screen.findByRole("heading", { name: "What to do" });
    await user.click(list.closest("section")!.querySelector("button")!);
    expect((await screen.findByText(/it lies inside the pool/)).closest("[role=alert]")).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Save it anyway" }));
    expect(await screen.findByText("Done: done anyway.")).toBeTruthy();
  });

  it("opens its subjects beside the page", async () => {
    const { user, where } = openPage("/");
    const address = FIRST.subjects.find((one) => one.type === "address")!.value;
    await user.click((await screen.findAllByRole("button", { name: address }))[0]!);
    expect(decodeURIComponent(where())).toContain(`open=address:${address}`);
  });
});

it("a new finding comes by itself", async () => {
  const service = new StubbedService();
  openPage("/", service);
  await waitFor(() => expect(text()).toContain("6 things need attention"));
  service.on("GET /api/v1/findings", { ...LIST, counts: { ...LIST.counts, urgent: LIST.counts.urgent! + 1 } });
  service.tell("findings", { turns: [] });
  await waitFor(() => expect(text()).toContain("7 things need attention"));
});
