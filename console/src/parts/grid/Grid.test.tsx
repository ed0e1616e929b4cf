// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import axe from "axe-core";
import { useState } from "react";
import { afterEach, beforeAll, beforeEach, describe, expect, it, vi } from "vitest";
import type { Told } from "../../api/client";
import { asCsv, asLines, type Column } from "./column";
import { Grid } from "./Grid";
import { atHand, type Stretch, usePages, useStretches } from "./source";
import { TakeOut } from "./TakeOut";

interface Row {
  id: number;
  name: string;
}
const COLUMNS: Column<Row, "id" | "name">[] = [
  { name: "id", width: "4rem", sort: "id", right: true, text: (row) => String(row.id), cell: (row) => row.id },
  { name: "name", width: "minmax(4rem, 1fr)", text: (row) => row.name, cell: (row) => <b>{row.name}</b> },
];
type Reading = (signal: AbortSignal, told: Told) => Promise<Row[]>;
const rows = (count: number): Row[] => Array.from({ length: count }, (_, i) => ({ id: i, name: `printer-${i}` }));

beforeAll(() => {
  // The test's page has no layout: a frame of 20 rows is made up.
  Object.defineProperty(HTMLElement.prototype, "clientHeight", { configurable: true, get: () => 640 });
  Object.defineProperty(HTMLElement.prototype, "clientWidth", { configurable: true, get: () => 900 });
  HTMLElement.prototype.scrollTo = vi.fn<() => void>();
});
afterEach(cleanup);

const grid = () => screen.getByRole("grid");
const shown = () => within(grid()).getAllByRole("row").slice(1);

async function faults(): Promise<string[]> {
  const found = await axe.run(document.body, {
    rules: { region: { enabled: false }, "color-contrast": { enabled: false } },
  });
  return found.violations.map((one) => `${one.id}: ${one.nodes.map((node) => node.html).join(" | ")}`);
}

function List({ count, onOpen = () => undefined }: { count: number; onOpen?: (row: Row) => void }) {
  const [selected, setSelected] = useState<ReadonlyMap<string | number, Row>>(new Map());
  return (
    <Grid
      label="Printers"
      columns={COLUMNS}
      source={atHand(rows(count))}
      keyOf={(row) => row.id}
      nameOf={(row) => row.name}
      onOpen={onOpen}
      selected={selected}
      onSelected={setSelected}
      sorting={{ by: "id", descending: true }}
      onSort={() => undefined}
      empty={<p>No printer.</p>}
    />
  );
}

