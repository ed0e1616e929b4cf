// Every page in its states: with what the demo site answers, while it is read, empty, refused, and when the service has ended.
// What could not be read is never told as what is not there.
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { faults, openPage, rows, text } from "../testing/page";
import { answered, StubbedService } from "../testing/stub";

interface State {
  path: string;
  /** What the demo site has on it. */
  shows: string;
  /** What it says where there is nothing; it must say none of this of what it could not read. */
  empty?: string;
  /** What is empty of it is asked with other words than a list: nothing more to try. */
  asks?: false;
}
const PAGES: State[] = [
  { path: "/", shows: "6 things need attention", empty: "Findings appear here by themselves" },
  { path: "/plan", shows: "Larkspur Hall", empty: "Nothing is planned yet" },
  { path: "/addresses", shows: "126 assigned addresses", empty: "No address is assigned yet." },
  { path: "/devices", shows: "281 devices", empty: "The roster is empty." },
  { path: "/dhcp", shows: "5 of 5 reservations there", empty: "No server is managed yet." },
  { path: "/dhcp/1", shows: "What ledger holds", empty: "It holds nothing." },
  { path: "/scans", shows: "10.44.20.0/24", empty: "No scan yet." },
  { path: "/scans/1", shows: "32 answered, 224 silent", empty: "Nothing here." },
  { path: "/watch", shows: "cameras0", empty: "No subnet is planned yet" },
  { path: "/changes", shows: "mark: nothing → “spare”", empty: "Nothing was edited yet." },
  { path: "/calls", shows: "7 here, 1 silent, 1 cannot be told", empty: "No roll call yet." },
  { path: "/calls/wall", shows: "spare till" },
  { path: "/switches", shows: "Office gate", empty: "No switch is read yet." },
  { path: "/switches/3", shows: "18 of 26 ports have a link", empty: "No port says that." },
  { path: "/switches/3/labels", shows: "Print at 100 %" },
  { path: "/pairs", shows: "02:c0:3e:00:00:18", empty: "Nobody says that." },
  { path: "/wiring", shows: "switch-stage-1" },
  { path: "/chases", shows: "Watch these switches", empty: "None is read yet" },
  { path: "/chases/1", shows: "Watching switch-office-1" },
  { path: "/cables", shows: "switch-office-1 port 23" },
  { path: "/cartons", shows: "printer-forgetful" },
  { path: "/fittings", shows: "Quillmark Q20", empty: "Nothing is being fitted." },
  { path: "/fittings/1", shows: "typed in but not stored" },
  { path: "/import", shows: "Choose a file, or drop it here", asks: false },
  { path: "/card/10.44.10.30", shows: "printer-1.larkspur.example" },
  { path: "/sheet", shows: "pool 10.44.10.100-10.44.10.199", empty: "No pool is planned yet." },
  { path: "/subnets/10.44.20.0/24", shows: "36 addresses ever seen of 254 usable" },
  { path: "/devices?open=device:2", shows: "Box office printer" },
  { path: "/?open=address:10.44.20.41", shows: "It is claimed by two" },
  { path: "/?open=finding:1", shows: "Two devices answer for one address" },
  { path: "/switches?open=port:1", shows: "What people say of it" },
];
const SHEET = { text: "pool 10.44.10.100-10.44.10.199", files: [] };
const site = () => new StubbedService().on("GET /api/v1/dhcp/export", SHEET);
const nothing = () => site().empty().on("GET /api/v1/dhcp/export", { text: "", files: [] });

describe.each(PAGES)("$path", ({ path, shows, empty, asks = true }) => {
  it("shows what the site has", async () => {
    openPage(path, site());
    await waitFor(() => expect(text()).toContain(shows));
  });

  if (empty)
    it("says that there is nothing, and how to begin", async () => {
      openPage(path, nothing());
      await waitFor(() => expect(text()).toContain(empty));
    });

  if (asks)
    it("says why it cannot be read, and never that there is nothing", async () => {
      openPage(path, site().refuseReads("The disk is full"));
      await waitFor(() =>
        expect(
          screen
            .getAllByRole("alert")
            .map((one) => one.textContent)
            .join(),
        ).toMatch(/disk is full/),
      );
      if (empty && path !== "/") expect(text()).not.toContain(empty);
    });

  it("says that the service does not answer", async () => {
    const service = site();
    service.offline = true;
    openPage(path, service);
    await waitFor(() => expect(text()).toContain("The service does not answer. Is it still running?"));
    if (empty) expect(text()).not.toContain(empty);
  });

  if (asks)
    it("claims nothing while it is read", async () => {
      const service = site();
      service.holdReads();
      openPage(path, service);
      await waitFor(() => expect(service.waiting).toBeGreaterThan(0));
      if (empty) expect(text()).not.toContain(empty);
      expect(screen.queryByRole("alert")).toBeNull();
    });
});

