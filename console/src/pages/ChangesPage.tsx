// Every edit by a person, of the plan, of devices and of settings, the latest first; taken back whole, one or several together.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import type { ChangeRow } from "../api/types";
import { lines, what, when } from "../lib/changes";
import { moment, plural } from "../lib/format";
import { useOpen } from "../lib/open";
import { Button, Notice } from "../parts/basics";
import type { Column } from "../parts/grid/column";
import { Grid } from "../parts/grid/Grid";
import { useStretches } from "../parts/grid/source";
import { TakeOut } from "../parts/grid/TakeOut";

const MOST_LINES = 8;
const NOBODY: ReadonlyMap<string | number, ChangeRow> = new Map();
const device = (change: ChangeRow) =>
  change.kind === "device" && /^\d+$/.test(change.item) ? Number(change.item) : null;

export default function ChangesPage() {
  const client = useQueryClient();
  const [selected, setSelected] = useState(NOBODY);
  const [, setOpen] = useOpen();
  const list = useStretches(["changes"], (cursor, limit, signal) =>
    api.get("/api/v1/changes", { query: { cursor, limit }, signal }),
  );
  const undo = useMutation({
    mutationFn: (changes: number[]) => api.post("/api/v1/changes/undo", { body: { change_ids: changes } }),
    onSuccess: () => {
      setSelected(NOBODY);
      return client.invalidateQueries();
    },
  });
  const columns: Column<ChangeRow>[] = [
    ...COLUMNS,
    {
      name: "undo",
      width: "6rem",
      text: (change) => (change.taken_back_by ? `taken back by ${change.taken_back_by}` : ""),
      cell: (change) =>
        change.taken_back_by ? (
          <span className="text-sm text-soft" title={`by change ${change.taken_back_by}`}>
            taken back
          </span>
        ) : (
          <button
            type="button"
            className="underline decoration-rule underline-offset-4 hover:decoration-ink"
            disabled={undo.isPending}
            aria-label={`Undo change ${change.id}`}
            onClick={(event) => {
              event.stopPropagation();
              undo.mutate([change.id]);
            }}
          >
            Undo
          </button>
        ),
    },
  ];
  return (
    <div className="flex h-full flex-col">
      <div className="px-4 pt-3 pb-2">
        <div className="flex flex-wrap items-end gap-3">
          <h1 className="text-2xl font-semibold">Changes</h1>
          <span className="ml-auto py-1 text-sm text-soft" aria-live="polite">
            {list.loaded ? plural(list.source.total, "change") : ""}
          </span>
          <TakeOut
            title="Changes"
            columns={columns}
            all={(signal, told) => api.all("/api/v1/changes", { signal }, told)}
          />
        </div>
        <p className="mt-1 max-w-4xl text-sm text-soft">
          Every edit of the plan, of devices and of settings. Taking one back takes back all of it, as long as nothing
          in it was changed again since; several that are selected are taken back together, or none of them.
        </p>
        {selected.size > 0 ? (
          <div className="mt-2 flex items-center gap-2">
            <Button
              tone="ink"
              disabled={undo.isPending}
              onClick={() => undo.mutate([...selected.values()].map((one) => one.id))}
            >
              Take back {plural(selected.size, "change")}
            </Button>
            <Button tone="quiet" onClick={() => setSelected(NOBODY)}>
              Select none
            </Button>
          </div>
        ) : null}
        {(undo.error ?? list.error) ? (
          <div className="mt-2">
            <Notice tone="alarm">{(undo.error ?? list.error)!.message}.</Notice>
          </div>
        ) : null}
      </div>
      <Grid
        label="Changes"
        columns={columns}
        source={list.source}
        loaded={list.loaded}
        keyOf={(change) => change.id}
        nameOf={(change) => `change ${change.id}`}
        lines={(change) => Math.min(lines(change).length, MOST_LINES)}
        selected={selected}
        onSelected={setSelected}
        maySelect={(change) => !change.taken_back_by}
        onOpen={(change) => {
          const about = device(change);
          if (about !== null) setOpen({ kind: "device", id: about });
        }}
        empty={<p>Nothing was edited yet.</p>}
      />
    </div>
  );
}

const COLUMNS: Column<ChangeRow>[] = [
  {
    name: "id",
    width: "4.5rem",
    right: true,
    text: (change) => String(change.id),
    cell: (change) => <span className="text-soft">{change.id}</span>,
  },
  {
    name: "when",
    width: "10rem",
    text: (change) => moment(change.at),
    cell: (change) => <span title={moment(change.at)}>{when(change.at)}</span>,
  },
  { name: "who", width: "8rem", text: (change) => change.who, cell: (change) => change.who },
  {
    name: "what",
    width: "minmax(10rem,1fr)",
    text: (change) => `${change.kind} ${change.item}`,
    cell: (change) => (
      <span className={device(change) === null ? "" : "underline decoration-rule underline-offset-4"}>
        {change.kind} {change.item}
      </span>
    ),
  },
  {
    name: "change",
    width: "minmax(14rem,3fr)",
    text: what,
    cell: (change) =>
      lines(change)
        .slice(0, MOST_LINES)
        .map((line, i, shown) => (
          <span key={line} className="block truncate text-soft" title={what(change)}>
            {line}
            {i === shown.length - 1 && lines(change).length > MOST_LINES ? " …" : ""}
          </span>
        )),
  },
];
