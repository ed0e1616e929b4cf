// Takes a list out as it is filtered: as CSV, as a workbook that the service writes, or on paper.
import { useMutation } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { Popover } from "radix-ui";
import { useEffect, useRef, useState } from "react";
import { api, type Told } from "../../api/client";
import { count, plural } from "../../lib/format";
import { saved } from "../../lib/saved";
import { Button } from "../basics";
import { asCsv, type Column } from "./column";

interface Props<R> {
  /** What the file is called and the page says, such as "Devices". */
  title: string;
  columns: readonly Column<R>[];
  all(signal: AbortSignal, told: Told): Promise<readonly R[]>;
}

type Form = "csv" | "xlsx" | "print";

export function TakeOut<R>({ title, columns, all }: Props<R>) {
  const [open, setOpen] = useState(false);
  const [said, setSaid] = useState("");
  const stopping = useRef<AbortController>(null);
  const out = useMutation({
    mutationFn: async (form: Form) => {
      stopping.current = new AbortController();
      const { signal } = stopping.current;
      setSaid("Reading all of it…");
      const rows = await all(signal, (read, total) =>
        setSaid(total === null ? `${count(read)} read…` : `${count(read)} of ${count(total)} read…`),
      );
      signal.throwIfAborted();
      if (form === "print") print(title, columns, rows);
      else if (form === "csv") saved(new Blob([asCsv(columns, rows)], { type: "text/csv" }), `${title}.csv`);
      else {
        setSaid(`Writing ${plural(rows.length, "row")}…`);
        const body = {
          title,
          header: columns.map((column) => column.name),
          rows: rows.map((row) => columns.map((column) => column.text(row))),
        };
        saved(await api.workbook(body, signal), `${title}.xlsx`);
      }
    },
    onSuccess: () => setOpen(false),
  });
  useEffect(() => () => stopping.current?.abort(), []); // nobody waits for it any more
  const wrong = out.error && out.error.name !== "AbortError" ? out.error : null;
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button>
          <Download className="size-4" aria-hidden /> Take out
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          className="z-20 flex w-56 flex-col gap-1 rounded border border-rule bg-leaf p-2 shadow-lg"
        >
          {(["csv", "xlsx", "print"] as const).map((form) => (
            <Button key={form} tone="quiet" disabled={out.isPending} onClick={() => out.mutate(form)}>
              {form === "csv" ? "as CSV" : form === "xlsx" ? "as a workbook (XLSX)" : "on paper"}
            </Button>
          ))}
          {out.isPending ? (
            <span className="flex items-center gap-2 px-2 text-sm text-soft">
              <span role="status" className="flex-1">
                {said}
              </span>
              <Button onClick={() => stopping.current?.abort()}>Stop</Button>
            </span>
          ) : null}
          {wrong ? (
            <span role="alert" className="px-2 text-sm text-alarm">
              {wrong.message}.
            </span>
          ) : null}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

const PAPER =
  "body{font:10pt sans-serif;margin:1cm}h1{font-size:14pt}table{border-collapse:collapse;width:100%}" +
  "th,td{border-bottom:1px solid #999;padding:2pt 4pt;text-align:left;vertical-align:top}thead{display:table-header-group}tr{break-inside:avoid}";

/** The list on a page of its own, made of texts alone. */
function print<R>(title: string, columns: readonly Column<R>[], rows: readonly R[]): void {
  const page = open("", "_blank");
  if (!page) throw new Error("The browser did not let a page be opened: allow it, or take the list out as CSV");
  const paper = page.document;
  const made = <T extends keyof HTMLElementTagNameMap>(tag: T, text = "") => {
    const one = paper.createElement(tag);
    if (text) one.textContent = text;
    return one;
  };
  paper.title = title;
  paper.head.append(made("style", PAPER));
  const table = made("table"),
    head = made("thead"),
    top = made("tr"),
    body = made("tbody");
  top.append(...columns.map((column) => made("th", column.name)));
  head.append(top);
  for (const row of rows) {
    const line = made("tr");
    line.append(...columns.map((column) => made("td", column.text(row))));
    body.append(line);
  }
  table.append(head, body);
  paper.body.append(made("h1", `${title}, ${new Date().toLocaleString()}`), table);
  page.print();
}
