import { waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { openPage, text } from "../testing/page";
import { StubbedService } from "../testing/stub";
const ALL = ["/", "/plan", "/addresses", "/devices", "/dhcp", "/dhcp/1", "/scans", "/scans/1", "/watch", "/changes", "/calls", "/calls/wall",
  "/switches", "/switches/3", "/switches/3/labels", "/pairs", "/wiring", "/chases", "/chases/1", "/cables", "/cartons", "/fittings", "/fittings/1",
  "/import", "/card/10.44.10.30", "/sheet", "/subnets/10.44.20.0/24", "/devices?open=device:2", "/?open=address:10.44.20.41", "/?open=finding:1", "/switches?open=port:1", "/nowhere"];
const body = () => text().slice(text().search(/live|not connected/));
describe.each(ALL)("%s", (path) => {
  it("x", async () => {
    openPage(path);
    await waitFor(() => expect(text()).not.toContain("Opening…"));
    await new Promise((r) => setTimeout(r, 200));
    console.log("FULL", path, body().slice(0, 420));
  });
  it("empty", async () => {
    openPage(path, new StubbedService().empty());
    await waitFor(() => expect(text()).not.toContain("Opening…"));
    await new Promise((r) => setTimeout(r, 200));
    console.log("EMPTY", path, body().slice(0, 420));
  });
  it("offline", async () => {
    const s = new StubbedService(); s.offline = true;
    openPage(path, s);
    await waitFor(() => expect(text()).not.toContain("Opening…"));
    await new Promise((r) => setTimeout(r, 300));
    console.log("OFF", path, body().includes("does not answer"), body().slice(0, 420));
  });
});
