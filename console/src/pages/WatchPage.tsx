// What the service does by itself: links it listens on, subnets it looks at again, where notices go.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { api } from "../api/client";
import type { WatchView } from "../api/types";
import { ago, moment } from "../lib/format";
import { Button, Field, Input, inputLook, Mono, Notice, Section } from "../parts/basics";
import { LinkBlock } from "./watch/LinkBlock";
import { NoticeRoutes } from "./watch/NoticeRoutes";

export default function WatchPage() {
  const links = useQuery({ queryKey: ["listening"], queryFn: () => api.all("/api/v1/listening") });
  const watches = useQuery({
    queryKey: ["watches"],
    queryFn: () => api.all("/api/v1/watches"),
    refetchInterval: 15_000,
  });
  const wrong = links.error ?? watches.error;
  return (
    <div className="mx-auto max-w-6xl px-5 py-5">
      <h1 className="text-2xl font-semibold">Watch</h1>
      {wrong ? <Notice tone="alarm">{wrong.message}</Notice> : null}
      {links.data?.length === 0 ? <p className="mt-2 text-soft">Nothing is listened to yet.</p> : null}
      {links.data?.map((link) => (
        <LinkBlock key={link.adapter} link={link} />
      ))}
      <Section title="Subnets that are looked at again by themselves">
        {watches.data?.length ? (
          <table className="w-full text-left">
            <thead className="text-sm text-soft">
              <tr>
                <th className="font-normal">subnet</th>
                <th className="font-normal">full scan</th>
                <th className="font-normal">last</th>
                <th className="font-normal">next</th>
                <th className="font-normal">known devices</th>
                <th className="font-normal">DHCP</th>
                <th className="font-normal">quiet</th>
                <th className="font-normal">state</th>
                <td />
              </tr>
            </thead>
            <tbody>
              {watches.data.map((watch) => (
                <WatchRow key={watch.subnet.id} watch={watch} />
              ))}
            </tbody>
          </table>
        ) : (
          <p className="text-sm text-soft">No subnet is planned yet; planned ones are watched.</p>
        )}
      </Section>
      <NoticeRoutes />
    </div>
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

function WatchRow({ watch }: { watch: WatchView }) {
  const [editing, setEditing] = useState(false);
  return (
    <>
      <tr className="border-t border-rule">
        <td className="py-1">{watch.subnet.name || <Mono>{watch.subnet.cidr}</Mono>}</td>
        <td>{watch.on ? every(watch.every_minutes) : "off"}</td>
        <td>{ago(watch.last_scan)}</td>
        <td>{clock(watch.next_scan)}</td>
        <td>{every(watch.light_minutes)}</td>
        <td>{every(watch.ask_minutes)}</td>
        <td>{watch.quiet_first ? `${watch.quiet_first}–${watch.quiet_last}` : "–"}</td>
        <td className={watch.why_not ? "text-amber" : "text-soft"}>
          {watch.doing ? `${watch.doing} …` : watch.why_not || "waiting"}
        </td>
        <td className="text-right">
          <Button tone="quiet" onClick={() => setEditing(!editing)}>
            {editing ? "Close" : "Change"}
          </Button>
        </td>
      </tr>
      {editing ? (
        <tr>
          <td colSpan={9}>
            <WatchForm watch={watch} onDone={() => setEditing(false)} />
          </td>
        </tr>
      ) : null}
    </>
  );
}

function WatchForm({ watch, onDone }: { watch: WatchView; onDone(): void }) {
  const client = useQueryClient();
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
          {save.error.message}
        </p>
      ) : null}
    </form>
  );
}