describe("the list", () => {
  it("draws only what is in view of twenty thousand rows, and says how many there are", () => {
    render(<List count={20_000} />);
    expect(shown().length).toBeLessThan(60);
    expect(grid().getAttribute("aria-rowcount")).toBe("20001");
    expect(shown()[0]!.getAttribute("aria-rowindex")).toBe("2");
  });

  it("says what it is empty of", () => {
    render(<List count={0} />);
    expect(screen.getByText("No printer.")).toBeTruthy();
    expect(screen.queryByRole("grid")).toBeNull();
  });

  it("is moved in, opened and selected from with the keyboard alone", async () => {
    const user = userEvent.setup();
    const opened = vi.fn<(row: Row) => void>();
    render(<List count={50} onOpen={opened} />);
    grid().focus();
    await user.keyboard("{ArrowDown}{ArrowDown}{Enter}");
    expect(opened).toHaveBeenCalledWith({ id: 2, name: "printer-2" });
    await user.keyboard(" ");
    expect(shown()[2]!.getAttribute("aria-selected")).toBe("true");
    expect(grid().getAttribute("aria-activedescendant")).toBe(shown()[2]!.id);
    await user.keyboard("{ArrowUp} ");
    expect(shown().filter((row) => row.getAttribute("aria-selected") === "true")).toHaveLength(2);
    await user.keyboard("{Home}{ArrowUp}{Enter}");
    expect(opened).toHaveBeenLastCalledWith({ id: 0, name: "printer-0" });
  });

  it("opens by a click and selects by its box without opening", async () => {
    const user = userEvent.setup();
    const opened = vi.fn<(row: Row) => void>();
    render(<List count={5} onOpen={opened} />);
    await user.click(screen.getByRole("checkbox", { name: "Select printer-3" }));
    expect(opened).not.toHaveBeenCalled();
    await user.click(screen.getByText("printer-1"));
    expect(opened).toHaveBeenCalledWith({ id: 1, name: "printer-1" });
  });

  it("copies what is selected, or the row one stands on", async () => {
    const user = userEvent.setup();
    render(<List count={5} />);
    grid().focus();
    await user.keyboard("{ArrowDown}{Control>}c{/Control}");
    expect(await navigator.clipboard.readText()).toBe("id\tname\n1\tprinter-1");
    await user.keyboard("{ArrowDown} {ArrowDown} {Control>}c{/Control}");
    expect(await navigator.clipboard.readText()).toBe("id\tname\n2\tprinter-2\n3\tprinter-3");
  });

  it("leaves Enter and Space to what stands in a cell", async () => {
    const user = userEvent.setup();
    const opened = vi.fn<(row: Row) => void>(),
      pressed = vi.fn<() => void>();
    const columns: Column<Row>[] = [
      { name: "do", width: "4rem", text: () => "", cell: () => <button onClick={pressed}>Undo</button> },
    ];
    render(
      <Grid label="x" columns={columns} source={atHand(rows(1))} keyOf={(row) => row.id} onOpen={opened} empty="" />,
    );
    screen.getByRole("button", { name: "Undo" }).focus();
    opened.mockClear();
    await user.keyboard("{Enter}");
    expect(pressed).toHaveBeenCalledOnce();
  });

  it("selects nothing that may not be", async () => {
    const user = userEvent.setup();
    const chosen = vi.fn<(next: ReadonlyMap<string | number, Row>) => void>();
    const may = (row: Row) => row.id > 0;
    const list = { columns: COLUMNS, source: atHand(rows(2)), keyOf: (row: Row) => row.id, maySelect: may };
    render(<Grid label="x" {...list} selected={new Map()} onSelected={chosen} empty="" />);
    grid().focus();
    await user.keyboard(" ");
    expect(chosen).not.toHaveBeenCalled();
    await user.keyboard("{ArrowDown} ");
    expect(chosen).toHaveBeenCalledOnce();
    expect(screen.getByRole("checkbox", { name: "Select 0" }).hasAttribute("disabled")).toBe(true);
  });

  it("tells how it is sorted, and only by what it can be", () => {
    render(<List count={3} />);
    const [, id, name] = screen.getAllByRole("columnheader");
    expect(id!.getAttribute("aria-sort")).toBe("descending");
    expect(name!.getAttribute("aria-sort")).toBeNull();
    expect(within(name!).queryByRole("button")).toBeNull();
  });

  it("is one that a screen reader can read", async () => {
    render(<List count={40} />);
    expect(await faults()).toEqual([]);
  });
});

describe("rows that are fetched", () => {
  const list = (total: number, fetchPage: (offset: number, limit: number) => Promise<{ items: Row[] }>) => {
    function Fetched() {
      const source = usePages(["printers"], total, fetchPage);
      return <Grid label="Printers" columns={COLUMNS} source={source} keyOf={(row) => row.id} empty="none" />;
    }
    render(
      <QueryClientProvider client={new QueryClient()}>
        <Fetched />
      </QueryClientProvider>,
    );
  };

  it("are asked for by the page that is in view, and are busy until then", async () => {
    const fetchPage = vi.fn<(offset: number, limit: number) => Promise<{ items: Row[] }>>(async (offset, limit) => ({
      items: rows(20_000).slice(offset, offset + limit),
    }));
    list(20_000, fetchPage);
    expect(grid().querySelectorAll("[aria-busy]").length).toBeGreaterThan(5);
    await waitFor(() => expect(screen.getByText("printer-7")).toBeTruthy());
    expect(fetchPage.mock.calls.map(([offset, limit]) => [offset, limit])).toEqual([[0, 100]]);
    expect(await faults()).toEqual([]);
  });

  const stretches = (total: number | null, most: number) => {
    const asked = vi.fn<(cursor: string | null, limit: number) => Promise<Stretch<Row>>>(async (cursor, limit) => {
      const from = Number(cursor ?? 0);
      const items = rows(most).slice(from, from + limit);
      return { items, next: from + limit < most ? String(from + limit) : null, total };
    });
    function Fetched() {
      const { source } = useStretches(["printers", total, most], asked);
      return <Grid label="Printers" columns={COLUMNS} source={source} keyOf={(row) => row.id} empty="none" />;
    }
    render(
      <QueryClientProvider client={new QueryClient()}>
        <Fetched />
      </QueryClientProvider>,
    );
    return asked;
  };

  it("are read on as one goes down, and their number is told before", async () => {
    const user = userEvent.setup();
    const asked = stretches(1200, 1200);
    await waitFor(() => expect(screen.getByText("printer-7")).toBeTruthy());
    expect(grid().getAttribute("aria-rowcount")).toBe("1201");
    expect(asked.mock.calls.map(([cursor]) => cursor)).toEqual([null]);
    grid().focus();
    await user.keyboard("{End}");
    Object.defineProperty(grid(), "scrollTop", { value: 1200 * 32 - 640, writable: true });
    fireEvent.scroll(grid());
    await waitFor(() => expect(screen.getByText("printer-1199")).toBeTruthy());
    expect(asked.mock.calls.map(([cursor]) => cursor)).toEqual([null, "500", "1000"]);
  });

  it("are known to go on where nobody says how many there are", async () => {
    stretches(null, 600);
    await waitFor(() => expect(screen.getByText("printer-7")).toBeTruthy());
    expect(grid().getAttribute("aria-rowcount")).toBe("502");
  });
});

