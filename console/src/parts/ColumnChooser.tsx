// Choose and order a table's columns.
import { ArrowDown, ArrowUp, Columns3 } from "lucide-react";
import { Popover } from "radix-ui";
import { moved } from "../lib/columns";
import { Button } from "./basics";

interface Props<K extends string> {
  all: readonly K[];
  shown: K[];
  onChange(next: K[]): void;
}

export function ColumnChooser<K extends string>({ all, shown, onChange }: Props<K>) {
  const rest = all.filter((column) => !shown.includes(column));
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button>
          <Columns3 className="size-4" aria-hidden /> Columns
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          className="z-20 w-60 rounded border border-rule bg-leaf p-2 shadow-lg"
        >
          {[...shown, ...rest].map((column) => {
            const on = shown.includes(column);
            return (
              <div key={column} className="flex items-center gap-1">
                <label className="flex flex-1 items-center gap-2 py-0.5">
                  <input
                    type="checkbox"
                    checked={on}
                    disabled={on && shown.length === 1}
                    onChange={() => onChange(on ? shown.filter((one) => one !== column) : [...shown, column])}
                  />
                  {column}
                </label>
                {on ? (
                  <>
                    <Button
                      tone="quiet"
                      className="px-1"
                      aria-label={`${column} further left`}
                      onClick={() => onChange(moved(shown, column, -1))}
                    >
                      <ArrowUp className="size-3.5" />
                    </Button>
                    <Button
                      tone="quiet"
                      className="px-1"
                      aria-label={`${column} further right`}
                      onClick={() => onChange(moved(shown, column, 1))}
                    >
                      <ArrowDown className="size-3.5" />
                    </Button>
                  </>
                ) : null}
              </div>
            );
          })}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
