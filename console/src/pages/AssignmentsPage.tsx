// Every assigned address, sorted and filtered by the service; reservations with where they stand.
import { AssignPanel } from "../parts/AssignPanel";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api } from "../api/client";
import type { AssignmentRow } from "../api/types";
import { useDelayed } from "../lib/delayed";
import { ago, moment, plural } from "../lib/format";
import { useOpen } from "../lib/open";
import { Input, inputLook, Mono, Notice } from "../parts/basics";
import type { Column } from "../parts/grid/column";
import { Grid } from "../parts/grid/Grid";
import { usePages } from "../parts/grid/source";
import { TakeOut } from "../parts/grid/TakeOut";
import { ReservationState } from "../parts/ReservationState";

type Sort = "address" | "name" | "role" | "mac" | "kind";
type Filters = {
  q: string;
  subnet: string | null;
  kind: AssignmentRow["kind"] | null;
  sort: Sort;
  descending: boolean;
};

const elsewhere = (row: AssignmentRow) => !!row.seen_at && row.seen_at !== row.address;
const COLUMNS: Column<AssignmentRow, Sort>[] = [
  {
    name: "address",
    width: "8.5rem",
    sort: "address",
    text: (row) => row.address,
    cell: (row) => <Mono>{row.address}</Mono>,
  },
  {
    name: "name",
    width: "minmax(9rem,2fr)",
    sort: "name",
    text: (row) => row.name || (row.device?.name ?? ""),
    cell: (row) => row.name || <span className="text-soft">{row.device?.name ?? "no name"}</span>,
  },
  {
    name: "kind",
    width: "6rem",
    sort: "kind",
    text: (row) => (row.on ? row.kind : `${row.kind} (off)`),
    cell: (row) => (
      <span className={row.on ? "" : "text-soft line-through"}>
        {row.kind}
        {row.on ? "" : " (off)"}
      </span>
    ),
  },
  {
    name: "reservation",
    width: "8.5rem",
    text: (row) => row.reservation?.state ?? "",
    cell: (row) =>
      row.reservation ? (
        <span title={row.reservation.sentence}>
          <ReservationState state={row.reservation.state} />
        </span>
      ) : null,
  },
  {
    name: "seen at",
    width: "8.5rem",
    text: (row) => row.seen_at ?? "",
    cell: (row) => (
      <Mono className={elsewhere(row) ? "text-alarm" : "text-soft"}>
        {elsewhere(row) ? row.seen_at : row.seen_at ? "there" : ""}
      </Mono>
    ),
  },
  {
    name: "role",
    width: "6.5rem",
    sort: "role",
    text: (row) => row.role,
    cell: (row) => <span className="text-soft">{row.role}</span>,
  },
  {
    name: "mac",
    width: "11rem",
    sort: "mac",
    text: (row) => row.mac ?? "",
    cell: (row) => <Mono>{row.mac ?? ""}</Mono>,
  },
  { name: "vendor", width: "minmax(8rem,1fr)", text: (row) => row.vendor ?? "", cell: (row) => row.vendor },
  {
    name: "last seen",
    width: "6.5rem",
    text: (row) => moment(row.last_seen),
    cell: (row) => <span className="text-soft">{row.mac ? ago(row.last_seen) : ""}</span>,
  },
];
const NOTES: Column<AssignmentRow, Sort> = {
  name: "notes",
  width: "10rem",
  text: (row) => row.notes,
  cell: (row) => row.notes,
};

