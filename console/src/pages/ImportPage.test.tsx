// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import axe from "axe-core";
import { MemoryRouter } from "react-router";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { ImportReport } from "../api/types";
import ImportPage from "./ImportPage";

const asked: URLSearchParams[] = [];
const ROW = { before: {}, warning: "" };
const REFUSED: ImportReport = {
  dry_run: true,
  read_as: "CSV with commas, UTF-8",
  columns: { address: "Adr.", name: "Name", mac: "Mac" },
  columns_by_values: ["address"],
  ignored: ["Shelf"],
  added_count: 0,
  changed_count: 0,
  same_count: 0,
  refused_count: 12,
  warning_count: 0,
  change_id: null,
  rows: [
    {
      ...ROW,
      row: 2,
      action: "refused",
      address: "10.44.20.210",
      after: {},
      reason: "'Smoke machine' is not a hostname",
      column: "Name",
    },
  ],
  causes: [
    {
      cause: "not a hostname",
      column: "Name",
      count: 12,
      rows: [2, 3, 4],
      example: "'Smoke machine' is not a hostname",
      remedies: [{ said: "Read 'Name' as notes", mapping: ["address=Adr.", "mac=Mac", "name=", "notes=Name"] }],
    },
  ],
};
const TAKEN: ImportReport = {
  ...REFUSED,
  columns: { address: "Adr.", mac: "Mac", notes: "Name" },
  columns_by_values: [],
  refused_count: 0,
  added_count: 12,
  causes: [],
  rows: [
    {
      ...ROW,
      row: 2,
      action: "add",
      address: "10.44.20.210",
      after: { notes: "Smoke machine" },
      reason: "",
      column: "",
    },
  ],
};

beforeEach(() => {
  asked.length = 0;
  vi.stubGlobal(
    "fetch",
    vi.fn<(path: string) => Promise<Response>>(async (path) => {
      const query = new URLSearchParams(path.split("?")[1]);
      asked.push(query);
      const helped = query.getAll("mapping").includes("notes=Name");
      const report = helped ? { ...TAKEN, dry_run: query.get("dry_run") === "true", change_id: 7 } : REFUSED;
      return new Response(JSON.stringify(report), { headers: { "Content-Type": "application/json" } });
    }),
  );
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

async function chosen() {
  const user = userEvent.setup();
  const { container } = render(
    <QueryClientProvider client={new QueryClient()}>
      <MemoryRouter>
        <ImportPage />
      </MemoryRouter>
    </QueryClientProvider>,
  );
  await user.upload(
    screen.getByLabelText("Spreadsheet"),
    new File(["Adr.,Name,Mac"], "hall.csv", { type: "text/csv" }),
  );
  return { user, container, causes: await screen.findByRole("list", { name: "Why rows are refused" }) };
}

describe("a spreadsheet with refused rows", () => {
  it("says the cause once, with its rows, and what was guessed; nothing can be taken in", async () => {
    const { container, causes } = await chosen();
    expect(causes.textContent).toContain("12 rows, Name: not a hostname. Rows 2, 3, 4 …; such as: 'Smoke machine'");
    expect(container.textContent).toContain("Adr. is taken as the address, by what stands in it");
    expect(screen.getByRole("button", { name: "Take all of it in" })).toHaveProperty("disabled", true);
    const found = await axe.run(container, {
      rules: { "color-contrast": { enabled: false }, region: { enabled: false } },
    });
    expect(found.violations).toEqual([]);
  });

  it("is read again with the mapping that helps, and taken in with the same", async () => {
    const { user, causes } = await chosen();
    await user.click(within(causes).getByRole("button", { name: "Read 'Name' as notes" }));
    await user.click(await screen.findByRole("button", { name: "Take all of it in" }));
    await screen.findByRole("button", { name: "Take it back" });
    expect(asked.map((query) => [query.get("dry_run"), query.getAll("mapping")])).toEqual([
      ["true", []],
      ["true", ["address=Adr.", "mac=Mac", "name=", "notes=Name"]],
      ["false", ["address=Adr.", "mac=Mac", "name=", "notes=Name"]],
    ]);
  });

  it("lets every field be one of its columns, or none", async () => {
    const { user } = await chosen();
    await user.click(screen.getByText(/^Read as CSV/));
    const field = screen.getByRole("combobox", { name: "notes is the column" });
    expect(
      within(field)
        .getAllByRole("option")
        .map((option) => option.textContent),
    ).toEqual(["none", "Adr.", "Name", "Mac", "Shelf"]);
    await user.selectOptions(field, "Shelf");
    await user.click(screen.getByRole("button", { name: "Read it again" }));
    expect(asked.at(-1)!.getAll("mapping")).toEqual(["notes=Shelf"]);
  });

  it("whose columns are not clear says so, and lets them be chosen", async () => {
    vi.stubGlobal("fetch", async (path: string) => {
      asked.push(new URLSearchParams(path.split("?")[1]));
      const problem = { code: "bad_sheet", detail: "'a' and 'b' both hold addresses", headers: ["a", "b"] };
      return new Response(JSON.stringify(problem), { status: 422 });
    });
    const user = userEvent.setup();
    render(
      <QueryClientProvider client={new QueryClient()}>
        <MemoryRouter>
          <ImportPage />
        </MemoryRouter>
      </QueryClientProvider>,
    );
    await user.upload(screen.getByLabelText("Spreadsheet"), new File(["a,b"], "hall.csv", { type: "text/csv" }));
    expect((await screen.findByRole("alert")).textContent).toContain("both hold addresses");
    await user.selectOptions(screen.getByRole("combobox", { name: "address is the column" }), "b");
    await user.click(screen.getByRole("button", { name: "Read it again" }));
    expect(asked.at(-1)!.getAll("mapping")).toEqual(["address=b"]);
  });
});
