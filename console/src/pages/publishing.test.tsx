// Publishing the plan to a DHCP server: what would change is shown first, and only that is published.
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { DhcpPreview } from "../api/types";
import { openPage, text } from "../testing/page";
import { answered, StubbedService } from "../testing/stub";

const press = (name: string | RegExp) => screen.findByRole("button", { name });
const OFFICE = { id: 1, cidr: "10.44.10.0/24", name: "Office" };
const SERVER = answered<{ items: { id: number; name: string }[] }>("/api/v1/dhcp/servers").items[0]!;
const NOTHING: DhcpPreview = {
  server: { id: SERVER.id, name: SERVER.name },
  lines: [],
  conflicts: [],
  by_hand: [],
  left: 0,
  other_roster: "",
  digest: "4f9c01d2",
  text_lines: [],
};
const TWO: DhcpPreview = {
  ...NOTHING,
  lines: [
    { action: "add", what: "reservation", subnet: OFFICE, before: "", after: "10.44.10.34 02:c0:44:0c:00:02" },
    { action: "change", what: "pool", subnet: OFFICE, before: "10.44.10.100-199", after: "10.44.10.100-180" },
  ],
  text_lines: [
    { kind: "skipped", text: "12 lines", line_before: null, line_after: null },
    { kind: "kept", text: "subnet 10.44.10.0", line_before: 13, line_after: 13 },
    { kind: "removed", text: "pool 100-199", line_before: 14, line_after: null },
    { kind: "added", text: "pool 100-180", line_before: null, line_after: 14 },
    { kind: "added", text: "host printer-5", line_before: null, line_after: 15 },
  ] as DhcpPreview["text_lines"],
};

async function compared(preview: DhcpPreview, service = new StubbedService()) {
  service.on(`POST /api/v1/dhcp/servers/${SERVER.id}/preview`, () => preview);
  const { user } = openPage("/dhcp", service);
  await user.click(await press("Compare and publish"));
  return { user, service, panel: await screen.findByRole("region", { name: `Publish to ${SERVER.name}` }) };
}
const published = (service: StubbedService) => service.edits.filter((one) => one.path.endsWith("/publish"));

describe("publishing", () => {
  it("has nothing to do where the server has everything", async () => {
    const { panel } = await compared(NOTHING);
    await waitFor(() => expect(panel.textContent).toContain(`${SERVER.name} has everything as planned.`));
    expect(screen.queryByRole("button", { name: /^Publish/ })).toBeNull();
  });

  it("shows each change by its meaning, and the configuration side by side", async () => {
    const { panel } = await compared(TWO);
    await within(panel).findByText("10.44.10.34 02:c0:44:0c:00:02");
    expect(panel.textContent).toContain("10.44.10.100-199 → 10.44.10.100-180");
    const lines = within(within(panel).getByRole("table")).getAllByRole("row").slice(1);
    const cells = lines.map((row) => [...row.querySelectorAll("td")].map((one) => one.textContent?.trim()));
    expect(cells).toEqual([
      ["… 12 lines …"],
      ["13", "subnet 10.44.10.0", "13", "subnet 10.44.10.0"],
      ["14", "− pool 100-199", "14", "+ pool 100-180"],
      ["", "", "15", "+ host printer-5"],
    ]);
  });

  it("publishes what was shown, by its digest, and says what came of it", async () => {
    const service = new StubbedService();
    service.on(`POST /api/v1/dhcp/servers/${SERVER.id}/publish`, () => ({ remarks: ["2 changes", "read back"] }));
    const { user } = await compared(TWO, service);
    await user.click(await press(/Publish these 2 changes/));
    await waitFor(() => expect(text()).toContain("Published: 2 changes; read back."));
    expect(published(service).map((one) => one.body)).toEqual([{ digest: "4f9c01d2", take_over: false }]);
  });

  it("says why the server refused, and can be tried again", async () => {
    const service = new StubbedService();
    service.refuse(`POST /api/v1/dhcp/servers/${SERVER.id}/publish`, "its configuration was changed meanwhile", 409);
    const { user, panel } = await compared({ ...TWO, lines: TWO.lines.slice(0, 1) }, service);
    await user.click(await press(/Publish this change/));
    await waitFor(() => expect(panel.textContent).toContain("its configuration was changed meanwhile."));
    expect(await press(/Publish this change/)).toHaveProperty("disabled", false);
  });

  it("publishes nothing that contradicts itself", async () => {
    const { panel } = await compared({ ...TWO, conflicts: ["10.44.10.120 is reserved twice"] });
    expect((await within(panel).findByRole("alert")).textContent).toBe("10.44.10.120 is reserved twice.");
    expect(screen.queryByRole("button", { name: /^Publish (this|these)/ })).toBeNull();
  });

  it("takes a server over from another roster only when that is pressed", async () => {
    const conflict = "another roster publishes to it";
    const { user, service } = await compared({ ...TWO, other_roster: "attic", conflicts: [conflict] });
    const over = await press("Take the server over from roster attic");
    service.on(`POST /api/v1/dhcp/servers/${SERVER.id}/preview`, () => ({ ...TWO, other_roster: "attic" }));
    service.on(`POST /api/v1/dhcp/servers/${SERVER.id}/publish`, () => ({ remarks: ["taken over"] }));
    await user.click(over);
    await user.click(await press(/Publish these 2 changes/));
    await waitFor(() => expect(published(service)[0]?.body).toEqual({ digest: "4f9c01d2", take_over: true }));
    const asked = service.edits.filter((one) => one.path.endsWith("/preview"));
    expect(asked.slice(0, 2).map((one) => one.query.get("take_over"))).toEqual([null, "true"]);
  });

  it("tells what only a person can do, and what people wrote that stays", async () => {
    const { panel } = await compared({ ...NOTHING, by_hand: ["enter 10.44.10.34 in its page"], left: 4 });
    await waitFor(() => expect(panel.textContent).toContain("By hand: enter 10.44.10.34 in its page."));
    expect(panel.textContent).toContain(`Nothing can be published to ${SERVER.name}`);
    expect(panel.textContent).toContain("4 parts of the configuration that people wrote stay as they are");
  });

  it("says when the server cannot be read, and closes", async () => {
    const service = new StubbedService();
    const { user } = openPage("/dhcp", service);
    service.refuse(`POST /api/v1/dhcp/servers/${SERVER.id}/preview`, "its control socket does not answer", 503);
    await user.click(await press("Compare and publish"));
    await waitFor(() => expect(text()).toContain("its control socket does not answer."));
    expect(text()).not.toContain("has everything as planned");
    await user.click(await press("Close"));
    expect(screen.queryByRole("region", { name: `Publish to ${SERVER.name}` })).toBeNull();
  });
});
