// The one list of the console: only rows in view exist; arrows move, Enter opens, Space selects, Ctrl-C copies; heads sort.
import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDown, ArrowUp } from "lucide-react";
import { useEffect, useId, useRef, useState, type KeyboardEvent, type ReactNode } from "react";
import { asLines, leastWidth, type Column, type Sorting } from "./column";
import type { Source } from "./source";

const ROW = 32;
const AHEAD = 12;

interface Props<R, S extends string> {
  /** What is listed, in the plural. */
  label: string;
  columns: readonly Column<R, S>[];
  source: Source<R>;
  keyOf(row: R): string | number;
  empty: ReactNode;
  loaded?: boolean;
  /** How many lines a row has; one when left out. */
  lines?(row: R): number;
  isOpen?(row: R): boolean;
  onOpen?(row: R): void;
  nameOf?(row: R): string;
  selected?: ReadonlyMap<string | number, R>;
  onSelected?(next: ReadonlyMap<string | number, R>): void;
  /** Which rows can be selected; all of them when left out. */
  maySelect?(row: R): boolean;
  sorting?: Sorting<S>;
  onSort?(by: S): void;
}

export function Grid<R, S extends string = string>(props: Props<R, S>) {
  const { label, columns, source, keyOf, empty, loaded = true, lines, isOpen, onOpen, selected, onSelected } = props;
  const { total } = source;
  const frame = useRef<HTMLDivElement>(null);
  const id = useId();
  const [active, setActive] = useState(0);
  const virtual = useVirtualizer({
    count: total,
    getScrollElement: () => frame.current,
    estimateSize: (index) => {
      const row = lines ? source.rowAt(index) : undefined;
      return ROW * Math.max(row && lines ? lines(row) : 1, 1);
    },
    overscan: AHEAD,
  });
  const items = virtual.getVirtualItems();
  const first = items[0]?.index ?? 0,
    last = items.at(-1)?.index ?? 0;
  const { show } = source;
  useEffect(() => show(first, last), [show, first, last]);
  const tall = lines !== undefined;
  const aim = useRef<number | null>(null); // the row that a key went to, until somebody scrolls by hand
  useEffect(() => {
    if (!tall) return;
    virtual.measure(); // rows that have come may have more lines than was thought
    if (aim.current !== null) virtual.scrollToIndex(aim.current);
  }, [virtual, tall, source.loaded]);
  useEffect(() => setActive((now) => Math.max(0, Math.min(now, total - 1))), [total]);

  const toggle = (row: R) => {
    if (!onSelected || props.maySelect?.(row) === false) return;
    const next = new Map(selected);
    if (!next.delete(keyOf(row))) next.set(keyOf(row), row);
    onSelected(next);
  };
  const onKey = (event: KeyboardEvent) => {
    const own = event.target === frame.current; // what stands in a cell has Enter and Space for itself
    const row = source.rowAt(active);
    const steps: Record<string, number> = {
      ArrowDown: 1,
      ArrowUp: -1,
      PageDown: 20,
      PageUp: -20,
      Home: -total,
      End: total,
    };
    const step = steps[event.key];
    if (step !== undefined) {
      const next = Math.min(Math.max(active + step, 0), total - 1);
      setActive(next);
      aim.current = next;
      virtual.scrollToIndex(next);
    } else if (event.key === "Enter" && own && row && onOpen) onOpen(row);
    else if (event.key === " " && own && row && onSelected) toggle(row);
    else if (event.key === "c" && (event.ctrlKey || event.metaKey) && !getSelection()?.toString()) {
      const rows = selected?.size ? [...selected.values()] : row ? [row] : [];
      if (rows.length > 0) void navigator.clipboard.writeText(asLines(columns, rows));
    } else return;
    event.preventDefault();
  };
  if (loaded && total === 0) return <div className="border-t border-rule bg-leaf p-8">{empty}</div>;
  const tracks = [...(onSelected ? ["2rem"] : []), ...columns.map((column) => column.width)];
  const template = tracks.join(" ");
  const minWidth = leastWidth(tracks); // the same for head and rows, so that they stand in line
  const keys = `arrows move${onOpen ? ", Enter opens" : ""}${onSelected ? ", Space selects" : ""}, Ctrl-C copies`;
  return (
    <div
      ref={frame}
      role="grid"
      aria-rowcount={total + 1}
      aria-multiselectable={onSelected ? true : undefined}
      aria-activedescendant={items.length > 0 && active >= first && active <= last ? `${id}-${active}` : undefined}
      tabIndex={0}
      onKeyDown={onKey}
      onWheel={() => (aim.current = null)}
      onPointerDown={() => (aim.current = null)}
      aria-label={`${label}: ${keys}`}
      className="min-h-0 flex-1 overflow-auto border-t border-rule bg-leaf"
    >
      <div role="rowgroup" className="sticky top-0 z-10" style={{ minWidth }}>
        <div
          role="row"
          aria-rowindex={1}
          className="grid border-b border-rule bg-paper text-sm"
          style={{ gridTemplateColumns: template }}
        >
          {onSelected ? (
            <span role="columnheader">
              <span className="sr-only">selected</span>
            </span>
          ) : null}
          {columns.map((column) => (
            <Head key={column.name} column={column} sorting={props.sorting} onSort={props.onSort} />
          ))}
        </div>
      </div>
      <div role="rowgroup" style={{ height: Math.max(virtual.getTotalSize(), 1), position: "relative", minWidth }}>
        {items.map((item) => {
          const row = source.rowAt(item.index);
          const on = row !== undefined && !!selected?.has(keyOf(row));
          const look =
            row !== undefined && isOpen?.(row)
              ? "bg-wash shadow-[inset_3px_0_0_var(--ink)]"
              : item.index === active
                ? "bg-wash/60"
                : "hover:bg-wash/60";
          return (
            <div
              key={item.key}
              id={`${id}-${item.index}`}
              role="row"
              aria-rowindex={item.index + 2}
              aria-selected={onSelected ? on : undefined}
              onClick={() => {
                setActive(item.index);
                if (row !== undefined) onOpen?.(row);
              }}
              className={`absolute inset-x-0 grid items-center border-b border-rule ${onOpen ? "cursor-pointer" : ""} ${look}`}
              style={{ height: item.size, transform: `translateY(${item.start}px)`, gridTemplateColumns: template }}
            >
              {row === undefined ? (
                <span role="gridcell" aria-busy className="col-span-full px-3 text-rule">
                  …
                </span>
              ) : (
                <>
                  {onSelected ? (
                    <span role="gridcell" className="grid place-items-center">
                      <input
                        type="checkbox"
                        tabIndex={-1}
                        disabled={props.maySelect?.(row) === false}
                        checked={on}
                        aria-label={`Select ${props.nameOf?.(row) ?? keyOf(row)}`}
                        onClick={(event) => event.stopPropagation()}
                        onChange={() => toggle(row)}
                      />
                    </span>
                  ) : null}
                  {columns.map((column) => (
                    <span
                      key={column.name}
                      role="gridcell"
                      className={`truncate px-2 ${column.right ? "text-right" : ""}`}
                    >
                      {column.cell(row)}
                    </span>
                  ))}
                </>
              )}
            </div>
          );
        })}
      </div>
    </div>
  );
}

interface HeadProps<R, S extends string> {
  column: Column<R, S>;
  sorting: Sorting<S> | undefined;
  onSort: ((by: S) => void) | undefined;
}

function Head<R, S extends string>({ column, sorting, onSort }: HeadProps<R, S>) {
  const { name, sort } = column;
  const on = sort !== undefined && sorting?.by === sort;
  const Arrow = sorting?.descending ? ArrowDown : ArrowUp;
  return (
    <span
      role="columnheader"
      aria-sort={sort ? (on ? (sorting?.descending ? "descending" : "ascending") : "none") : undefined}
      className={`truncate px-2 py-1 ${column.right ? "text-right" : ""}`}
    >
      {sort && onSort ? (
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
