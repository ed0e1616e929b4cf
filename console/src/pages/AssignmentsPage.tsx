// Every assigned address, sorted and filtered by the service; reservations with where they stand.
import { AssignPanel } from "../parts/AssignPanel";
import { keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDown, ArrowUp } from "lucide-react";
import { useEffect, useMemo, useRef, useState, type KeyboardEvent } from "react";
import { Link, useSearchParams } from "react-router";
import { api } from "../api/client";
import type { AssignmentRow } from "../api/types";
import { useDelayed } from "../lib/delayed";
import { ago, plural } from "../lib/format";
import { useOpen } from "../lib/open";
import { Input, inputLook, Mono, Notice } from "../parts/basics";
import { ReservationState } from "../parts/ReservationState";

const PAGE = 100,
  ROW = 32;
const GRID = "8.5rem minmax(9rem,2fr) 6rem 8.5rem 8.5rem 6.5rem 11rem minmax(8rem,1fr) 6.5rem";
const COLUMNS = [
  ["address", "address"],
  ["name", "name"],
  ["kind", "kind"],
  ["reservation", null],
  ["seen at", null],
  ["role", "role"],
  ["mac", "mac"],
  ["vendor", null],
  ["last seen", null],
] as const;

export default function AssignmentsPage() {
  const [params, setParams] = useSearchParams();
  const [text, setText] = useState(params.get("q") ?? "");
  const q = useDelayed(text.trim(), 200);
  const filters = useMemo(
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
  return (
    <div className="flex h-full flex-col">
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
      </div>
      {total.error ? (
        <div className="px-4">
          <Notice tone="alarm">{total.error.message}</Notice>
        </div>
      ) : null}
      <Rows
        filters={filters}
        total={total.data?.total ?? 0}
        loaded={total.isSuccess}
        onSort={(sort) => change({ sort, descending: filters.sort === sort && !filters.descending ? "true" : null })}
      />
    </div>
  );
}

type Sort = "address" | "name" | "role" | "mac" | "kind";
type Filters = {
  q: string;
  subnet: string | null;
  kind: AssignmentRow["kind"] | null;
  sort: Sort;
  descending: boolean;
};

interface RowsProps {
  filters: Filters;
  total: number;
  loaded: boolean;
  onSort(sort: string): void;
}

function Rows({ filters, total, loaded, onSort }: RowsProps) {
  const frame = useRef<HTMLDivElement>(null);
  const [open, setOpen] = useOpen();
  const [active, setActive] = useState(0);
  const virtual = useVirtualizer({
    count: total,
    getScrollElement: () => frame.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  const items = virtual.getVirtualItems();
  const first = Math.floor((items[0]?.index ?? 0) / PAGE),
    last = Math.floor((items.at(-1)?.index ?? 0) / PAGE);
  const fetched = useQueries({
    queries: Array.from({ length: last - first + 1 }, (_, i) => first + i).map((page) => ({
      queryKey: ["assignments", "page", filters, page],
      enabled: total > 0,
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        api.get("/api/v1/assignments", { query: { ...filters, offset: page * PAGE, limit: PAGE }, signal }),
    })),
  });
  const rowAt = (index: number) => fetched[Math.floor(index / PAGE) - first]?.data?.items[index % PAGE];
  const onKey = (event: KeyboardEvent) => {
    const step = (
      { ArrowDown: 1, ArrowUp: -1, PageDown: 20, PageUp: -20, Home: -total, End: total } as Record<string, number>
    )[event.key];
    const row = rowAt(active);
    if (step !== undefined) {
      const next = Math.min(Math.max(active + step, 0), total - 1);
      setActive(next);
      virtual.scrollToIndex(next);
    } else if (event.key === "Enter" && row) setOpen({ kind: "address", address: row.address });
    else return;
    event.preventDefault();
  };
  if (loaded && total === 0)
    return (
      <div className="border-t border-rule bg-leaf p-8">
        {filters.q || filters.kind || filters.subnet ? (
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
        )}
      </div>
    );
  return (
    <div
      ref={frame}
      role="grid"
      aria-rowcount={total + 1}
      tabIndex={0}
      onKeyDown={onKey}
      aria-label="Assigned addresses: arrows move, Enter opens"
      className="min-h-0 flex-1 overflow-auto border-t border-rule bg-leaf"
    >
      <div style={{ minWidth: "max-content" }}>
        <div
          role="row"
          className="sticky top-0 z-10 grid border-b border-rule bg-paper text-sm"
          style={{ gridTemplateColumns: GRID }}
        >
          {COLUMNS.map(([name, sort]) => (
            <Head key={name} name={name} sort={sort} filters={filters} onSort={onSort} />
          ))}
        </div>
        <div style={{ height: virtual.getTotalSize(), position: "relative" }}>
          {items.map((item) => {
            const row = rowAt(item.index);
            const isOpen = row && open?.kind === "address" && open.address === row.address;
            const look = isOpen
              ? "bg-wash shadow-[inset_3px_0_0_var(--ink)]"
              : item.index === active
                ? "bg-wash/60"
                : "hover:bg-wash/60";
            return (
              <div
                key={item.key}
                role="row"
                aria-rowindex={item.index + 2}
                onClick={() => {
                  setActive(item.index);
                  if (row) setOpen({ kind: "address", address: row.address });
                }}
                className={`absolute inset-x-0 grid cursor-pointer items-center border-b border-rule ${look}`}
                style={{ height: ROW, transform: `translateY(${item.start}px)`, gridTemplateColumns: GRID }}
              >
                {row ? <Cells row={row} /> : <span className="col-span-full px-3 text-rule">…</span>}
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}

function Cells({ row }: { row: AssignmentRow }) {
  const elsewhere = row.seen_at && row.seen_at !== row.address;
  return (
    <>
      <Mono className="px-2">{row.address}</Mono>
      <span className="truncate px-2">
        {row.name || <span className="text-soft">{row.device?.name ?? "no name"}</span>}
      </span>
      <span className={`px-2 ${row.on ? "" : "text-soft line-through"}`}>
        {row.kind}
        {row.on ? "" : " (off)"}
      </span>
      <span className="px-2" title={row.reservation?.sentence}>
        {row.reservation ? <ReservationState state={row.reservation.state} /> : null}
      </span>
      <Mono className={`px-2 ${elsewhere ? "text-alarm" : "text-soft"}`}>
        {elsewhere ? row.seen_at : row.seen_at ? "there" : ""}
      </Mono>
      <span className="truncate px-2 text-soft">{row.role}</span>
      <Mono className="px-2">{row.mac ?? ""}</Mono>
      <span className="truncate px-2">{row.vendor}</span>
      <span className="px-2 text-soft">{row.mac ? ago(row.last_seen) : ""}</span>
    </>
  );
}

function Head({
  name,
  sort,
  filters,
  onSort,
}: {
  name: string;
  sort: string | null;
  filters: RowsProps["filters"];
  onSort(sort: string): void;
}) {
  const on = sort !== null && filters.sort === sort;
  const Arrow = filters.descending ? ArrowDown : ArrowUp;
  return (
    <span
      role="columnheader"
      aria-sort={on ? (filters.descending ? "descending" : "ascending") : "none"}
      className="truncate px-2 py-1"
    >
      {sort ? (
        <button
          type="button"
          onClick={() => onSort(sort)}
          className={`inline-flex items-center gap-1 ${on ? "font-semibold" : "text-soft hover:text-text"}`}
        >
          {name} {on ? <Arrow className="size-3.5" aria-hidden /> : null}
        </button>
      ) : (
        <span className="text-soft">{name}</span>
      )}
    </span>
  );
}
