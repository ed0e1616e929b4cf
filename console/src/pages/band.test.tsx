// Drawing and changing a band: the plan's own checks speak while it is drawn, and what they refuse is not saved.
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { BandView, Ruler, SubnetPlan } from "../api/types";
import { openPage, text, write } from "../testing/page";
import { answered, StubbedService } from "../testing/stub";

const PATH = "/subnets/10.44.20.0/24";
/** The recorded plan of one subnet, as if it were that of the recorded ruler. */
const PLAN = JSON.parse(
  JSON.stringify(answered<SubnetPlan>("/api/v1/plan/subnets/10.44.10.0/24")).replaceAll("10.44.10.", "10.44.20."),
) as SubnetPlan;
PLAN.subnet.id = answered<Ruler>("/api/v1/ruler").subnet.id!;
const PRINTERS = PLAN.bands.find((one) => one.name === "printers")!;
const press = (name: string | RegExp) => screen.findByRole("button", { name });
const problem = (severity: string, sentence: string) => ({ kind: "overlap", severity, sentence, remedy: "draw it elsewhere" });
type Draft = { range: string; kind: string; roles: string[]; id: number | null };

function planned(items: object[] = []) {
  const service = new StubbedService();
  return service.on("POST /api/v1/bands/draft", () => ({ items })).on(`GET /api/v1/plan/subnets/${PLAN.subnet.id}`, () => PLAN);
}
const drafts = (service: StubbedService) =>
  service.edits.filter((one) => one.path.endsWith("/draft")).map((one) => one.body as Draft);
const saved = (service: StubbedService) => service.edits.filter((one) => !one.path.endsWith("/draft"));

async function drawing(service = planned()) {
  const { user } = openPage(PATH, service);
  await user.click(await press("Draw a band"));
  const form = within(await screen.findByRole("form", { name: "Band" }));
  return { user, service, form };
}

describe("a band", () => {
  it("is checked while it is drawn, and added", async () => {
    const service = planned().on("POST /api/v1/bands", () => PRINTERS);
    const { user, form } = await drawing(service);
    expect(form.getByRole("button", { name: "Add band" })).toHaveProperty("disabled", true);
    await write(user, form.getByLabelText("Stretch"), "240-250");
    await write(user, form.getByLabelText("Band name"), "guests");
    await user.click(form.getByRole("checkbox", { name: "camera" }));
    await waitFor(() => expect(text()).toContain("Nothing speaks against it."));
    await waitFor(() => expect(drafts(service).at(-1)).toMatchObject({ range: "240-250", roles: ["camera"], id: null }));
    await user.click(form.getByRole("button", { name: "Add band" }));
    await waitFor(() => expect(screen.queryByRole("form", { name: "Band" })).toBeNull());
    expect(saved(service)[0]!.body).toMatchObject({ subnet: PLAN.subnet.id, kind: "static", range: "240-250", name: "guests", roles: ["camera"], server: null });
  });

  it("that the plan refuses cannot be saved, and what is only a mistake can", async () => {
    const { user, service, form } = await drawing(planned([problem("refused", "it overlaps the band printers")]));
    await write(user, form.getByLabelText("Stretch"), "30-60");
    await waitFor(() => expect(text()).toContain("cannot be saved it overlaps the band printers. Draw it elsewhere."));
    expect(form.getByRole("button", { name: "Add band" })).toHaveProperty("disabled", true);
    service.on("POST /api/v1/bands/draft", () => ({ items: [problem("mistake", "10.44.20.61 is planned in it")] }));
    await write(user, form.getByLabelText("Stretch"), "1");
    await waitFor(() => expect(text()).toContain("10.44.20.61 is planned in it"));
    await waitFor(() => expect(form.getByRole("button", { name: "Add band" })).toHaveProperty("disabled", false));
  });

  it("that is a pool names its server and its lease instead of roles", async () => {
    const service = planned().on("POST /api/v1/bands", () => PRINTERS);
    const { user, form } = await drawing(service);
    await write(user, form.getByLabelText("Stretch"), "240-250");
    await user.click(form.getByRole("checkbox", { name: "camera" }));
    await user.selectOptions(form.getByLabelText("Kind"), "pool");
    expect(form.queryByRole("checkbox", { name: "camera" })).toBeNull();
    await user.selectOptions(form.getByLabelText("Handed out by"), "ledger");
    await write(user, form.getByLabelText("Lease, hours"), "1.5");
    await waitFor(() => expect(form.getByRole("button", { name: "Add band" })).toHaveProperty("disabled", false));
    await user.click(form.getByRole("button", { name: "Add band" }));
    await waitFor(() => expect(saved(service)).toHaveLength(1));
    expect(saved(service)[0]!.body).toMatchObject({ kind: "pool", roles: [], server: 1, options: { lease_seconds: 5400 } });
  });

  it("is changed at the version that was shown, and stays open with what was written when refused", async () => {
    const service = planned().refuse(`PATCH /api/v1/bands/${PRINTERS.id}`, "it was changed meanwhile", 412);
    const { user } = openPage(PATH, service);
    await user.click(await press("printers"));
    const form = within(await screen.findByRole("form", { name: "Band" }));
    expect(form.getByLabelText("Stretch")).toHaveProperty("value", `${PRINTERS.first}-${PRINTERS.last}`);
    await write(user, form.getByLabelText("Band name"), " and copiers");
    await waitFor(() => expect(form.getByRole("button", { name: "Save band" })).toHaveProperty("disabled", false));
    await user.click(form.getByRole("button", { name: "Save band" }));
    expect((await form.findByRole("alert")).textContent).toBe("it was changed meanwhile.");
    expect(form.getByLabelText("Band name")).toHaveProperty("value", "printers and copiers");
    expect(saved(service)[0]).toMatchObject({ version: String(PRINTERS.version), body: { name: "printers and copiers", roles: PRINTERS.roles } });
  });

  it("is removed, and the form goes with it", async () => {
    const service = planned();
    const { user } = openPage(PATH, service);
    await user.click(await press("printers"));
    await user.click(await press("Remove band"));
    await waitFor(() => expect(screen.queryByRole("form", { name: "Band" })).toBeNull());
    expect(saved(service)[0]).toMatchObject({ method: "DELETE", path: `/api/v1/bands/${PRINTERS.id}` });
  });

  it("is left as it was by Cancel", async () => {
    const { user, service, form } = await drawing();
    await write(user, form.getByLabelText("Stretch"), "240-250");
    await user.click(form.getByRole("button", { name: "Cancel" }));
    await press("Draw a band");
    expect(saved(service)).toEqual([]);
  });

  it("cannot be drawn on a moment that is past", async () => {
    openPage(`${PATH}?at=2026-12-01T12:58:00Z`, planned());
    await waitFor(() => expect(text()).toContain("Below, everything is as it is now."));
    expect(screen.queryByRole("button", { name: "Draw a band" })).toBeNull();
  });

  it("of all kinds is listed by its name, or by its stretch", async () => {
    const unnamed: BandView = { ...PRINTERS, id: 99, name: "" };
    const service = planned().on(`GET /api/v1/plan/subnets/${PLAN.subnet.id}`, () => ({ ...PLAN, bands: [unnamed] }));
    openPage(PATH, service);
    await press("static 28–47");
  });
});
