// The devices of the roster: sorted, filtered and searched by the service, rows fetched as they scroll into view.
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api } from "../api/client";
import type { DeviceRow, DeviceSort } from "../api/types";
import { useColumns } from "../lib/columns";
import { useDelayed } from "../lib/delayed";
import { plural } from "../lib/format";
import { Input } from "../parts/basics";
import { ColumnChooser } from "../parts/ColumnChooser";
import { BulkBar } from "./devices/BulkBar";
import { COLUMN_NAMES, USUAL, columnsOf } from "./devices/columns";
import { Grid } from "../parts/grid/Grid";
import { usePages } from "../parts/grid/source";
import { TakeOut } from "../parts/grid/TakeOut";
import { useOpen } from "../lib/open";
import { RoleSelect } from "../parts/RoleSelect";
import { ReviewList } from "./device/ReviewList";

interface Filters {
  q: string;
  role: string | undefined;
  unknown: boolean | undefined;
  expected: boolean | undefined;
  retired: boolean;
  sort: DeviceSort;
  descending: boolean;
}

export default function DevicesPage() {
  const [params, setParams] = useSearchParams();
  const [text, setText] = useState(params.get("q") ?? "");
  const [columns, setColumns] = useColumns("devices", COLUMN_NAMES, USUAL);
  const [selected, setSelected] = useState<ReadonlyMap<string | number, DeviceRow>>(new Map());
  const q = useDelayed(text.trim(), 200);
  const filters = useMemo<Filters>(
    () => ({
      q,
      role: params.get("role") ?? undefined,
      unknown: params.get("unknown") === "true" || undefined,
      expected: params.get("expected") === "true" || undefined,
      retired: params.get("retired") === "true",
      sort: (params.get("sort") ?? "address") as DeviceSort,
      descending: params.get("descending") === "true",
    }),
    [q, params],
  );
  const change = (name: string, value: string | null) =>
    setParams(
      (before) => {
        const next = new URLSearchParams(before);
        if (value) next.set(name, value);
        else next.delete(name);
        return next;
      },
      { replace: true },
    );
  useEffect(() => {
    if (q !== (params.get("q") ?? "")) change("q", q || null);
  });
  const total = useQuery({
    queryKey: ["devices", "total", filters],
    queryFn: ({ signal }) => api.get("/api/v1/devices/positions", { query: { ...filters, limit: 1 }, signal }),
    placeholderData: keepPreviousData,
  });
  const fetchPage = (offset: number, limit: number, signal?: AbortSignal) =>
    api.get("/api/v1/devices/positions", { query: { ...filters, offset, limit }, signal });
  const source = usePages(["devices", "page", filters], total.data?.total ?? 0, fetchPage);
  const shown = columnsOf(columns);
  const [open, setOpen] = useOpen();
  const cases = useQuery({ queryKey: ["devices", "reviews"], queryFn: () => api.all("/api/v1/reviews") });
  return (
    <div className="flex h-full flex-col">
      <h1 className="sr-only">Devices</h1>
      <div className="flex flex-wrap items-end gap-3 px-4 pt-3 pb-2">
        <Input
          type="search"
          value={text}
          onChange={(event) => setText(event.target.value)}
          aria-label="Search devices"
          spellCheck={false}
          placeholder="Search: name, address, MAC, vendor, note"
          className="w-80"
        />
        <RoleSelect
          label="Role"
          value={filters.role ?? ""}
          onChange={(role) => change("role", role)}
          none="every role"
          wide={false}
        />
        <label className="flex items-center gap-1.5 py-1 text-sm">
          <input
            type="checkbox"
            checked={!!filters.unknown}
            onChange={(event) => change("unknown", event.target.checked ? "true" : null)}
          />{" "}
          nobody has named or planned
        </label>
        <label className="flex items-center gap-1.5 py-1 text-sm">
          <input
            type="checkbox"
            checked={!!filters.expected}
            onChange={(event) => change("expected", event.target.checked ? "true" : null)}
          />{" "}
          expected
        </label>
        <label className="flex items-center gap-1.5 py-1 text-sm">
          <input
            type="checkbox"
            checked={filters.retired}
            onChange={(event) => change("retired", event.target.checked ? "true" : null)}
          />{" "}
          retired
        </label>
        <span className="ml-auto py-1 text-sm text-soft" aria-live="polite">
          {total.data ? plural(total.data.total ?? 0, "device") : ""}
        </span>
        <ColumnChooser all={COLUMN_NAMES} shown={columns} onChange={setColumns} />
        <TakeOut
          title="Devices"
          columns={shown}
          all={(signal, told) => api.all("/api/v1/devices", { query: { ...filters, total: true }, signal }, told)}
        />
      </div>
      {(cases.data?.length ?? 0) > 0 ? (
        <details className="px-4 pb-2 text-sm">
          <summary className="cursor-pointer">
            {plural(cases.data!.length, "case")} to look at: what records of one device say differently
          </summary>
          <div className="max-h-64 overflow-auto">
            <ReviewList cases={cases.data!} named />
          </div>
        </details>
      ) : null}
      {selected.size > 0 ? (
        <BulkBar selected={selected} columns={columns} clear={() => setSelected(new Map())} />
      ) : null}
      <Grid
        label="Devices"
        columns={shown}
        source={source}
        loaded={total.isSuccess}
        keyOf={(device) => device.id}
        nameOf={(device) => device.called || device.address || `device ${device.id}`}
        isOpen={(device) => open?.kind === "device" && open.id === device.id}
        onOpen={(device) => setOpen({ kind: "device", id: device.id })}
        selected={selected}
        onSelected={setSelected}
        sorting={{ by: filters.sort, descending: filters.descending }}
        onSort={(sort) => {
          const back = filters.sort === sort && !filters.descending;
          setParams(
            (before) => {
              const next = new URLSearchParams(before);
              next.set("sort", sort);
              if (back) next.set("descending", "true");
              else next.delete("descending");
              return next;
            },
            { replace: true },
          );
        }}
        empty={
          filters.q || filters.role || filters.unknown || filters.expected || filters.retired ? (
            <p>No device matches. Take a filter away, or search for a shorter fragment.</p>
          ) : (
            <p>
              The roster is empty.{" "}
              <Link to="/" className="text-ink underline">
                Scan the subnet you stand on
              </Link>
              ; every device that answers is entered here.
            </p>
          )
        }
      />
    </div>
  );
}