export default function AssignmentsPage() {
  const [params, setParams] = useSearchParams();
  const [text, setText] = useState(params.get("q") ?? "");
  const q = useDelayed(text.trim(), 200);
  const filters = useMemo<Filters>(
    () => ({
      q,
      subnet: params.get("subnet"),
      kind: params.get("kind") as AssignmentRow["kind"] | null,
      sort: (params.get("sort") ?? "address") as Sort,
      descending: params.get("descending") === "true",
    }),
    [q, params],
  );
  const change = (changes: Record<string, string | null>) =>
    setParams(
      (before) => {
        const next = new URLSearchParams(before);
        for (const [name, value] of Object.entries(changes))
          if (value) next.set(name, value);
          else next.delete(name);
        return next;
      },
      { replace: true },
    );
  useEffect(() => {
    if (q !== (params.get("q") ?? "")) change({ q: q || null });
  });
  const subnets = useQuery({ queryKey: ["plan", "subnets"], queryFn: () => api.all("/api/v1/plan/subnets") });
  const total = useQuery({
    queryKey: ["assignments", "total", filters],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => api.get("/api/v1/assignments", { query: { ...filters, limit: 1 }, signal }),
  });
  const fetchPage = (offset: number, limit: number, signal?: AbortSignal) =>
    api.get("/api/v1/assignments", { query: { ...filters, offset, limit }, signal });
  const source = usePages(["assignments", "page", filters], total.data?.total ?? 0, fetchPage);
  const [open, setOpen] = useOpen();
  return (
    <div className="flex h-full flex-col">
      <h1 className="sr-only">Addresses</h1>
      {params.get("assign") ? (
        <div className="px-4 pt-3">
          <AssignPanel
            mac={params.get("assign")!}
            role={params.get("role") ?? ""}
            onClose={() => change({ assign: null, role: null })}
          />
        </div>
      ) : null}
      <div className="flex flex-wrap items-end gap-3 px-4 pt-3 pb-2">
        <Input
          type="search"
          value={text}
          onChange={(event) => setText(event.target.value)}
          aria-label="Search addresses"
          spellCheck={false}
          placeholder="Search: name, address, MAC, note"
          className="w-72"
        />
        <select
          aria-label="Subnet"
          className={inputLook}
          value={filters.subnet ?? ""}
          onChange={(event) => change({ subnet: event.target.value })}
        >
          <option value="">every subnet</option>
          {subnets.data?.map((one) => (
            <option key={one.id} value={one.id}>
              {one.name || one.cidr}
            </option>
          ))}
        </select>
        <select
          aria-label="Kind"
          className={inputLook}
          value={filters.kind ?? ""}
          onChange={(event) => change({ kind: event.target.value })}
        >
          <option value="">static and reserved</option>
          <option value="static">static</option>
          <option value="reserved">reserved</option>
        </select>
        <span className="ml-auto py-1 text-sm text-soft" aria-live="polite">
          {total.data ? plural(total.data.total ?? 0, "assigned address", "assigned addresses") : ""}
        </span>
        <Link to="/import" className="py-1 text-sm underline decoration-rule underline-offset-4 hover:decoration-ink">
          Import
        </Link>
        <TakeOut
          title="Assigned addresses"
          columns={[...COLUMNS, NOTES]}
          all={(signal, told) => api.all("/api/v1/assignments", { query: filters, signal }, told)}
        />
      </div>
      {total.error ? (
        <div className="px-4">
          <Notice tone="alarm">{total.error.message}</Notice>
        </div>
      ) : null}
      <Grid
        label="Assigned addresses"
        columns={COLUMNS}
        source={source}
        loaded={total.isSuccess}
        keyOf={(row) => row.id}
        isOpen={(row) => open?.kind === "address" && open.address === row.address}
        onOpen={(row) => setOpen({ kind: "address", address: row.address })}
        sorting={{ by: filters.sort, descending: filters.descending }}
        onSort={(sort) => change({ sort, descending: filters.sort === sort && !filters.descending ? "true" : null })}
        empty={
          filters.q || filters.kind || filters.subnet ? (
            <p>No assigned address matches.</p>
          ) : (
            <p>
              No address is assigned yet. Open a{" "}
              <Link to="/plan" className="text-ink underline">
                subnet
              </Link>{" "}
              and ask for a free one, or{" "}
              <Link to="/import" className="text-ink underline">
                import a spreadsheet
              </Link>
              .
            </p>
          )
        }
      />
    </div>
  );
}
