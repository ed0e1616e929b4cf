// The virtual table: only the rows in view exist, pages of them are fetched by position. Keyboard: arrows, Enter, Space.
import { useQueries } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDown, ArrowUp } from "lucide-react";
import { useCallback, useMemo, useRef, useState, type KeyboardEvent } from "react";
import { Link } from "react-router";
import { api } from "../../api/client";
import type { DeviceRow, DeviceSort } from "../../api/types";
import { useOpen } from "../../lib/open";
import { type ColumnName, COLUMNS } from "./columns";

export interface Filters {
  q: string;
  role: string | undefined;
  unknown: boolean | undefined;
  expected: boolean | undefined;
  retired: boolean;
  sort: DeviceSort;
  descending: boolean;
}

const PAGE = 100;
const ROW = 32;

interface Props {
  filters: Filters;
  total: number;
  loaded: boolean;
  columns: ColumnName[];
  selected: ReadonlyMap<number, DeviceRow>;
  onSelected(next: ReadonlyMap<number, DeviceRow>): void;
  onSort(sort: string): void;
}

export function DeviceTable({ filters, total, loaded, columns, selected, onSelected, onSort }: Props) {
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
  const firstPage = Math.floor((items[0]?.index ?? 0) / PAGE),
    lastPage = Math.floor((items.at(-1)?.index ?? 0) / PAGE);
  const pages = useMemo(
    () => Array.from({ length: lastPage - firstPage + 1 }, (_, i) => firstPage + i),
    [firstPage, lastPage],
  );
  const fetched = useQueries({
    queries: pages.map((page) => ({
      queryKey: ["devices", "page", filters, page],
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        api.get("/api/v1/devices/positions", { query: { ...filters, offset: page * PAGE, limit: PAGE }, signal }),
      enabled: total > 0,
    })),
  });
  const rowAt = (index: number) => fetched[Math.floor(index / PAGE) - firstPage]?.data?.items[index % PAGE];
  const template = `2rem ${columns.map((column) => COLUMNS[column].width).join(" ")}`;

  const toggle = useCallback(
    (device: DeviceRow) => {
      const next = new Map(selected);
      if (!next.delete(device.id)) next.set(device.id, device);
      onSelected(next);
    },
    [selected, onSelected],
  );
  const onKey = (event: KeyboardEvent) => {
    const steps: Record<string, number> = {
      ArrowDown: 1,
      ArrowUp: -1,
      PageDown: 20,
      PageUp: -20,
      Home: -total,
      End: total,
    };
    const step = steps[event.key],
      device = rowAt(active);
    if (step !== undefined) {
      const next = Math.min(Math.max(active + step, 0), total - 1);
      setActive(next);
      virtual.scrollToIndex(next);
    } else if (event.key === "Enter" && device) setOpen({ kind: "device", id: device.id });
    else if (event.key === " " && device) toggle(device);
    else return;
    event.preventDefault();
  };
  if (loaded && total === 0)
    return (
      <Nothing filtered={!!(filters.q || filters.role || filters.unknown || filters.expected || filters.retired)} />
    );
  return (
    <div
      ref={frame}
      role="grid"
      aria-rowcount={total + 1}
      tabIndex={0}
      onKeyDown={onKey}
      aria-label="Devices: arrows move, Enter opens, Space selects"
      className="min-h-0 flex-1 overflow-auto border-t border-rule bg-leaf"
    >
      <div style={{ minWidth: "max-content" }}>
        <div
          role="row"
          className="sticky top-0 z-10 grid border-b border-rule bg-paper text-sm"
          style={{ gridTemplateColumns: template }}
        >
          <span />
          {columns.map((column) => (
            <Head key={column} column={column} filters={filters} onSort={onSort} />
          ))}
        </div>
        <div style={{ height: virtual.getTotalSize(), position: "relative" }}>
          {items.map((item) => {
            const device = rowAt(item.index);
            const isOpen = device && open?.kind === "device" && open.id === device.id;
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
                aria-selected={!!device && selected.has(device.id)}
                onClick={() => {
                  setActive(item.index);
                  if (device) setOpen({ kind: "device", id: device.id });
                }}
                className={`absolute inset-x-0 grid cursor-pointer items-center border-b border-rule ${look}`}
                style={{ height: ROW, transform: `translateY(${item.start}px)`, gridTemplateColumns: template }}
              >
                {device ? (
                  <>
                    <span className="grid place-items-center">
                      <input
                        type="checkbox"
                        tabIndex={-1}
                        checked={selected.has(device.id)}
                        aria-label={`Select ${device.called || device.address}`}
                        onClick={(event) => event.stopPropagation()}
                        onChange={() => toggle(device)}
                      />
                    </span>
                    {columns.map((column) => (
                      <span key={column} role="gridcell" className="truncate px-2">
                        {COLUMNS[column].cell(device)}
                      </span>
                    ))}
                  </>
                ) : (
                  <span className="col-span-full px-3 text-rule">…</span>
                )}
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}

function Head({ column, filters, onSort }: { column: ColumnName; filters: Filters; onSort(sort: string): void }) {
  const { sort } = COLUMNS[column];
  const on = sort !== undefined && filters.sort === sort;
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
          {column} {on ? <Arrow className="size-3.5" aria-hidden /> : null}
        </button>
      ) : (
        <span className="text-soft">{column}</span>
      )}
    </span>
  );
}

function Nothing({ filtered }: { filtered: boolean }) {
  return (
    <div className="border-t border-rule bg-leaf p-8">
      {filtered ? (
        <p>No device matches. Take a filter away, or search for a shorter fragment.</p>
      ) : (
        <p>
          The roster is empty.{" "}
          <Link to="/" className="text-ink underline">
            Scan the subnet you stand on
          </Link>
          ; every device that answers is entered here.
        </p>
      )}
    </div>
  );
}
