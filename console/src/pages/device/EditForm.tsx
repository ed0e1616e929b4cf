// What people say of a device. When somebody else saved meanwhile, both versions stand side by side, field by field.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, Problem } from "../../api/client";
import { type DeviceRow, EDITABLE, type Editable } from "../../api/types";
import { Button, Field, Input, inputLook } from "../../parts/basics";
import { RoleSelect } from "../../parts/RoleSelect";

type Values = Record<Editable, string>;
const valuesOf = (device: DeviceRow): Values => ({
  name: device.name,
  role: device.role,
  owner: device.owner,
  place: device.place,
  notes: device.notes,
});

export function EditForm({ device, hostnames }: { device: DeviceRow; hostnames: string[] }) {
  const [withHostname, setWithHostname] = useState(false);
  const [base, setBase] = useState({ values: valuesOf(device), version: device.version });
  const [values, setValues] = useState(base.values);
  const client = useQueryClient();
  const changed = EDITABLE.filter((name) => values[name] !== base.values[name]);

  // Somebody else's edit arrives live: take it in, unless this form has edits of its own.
  useEffect(() => {
    if (device.version > base.version && changed.length === 0) {
      setBase({ values: valuesOf(device), version: device.version });
      setValues(valuesOf(device));
    }
  }, [device, base.version, changed.length]);

  const save = useMutation({
    mutationFn: ({ version, fields }: { version: number; fields: Partial<Values> }) =>
      api.patch("/api/v1/devices/{which}", {
        path: { which: device.id },
        body: { ...fields, with_hostname: withHostname },
        version,
      }),
    onSuccess: (row) => {
      setBase({ values: valuesOf(row), version: row.version });
      setValues(valuesOf(row));
      setWithHostname(false);
      for (const key of ["device", "devices", "assignments", "explain", "plan"])
        void client.invalidateQueries({ queryKey: [key] });
    },
  });
  const pick = (names: Editable[]) => Object.fromEntries(names.map((name) => [name, values[name]])) as Partial<Values>;
  const set = (name: Editable, value: string) => setValues((now) => ({ ...now, [name]: value }));
  const stale = save.error instanceof Problem && save.error.code === "stale" ? save.error : null;
  if (stale?.current && stale.version !== undefined) {
    const theirs = { ...base.values, ...stale.current } as Values;
    const settle = (mine: boolean) => {
      setBase({ values: theirs, version: stale.version! });
      save.reset();
      if (mine) save.mutate({ version: stale.version!, fields: pick(changed) });
      else setValues(theirs);
    };
    return <Conflict told={stale.message} mine={values} theirs={theirs} changed={changed} settle={settle} />;
  }
  return (
    <form
      className="flex flex-col gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate({ version: base.version, fields: pick(changed) });
      }}
    >
      <Field label="Name">
        <Input
          value={values.name}
          onChange={(event) => set("name", event.target.value)}
          placeholder={device.seen_name || "what people call it"}
          maxLength={120}
        />
      </Field>
      {hostnames.length > 0 && changed.includes("name") && values.name ? (
        <label className="flex items-start gap-2 text-sm">
          <input
            type="checkbox"
            className="mt-1"
            checked={withHostname}
            onChange={(event) => setWithHostname(event.target.checked)}
          />
          <span>
            also as planned hostname, now {hostnames.join(", ")}.{" "}
            <span className="text-soft">
              DNS, hosts files, cards and reservations follow when they are next written.
            </span>
          </span>
        </label>
      ) : null}
      <div className="grid grid-cols-2 gap-2">
        <Field label="Role">
          <RoleSelect value={values.role} onChange={(role) => set("role", role)} />
        </Field>
        <Field label="Owner">
          <Input value={values.owner} onChange={(event) => set("owner", event.target.value)} maxLength={120} />
        </Field>
      </div>
      <Field label="Place">
        <Input value={values.place} onChange={(event) => set("place", event.target.value)} maxLength={120} />
      </Field>
      <Field label="Notes">
        <textarea
          rows={2}
          className={`${inputLook} w-full`}
          value={values.notes}
          onChange={(event) => set("notes", event.target.value)}
        />
      </Field>
      <div className="flex items-center gap-2">
        <Button tone="ink" type="submit" disabled={changed.length === 0 || save.isPending}>
          Save
        </Button>
        {changed.length > 0 ? (
          <Button tone="quiet" onClick={() => setValues(base.values)}>
            Discard
          </Button>
        ) : null}
        {save.error && !stale ? (
          <span role="alert" className="text-sm text-alarm">
            {save.error.message}.
          </span>
        ) : null}
      </div>
    </form>
  );
}

function Conflict({
  told,
  mine,
  theirs,
  changed,
  settle,
}: {
  told: string;
  mine: Values;
  theirs: Values;
  changed: Editable[];
  settle(mine: boolean): void;
}) {
  const shown = EDITABLE.filter((name) => mine[name] !== theirs[name] || changed.includes(name));
  return (
    <div role="alert" data-told={told} className="rounded border border-amber p-3">
      <p className="mb-2 font-semibold">
        Somebody else saved this device while you were editing it. Nothing is lost yet.
      </p>
      <table className="w-full table-fixed text-left text-sm">
        <thead className="text-soft">
          <tr>
            <td className="w-16 font-normal" />
            <th className="font-normal">yours</th>
            <th className="font-normal">theirs, now</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((name) => (
            <tr key={name} className="border-t border-rule align-top">
              <th className="py-1 font-normal text-soft">{name}</th>
              <td className="pr-2 break-words">{mine[name] || "–"}</td>
              <td className="break-words">{theirs[name] || "–"}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="mt-2 flex gap-2">
        <Button tone="ink" onClick={() => settle(true)}>
          Save mine over it
        </Button>
        <Button onClick={() => settle(false)}>Take theirs</Button>
      </div>
    </div>
  );
}
