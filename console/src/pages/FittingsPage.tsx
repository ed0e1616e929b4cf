// Fittings: new devices that are being brought in, the way to begin with more of them, and the kinds that the site knows.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { api } from "../api/client";
import type { FittingRow } from "../api/types";
import { ago, moment } from "../lib/format";
import { Button, Notice } from "../parts/basics";
import type { Column } from "../parts/grid/column";
import { Grid } from "../parts/grid/Grid";
import { atHand } from "../parts/grid/source";
import { TakeOut } from "../parts/grid/TakeOut";
import { ChangeOver } from "./fitting/ChangeOver";
import { Kinds } from "./fitting/Kinds";
import { NewFitting } from "./fitting/NewFitting";

export default function FittingsPage() {
  const [adding, setAdding] = useState(false);
  const [whole, setWhole] = useState(false);
  const go = useNavigate();
  const over = Number(useSearchParams()[0].get("over"));
  const here = useQuery({ queryKey: ["here"], queryFn: () => api.get("/api/v1/here") });
  const fittings = useQuery({
    queryKey: ["fittings", whole],
    queryFn: ({ signal }) => api.all("/api/v1/fittings", { query: { open: !whole }, signal }),
  });
  const rows = fittings.data ?? [];
  return (
    <div className="mx-auto max-w-6xl px-4 py-5">
      <div className="flex flex-wrap items-baseline gap-3">
        <h1 className="text-2xl font-semibold">Fitting</h1>
        <label className="flex items-center gap-1.5 text-sm">
          <input type="checkbox" checked={whole} onChange={() => setWhole(!whole)} /> those that are over, too
        </label>
        <span className="ml-auto flex gap-2">
          {here.data?.simulated ? (
            <Link to="/cartons" className="rounded border border-rule px-2.5 py-1 text-sm hover:border-ink">
              Cartons
            </Link>
          ) : null}
          <Button tone={adding ? "plain" : "ink"} onClick={() => setAdding(!adding)}>
            {adding ? "Close" : "New device…"}
          </Button>
        </span>
      </div>
      {fittings.error ? <Notice tone="alarm">{fittings.error.message}.</Notice> : null}
      {adding ? <NewFitting /> : null}
      {over && !adding ? <ChangeOver device={over} /> : null}
      {fittings.isSuccess && rows.length === 0 && !adding && !over ? (
        <p className="mt-2 max-w-3xl text-soft">
          Nothing is being fitted. A fitting brings a new device in: from the MAC on its label to the moment at which it
          came back from a power cut with its new address. Each step is checked by the service.
        </p>
      ) : null}
      {rows.length > 0 ? (
        <div className="mt-3 flex max-h-[60vh] flex-col">
          <div className="mb-1 self-end">
            <TakeOut title="Fittings" columns={COLUMNS} all={() => Promise.resolve(rows)} />
          </div>
          <Grid
            label="Fittings"
            columns={COLUMNS}
            source={atHand(rows)}
            loaded={fittings.isSuccess}
            keyOf={(row) => row.id}
            isOpen={() => false}
            onOpen={(row) => void go(`/fittings/${row.id}`)}
            empty={null}
          />
        </div>
      ) : null}
      <Kinds />
    </div>
  );
}

const named = (row: FittingRow) =>
  row.names.slice(0, 3).join(", ") + (row.device_count > 3 ? ` and ${row.device_count - 3} more` : "");
const COLUMNS: Column<FittingRow>[] = [
  { name: "devices", width: "minmax(11rem,2fr)", text: named, cell: named },
  {
    name: "kind",
    width: "minmax(7rem,1fr)",
    text: (row) => row.kind?.name ?? row.role,
    cell: (row) => row.kind?.name ?? row.role,
  },
  { name: "where", width: "7rem", text: (row) => row.where, cell: (row) => row.where },
  {
    name: "in place",
    width: "6.5rem",
    text: (row) => `${row.done_count} of ${row.device_count}`,
    cell: (row) => (
      <span className={row.open_count ? "" : "text-soft"}>
        {row.done_count} of {row.device_count}
      </span>
    ),
  },
  {
    name: "moved",
    width: "7rem",
    text: (row) => moment(row.touched_at),
    cell: (row) => <span title={moment(row.touched_at)}>{ago(row.touched_at)}</span>,
  },
  { name: "by", width: "minmax(7rem,1fr)", text: (row) => row.who, cell: (row) => row.who },
];