describe("what is taken out", () => {
  const risky: Row[] = [
    { id: 1, name: '=HYPERLINK("x")' },
    { id: 2, name: 'a "quoted", text\nof two lines' },
  ];
  it("is CSV that no spreadsheet evaluates", () =>
    expect(asCsv(COLUMNS, risky)).toBe(
      '\uFEFFid,name\r\n1,"\'=HYPERLINK(""x"")"\r\n2,"a ""quoted"", text\nof two lines"\r\n',
    ));
  it("is one line for each row on the clipboard", () =>
    expect(asLines(COLUMNS, risky)).toBe('id\tname\n1\t=HYPERLINK("x")\n2\ta "quoted", text of two lines'));

  describe("by the menu", () => {
    const saved: { name: string; text: Promise<string> }[] = [];
    beforeEach(() => {
      saved.length = 0;
      let last: Blob;
      URL.createObjectURL = (blob) => {
        last = blob as Blob;
        return "blob:x";
      };
      URL.revokeObjectURL = () => undefined;
      vi.spyOn(HTMLAnchorElement.prototype, "click").mockImplementation(function (this: HTMLAnchorElement) {
        saved.push({ name: this.download, text: last.text() });
      });
    });
    afterEach(() => {
      vi.restoreAllMocks();
      vi.unstubAllGlobals();
    });
    const menu = (all: Reading = async () => rows(2)) =>
      render(
        <QueryClientProvider client={new QueryClient()}>
          <TakeOut title="Box Office" columns={COLUMNS} all={all} />
        </QueryClientProvider>,
      );

    it("tells how far it is, and is stopped", async () => {
      const user = userEvent.setup();
      menu(async (signal, told) => {
        told(2000, 20_000);
        await new Promise((_, reject) => signal.addEventListener("abort", () => reject(signal.reason as Error)));
        return rows(2);
      });
      await user.click(screen.getByRole("button", { name: "Take out" }));
      await user.click(screen.getByRole("button", { name: "as CSV" }));
      expect((await screen.findByText("2,000 of 20,000 read…")).getAttribute("role")).toBe("status");
      await user.click(screen.getByRole("button", { name: "Stop" }));
      await waitFor(() => expect(screen.queryByRole("button", { name: "Stop" })).toBeNull());
      expect(screen.queryByRole("alert")).toBeNull();
      expect(saved).toEqual([]);
    });

    it("comes as a CSV file, or as a workbook that the service writes", async () => {
      const user = userEvent.setup();
      const asked = vi.fn<(path: string, init: RequestInit) => Promise<Response>>(async () => new Response("PK"));
      vi.stubGlobal("fetch", asked);
      menu();
      await user.click(screen.getByRole("button", { name: "Take out" }));
      await user.click(screen.getByRole("button", { name: "as CSV" }));
      await waitFor(() => expect(saved.map((one) => one.name)).toEqual(["box-office.csv"]));
      await user.click(screen.getByRole("button", { name: "Take out" }));
      await user.click(screen.getByRole("button", { name: /workbook/ }));
      await waitFor(() => expect(saved.map((one) => one.name)).toEqual(["box-office.csv", "box-office.xlsx"]));
      expect(asked.mock.calls[0]![0]).toBe("/api/v1/sheets/workbook");
      expect(JSON.parse(String(asked.mock.calls[0]![1].body))).toEqual({
        title: "Box Office",
        header: ["id", "name"],
        rows: [
          ["0", "printer-0"],
          ["1", "printer-1"],
        ],
      });
    });

    it("says what went wrong", async () => {
      const user = userEvent.setup();
      vi.stubGlobal(
        "fetch",
        vi.fn<() => Promise<Response>>(
          async () =>
            new Response(JSON.stringify({ code: "too_large", detail: "a body may have 32 MiB here" }), { status: 413 }),
        ),
      );
      menu();
      await user.click(screen.getByRole("button", { name: "Take out" }));
      await user.click(screen.getByRole("button", { name: /workbook/ }));
      expect((await screen.findByRole("alert")).textContent).toBe("a body may have 32 MiB here.");
    });
  });
});
