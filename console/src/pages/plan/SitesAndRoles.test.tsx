// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import axe from "axe-core";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { mutationCache, queryCache, Troubles, troublesWaiting } from "../../app/Troubles";
import { Roles, Sites } from "./SitesAndRoles";

type Asked = { method: string; path: string; body: unknown; version: string | undefined };
const asked: Asked[] = [];
let answers: Record<string, () => Response>;
const page = (items: unknown[]) => new Response(JSON.stringify({ items, next: null, total: items.length }));
const HALL = { id: 1, version: 4, name: "Larkspur Hall", here: true, notes: "", subnet_count: 5 };
const ANNEX = { id: 2, version: 1, name: "Annex", here: false, notes: "", subnet_count: 0 };

beforeEach(() => {
  asked.length = 0;
  answers = {
    "GET /api/v1/sites": () => page([HALL, ANNEX]),
    "GET /api/v1/roles": () => page([{ name: "printer", on_pool: "avoid", travels: false }]),
  };
  vi.stubGlobal(
    "fetch",
    vi.fn<(path: string, init: RequestInit) => Promise<Response>>(async (path, init) => {
      const [where] = path.split("?");
      const headers = init.headers as Record<string, string>;
      const body: unknown = init.body ? JSON.parse(String(init.body)) : undefined;
      if (init.method !== "GET") asked.push({ method: init.method!, path: where!, body, version: headers["If-Match"] });
      return answers[`${init.method} ${where}`]?.() ?? new Response("{}");
    }),
  );
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const shows = () =>
  render(
    <QueryClientProvider
      client={new QueryClient({ queryCache, mutationCache, defaultOptions: { queries: { retry: false } } })}
    >
      <h1>The plan</h1>
      <Troubles />
      <Sites />
      <Roles />
    </QueryClientProvider>,
  );

describe("sites", () => {
  it("are renamed at the version that was shown", async () => {
    const user = userEvent.setup();
    shows();
    await user.click(await screen.findByRole("button", { name: "Rename Annex" }));
    const field = screen.getByRole("textbox", { name: "New name of Annex" });
    await user.clear(field);
    await user.type(field, "Barn{Enter}");
    await waitFor(() =>
      expect(asked).toEqual([{ method: "PATCH", path: "/api/v1/sites/2", body: { name: "Barn" }, version: '"1"' }]),
    );
  });

  it("with subnets, and the one here, cannot be taken away", async () => {
    shows();
    await screen.findByText("Larkspur Hall");
    expect(screen.queryByRole("button", { name: "Take away Larkspur Hall" })).toBeNull();
    expect(screen.getByRole("button", { name: "Take away Annex" })).toHaveProperty("disabled", false);
  });

  it("say what the service says against an edit, once", async () => {
    const user = userEvent.setup();
    answers["POST /api/v1/sites"] = () =>
      new Response(JSON.stringify({ code: "bad_edit", detail: "there is a site called Annex already" }), {
        status: 422,
      });
    shows();
    await user.type(await screen.findByRole("textbox", { name: "Name of another site" }), "Annex{Enter}");
    expect((await screen.findByRole("alert")).textContent).toBe("there is a site called Annex already.");
    await waitFor(() => expect(troublesWaiting()).toBe(0)); // whoever would tell it elsewhere has looked
    expect(screen.getAllByRole("alert")).toHaveLength(1);
  });
});

describe("roles", () => {
  it("are changed where they stand, and added", async () => {
    const user = userEvent.setup();
    shows();
    await user.selectOptions(await screen.findByRole("combobox", { name: "printer in planning" }), "never");
    await user.type(screen.getByRole("textbox", { name: "Name of another role" }), "piano{Enter}");
    await waitFor(() => expect(asked).toHaveLength(2));
    expect(asked.map((one) => one.body)).toEqual([
      { name: "printer", on_pool: "never", travels: false },
      { name: "piano", on_pool: "fine", travels: false },
    ]);
  });
});

describe("what nobody else shows", () => {
  it("is told over the page, and put away by hand", async () => {
    const user = userEvent.setup();
    answers["PATCH /api/v1/sites/2"] = () => new Response("", { status: 500 });
    shows();
    await screen.findByText("Annex");
    answers["GET /api/v1/sites"] = () => new Response(JSON.stringify({ detail: "the disk is full" }), { status: 507 });
    await user.click(screen.getByRole("button", { name: "Take away Annex" }));
    expect((await screen.findByText(/may be old: the disk is full/)).getAttribute("role")).toBe("alert");
    await user.click(screen.getByRole("button", { name: /Put away/ }));
    expect(screen.queryByText(/may be old/)).toBeNull();
  });
});

it("all of it can be read by a screen reader", async () => {
  shows();
  await screen.findByText("Annex");
  const found = await axe.run(document.body, {
    rules: { region: { enabled: false }, "color-contrast": { enabled: false } },
  });
  expect(found.violations.map((one) => `${one.id}: ${one.nodes.map((node) => node.html).join(" | ")}`)).toEqual([]);
});