describe("many", () => {
  const device = answered<{ items: Record<string, unknown>[] }>("/api/v1/devices/positions").items[0]!;
  it("twenty thousand devices are a list of which only what is in view is made", async () => {
    const page = ({ query }: { query: URLSearchParams }) => {
      const [offset, limit] = [Number(query.get("offset")), Number(query.get("limit"))];
      const items = Array.from({ length: Math.min(limit, 20_000 - offset) }, (_, at) => ({
        ...device,
        id: offset + at + 1,
        address: `10.96.${(offset + at) >> 8}.${(offset + at) & 255}`,
      }));
      return { items, offset, total: 20_000, next: null };
    };
    openPage("/devices", site().on("GET /api/v1/devices/positions", page));
    await waitFor(() => expect(text()).toContain("20,000 devices"));
    await waitFor(() => expect(text()).toContain("10.96.0.3"));
    expect(rows().length).toBeLessThan(100);
    expect(screen.getByRole("grid").getAttribute("aria-rowcount")).toBe("20001");
  });

  it("two thousand findings are shown a page at a time", async () => {
    const page = answered<{ items: { id: number }[]; counts: object }>("/api/v1/findings");
    const items = Array.from({ length: 2000 }, (_, at) => ({ ...page.items[0]!, id: at + 1 }));
    openPage(
      "/",
      site().on("GET /api/v1/findings", { ...page, items: items.slice(0, 100), next: "more", total: 2000 }),
    );
    await waitFor(() => expect(document.querySelectorAll("article, li").length).toBeGreaterThan(10));
    expect(document.querySelectorAll("*").length).toBeLessThan(20_000);
  });
});

describe("the frame of every page", () => {
  it("a path that leads nowhere says so", async () => {
    openPage("/nowhere");
    expect(await screen.findByText("There is no such page.")).toBeTruthy();
  });

  it("says how to sign in, and shows nothing else, without a session", async () => {
    openPage("/devices", site().refuse("GET /api/v1/here", "sign in first", 401, { code: "not_signed_in" }));
    await waitFor(() => expect(text()).toContain("You are not signed in"));
    expect(text()).toContain("roster console");
    expect(screen.queryByRole("grid")).toBeNull();
  });

  it("the number of urgent and wrong findings stands at the first place", async () => {
    openPage("/plan", site());
    expect((await screen.findByTitle("5 findings are urgent or wrong")).textContent).toBe("5");
  });

  it("says whether changes arrive by themselves", async () => {
    openPage("/plan", site());
    expect(await screen.findByText("live")).toBeTruthy();
  });

  it("finds anything from any page, with the keyboard alone", async () => {
    const { user, where } = openPage("/plan", site());
    await user.keyboard("/");
    await user.type(await screen.findByRole("combobox", { name: "Find" }), "printer");
    const found = await screen.findAllByRole("option");
    expect(found.length).toBeGreaterThan(0);
    expect((await faults()).join("\n")).toBe("");
    const opened = vi.spyOn(window, "open").mockReturnValue(null);
    await user.keyboard("{Control>}{Enter}{/Control}");
    expect(opened.mock.calls[0]?.[0]).toMatch(/^http:\/\/10\.44\./);
    await user.keyboard("{ArrowDown}{ArrowUp}{Enter}");
    await waitFor(() => expect(where()).toMatch(/open=(device|address)|devices\/\d/));
  });

  it("changes its colours, and keeps them", async () => {
    const { user } = openPage("/plan", site());
    await user.click(screen.getByRole("button", { name: "Dark colours" }));
    expect(document.documentElement.dataset.theme).toBe("dark");
    expect(localStorage.getItem("roster-theme")).toBe("dark");
    await user.click(screen.getByRole("button", { name: "Light colours" }));
    expect(document.documentElement.dataset.theme).toBe("light");
  });
});
