// How every planned subnet is looked at again by itself; one is opened to change that.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { api, Problem } from "../../api/client";
import type { WatchView } from "../../api/types";
import { ago, calledSubnet, moment } from "../../lib/format";
import { Button, Field, Input, inputLook, Section } from "../../parts/basics";
import type { Column } from "../../parts/grid/column";
import { Grid } from "../../parts/grid/Grid";
import { atHand } from "../../parts/grid/source";
import { TakeOut } from "../../parts/grid/TakeOut";

export function WatchList({ watches }: { watches: WatchView[] }) {
  const [editing, setEditing] = useState<number | null>(null);
  const edited = watches.find((one) => one.subnet.id === editing);
  return (
    <Section
      title="Subnets that are looked at again by themselves"
      aside={
        <TakeOut
          title="Watched subnets"
          columns={COLUMNS}
          all={(signal, told) => api.all("/api/v1/watches", { signal }, told)}
        />
      }
    >
      {edited ? <WatchForm key={edited.subnet.id} watch={edited} onDone={() => setEditing(null)} /> : null}
      <div className="flex max-h-[28rem] flex-col">
        <Grid
          label="Watched subnets"
          columns={[
            ...COLUMNS,
            {
              name: "change",
              width: "6rem",
              text: () => "",
              cell: (watch) => (
                <button
                  type="button"
                  className="underline decoration-rule underline-offset-4 hover:decoration-ink"
                  onClick={(event) => {
                    event.stopPropagation();
                    setEditing(watch.subnet.id === editing ? null : watch.subnet.id);
                  }}
                >
                  {watch.subnet.id === editing ? "Close" : "Change"}
                </button>
              ),
            },
          ]}
          source={atHand(watches)}
          keyOf={(watch) => watch.subnet.id ?? 0}
          isOpen={(watch) => watch.subnet.id === editing}
          onOpen={(watch) => setEditing(watch.subnet.id)}
          empty={<p className="text-sm text-soft">No subnet is planned yet; planned ones are watched.</p>}
        />
      </div>
    </Section>
  );
}

const every = (minutes: number) =>
  minutes === 0
    ? "never"
    : minutes % 1440 === 0
      ? `every ${minutes / 1440} d`
      : minutes % 60 === 0
        ? `every ${minutes / 60} h`
        : `every ${minutes} min`;
const clock = (iso: string | null) => (iso ? moment(iso).slice(11, 16) : "–");
const state = (watch: WatchView) => (watch.doing ? `${watch.doing} …` : watch.why_not || "waiting");
const told = (
  name: string,
  width: Column<WatchView>["width"],
  of: (watch: WatchView) => string,
): Column<WatchView> => ({
  name,
  width,
  text: of,
  cell: of,
});
const COLUMNS: Column<WatchView>[] = [
  told("subnet", "minmax(8rem,1fr)", (watch) => calledSubnet(watch.subnet)),
  told("full scan", "6.5rem", (watch) => (watch.on ? every(watch.every_minutes) : "off")),
  { ...told("last", "6.5rem", (watch) => ago(watch.last_scan)), text: (watch) => moment(watch.last_scan) },
  { ...told("next", "4rem", (watch) => clock(watch.next_scan)), text: (watch) => moment(watch.next_scan) },
  told("known devices", "8rem", (watch) => every(watch.light_minutes)),
  told("DHCP", "6.5rem", (watch) => every(watch.ask_minutes)),
  told("quiet", "7rem", (watch) => (watch.quiet_first ? `${watch.quiet_first}–${watch.quiet_last}` : "–")),
  {
    ...told("state", "minmax(10rem,2fr)", state),
    cell: (watch) => (
      <span title={state(watch)} className={watch.why_not ? "text-amber" : "text-soft"}>
        {state(watch)}
      </span>
    ),
  },
];

function WatchForm({ watch, onDone }: { watch: WatchView; onDone(): void }) {
  const client = useQueryClient();
  const [version] = useState(watch.version); // what is shown in the fields was this, whatever comes meanwhile
  const [values, setValues] = useState({
    every: watch.every_minutes,
    light: watch.light_minutes,
    ask: watch.ask_minutes,
    quiet: watch.quiet_first ? `${watch.quiet_first}-${watch.quiet_last}` : "",
    strangers: watch.strangers,
    on: watch.on,
  });
  const save = useMutation({
    mutationFn: () =>
      api.put("/api/v1/watches/{subnet}", {
        path: { subnet: watch.subnet.id ?? 0 },
        version,
        body: {
          on: values.on,
          every_minutes: values.every,
          light_minutes: values.light,
          ask_minutes: values.ask,
          quiet: values.quiet || "none",
          strangers: values.strangers,
        },
      }),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["watches"] });
      onDone();
    },
  });
  const number = (name: "every" | "light" | "ask", label: string) => (
    <Field label={label}>
      <Input
        type="number"
        min={0}
        value={values[name]}
        onChange={(event) => setValues({ ...values, [name]: Number(event.target.value) })}
        className="w-28"
      />
    </Field>
  );
  return (
    <form
      onSubmit={(event: FormEvent) => {
        event.preventDefault();
        save.mutate();
      }}
      className="mb-3 flex flex-wrap items-end gap-3 rounded border border-rule bg-leaf p-3"
    >
      <label className="flex items-center gap-2 self-center">
        <input
          type="checkbox"
          checked={values.on}
          onChange={(event) => setValues({ ...values, on: event.target.checked })}
        />{" "}
        watch it
      </label>
      {number("every", "full scan, minutes")}
      {number("light", "known devices, minutes")}
      {number("ask", "ask for DHCP, minutes")}
      <Field label="quiet hours">
        <Input
          placeholder="22:00-06:00"
          value={values.quiet}
          onChange={(event) => setValues({ ...values, quiet: event.target.value })}
          className="w-32"
        />
      </Field>
      <Field label="unknown devices that are told">
        <select
          value={values.strangers}
          onChange={(event) => setValues({ ...values, strangers: event.target.value as WatchView["strangers"] })}
          className={inputLook}
        >
          <option value="all">all of them</option>
          <option value="named">those that tell no name</option>
          <option value="none">none: strangers are welcome</option>
        </select>
      </Field>
      <Button type="submit" tone="ink" disabled={save.isPending}>
        Save
      </Button>
      {save.error ? (
        <p role="alert" className="basis-full text-sm text-alarm">
          {save.error.message}.
          {save.error instanceof Problem && save.error.code === "stale" ? (
            <> Close it and open it again to see what it is now.</>
          ) : null}
        </p>
      ) : null}
    </form>
  );
}
