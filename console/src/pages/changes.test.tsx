// Changes are taken back as a whole, one or several together.
import { screen, waitFor, within } from "@testing-library/react";
import { expect, it } from "vitest";
import type { ChangeRow } from "../api/types";
import { openPage, rows, text } from "../testing/page";
import { answered, StubbedService } from "../testing/stub";

const LIST = answered<{ items: ChangeRow[] }>("/api/v1/changes");
const IDS = LIST.items.map((one) => one.id);

it("one change is taken back with its number", async () => {
  const { user, service } = openPage("/changes");
  await user.click(await screen.findByRole("button", { name: `Undo change ${IDS[0]}` }));
  await waitFor(() => expect(service.edits.map((one) => one.body)).toEqual([{ change_ids: [IDS[0]] }]));
});

it("several are taken back together", async () => {
  const { user, service } = openPage("/changes");
  await screen.findByRole("button", { name: `Undo change ${IDS[0]}` });
  for (const row of rows().slice(0, 2)) await user.click(within(row).getByRole("checkbox"));
  await user.click(screen.getByRole("button", { name: "Take back 2 changes" }));
  await waitFor(() => expect(service.edits.map((one) => one.body)).toEqual([{ change_ids: IDS.slice(0, 2) }]));
  await waitFor(() => expect(text()).not.toContain("Take back 2"));
});

it("what was taken back already says so, and cannot be selected", async () => {
  const taken = { ...LIST, items: [{ ...LIST.items[0]!, taken_back_by: 99 }, ...LIST.items.slice(1)] };
  openPage("/changes", new StubbedService().on("GET /api/v1/changes", taken));
  expect(await screen.findByTitle("by change 99")).toBeTruthy();
  const box = within(rows()[0]!).queryByRole("checkbox");
  expect(box === null || (box as HTMLInputElement).disabled).toBe(true);
});

it("a change that cannot be taken back says why, and stays", async () => {
  const service = new StubbedService().refuse(
    "POST /api/v1/changes/undo",
    "part of it was changed again by change 60",
    409,
  );
  const { user } = openPage("/changes", service);
  await user.click(await screen.findByRole("button", { name: `Undo change ${IDS[0]}` }));
  expect((await screen.findByRole("alert")).textContent).toContain("part of it was changed again by change 60");
  expect(screen.getByRole("button", { name: `Undo change ${IDS[0]}` })).toBeTruthy();
});
