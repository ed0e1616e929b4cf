// The kinds of devices that the site knows: listed, changed, carried as one JSON document.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, Problem } from "../../api/client";
import type { DeviceKindView } from "../../api/types";
import { plural } from "../../lib/format";
import { Button, Field, Input, inputLook, Mono, Section } from "../../parts/basics";
import { RoleSelect } from "../../parts/RoleSelect";

export function Kinds() {
  const client = useQueryClient();
  const [editing, setEditing] = useState<number | "new" | null>(null);
  const [said, setSaid] = useState("");
  const file = useRef<HTMLInputElement>(null);
  const kinds = useQuery({ queryKey: ["kinds"], queryFn: () => api.all("/api/v1/kinds") });
  const again = () => {
    setEditing(null);
    return client.invalidateQueries({ queryKey: ["kinds"] });
  };
  const remove = useMutation({
    mutationFn: (one: DeviceKindView) =>
      api.remove("/api/v1/kinds/{identity}", { path: { identity: one.id }, version: one.version }),
    onSuccess: again,
  });
  const out = async () => {
    const { text } = await api.get("/api/v1/kinds/file");
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([text], { type: "application/json" }));
    link.download = "kinds.json";
    link.click();
    URL.revokeObjectURL(link.href);
  };
  const take = useMutation({
    mutationFn: async (chosen: File) => api.post("/api/v1/kinds/file", { body: { text: await chosen.text() } }),
    onSuccess: (done) => {
      setSaid(
        `${plural(done.added_count, "new kind")}, ${done.changed_count} changed, ${done.same_count} as they were.`,
      );
      return again();
    },
  });
  const fault = remove.error ?? take.error ?? kinds.error;
  return (
    <Section
      title="Kinds of devices"
      aside={
        <span className="flex flex-wrap gap-1">
          <Button tone="quiet" onClick={() => setEditing(editing === "new" ? null : "new")}>
            {editing === "new" ? "Close" : "New kind…"}
          </Button>
          <Button tone="quiet" onClick={() => void out()}>
            Take out
          </Button>
          <Button tone="quiet" onClick={() => file.current?.click()}>
            Take in…
          </Button>
          <input
            ref={file}
            type="file"
            accept="application/json,.json"
            aria-label="A library of kinds"
            className="hidden"
            onChange={(event) => {
              const chosen = event.target.files?.[0];
              event.target.value = "";
              if (chosen) take.mutate(chosen);
            }}
          />
        </span>
      }
    >
      {fault ? (
        <p role="alert" className="text-sm text-alarm">
          {fault.message}.
        </p>
      ) : null}
      {said ? <p role="status">{said}</p> : null}
      {editing === "new" ? <KindForm onDone={() => void again()} /> : null}
      {kinds.data?.length === 0 ? (
        <p className="text-sm text-soft">
          None yet. What a fitting finds out of a device is remembered here, where it is recorded with the name of its
          kind: the factory address, how its page is reached. It holds no passwords.
        </p>
      ) : null}
      <ul className="divide-y divide-rule">
        {kinds.data?.map((one) => (
          <li key={one.id} className="py-1.5">
            <div className="flex flex-wrap items-baseline gap-x-3 gap-y-0.5">
              <span className="font-semibold">{one.name}</span>
              <span className="text-soft">{one.role}</span>
              <span>{one.factory ? <Mono>{one.factory}</Mono> : COMES[one.comes]}</span>
              {one.page ? <Mono className="text-soft">{one.page}</Mono> : null}
              <span className="text-sm text-soft">{plural(one.fitted_count, "fitting")}</span>
              <span className="ml-auto flex gap-1">
                <Button tone="quiet" onClick={() => setEditing(editing === one.id ? null : one.id)}>
                  {editing === one.id ? "Close" : "Change"}
                </Button>
                <Button tone="quiet" disabled={remove.isPending} onClick={() => remove.mutate(one)}>
                  Remove
                </Button>
              </span>
            </div>
            {one.store || one.reset ? (
              <p className="text-sm text-soft">
                {one.store ? `To store: ${one.store}. ` : ""}
                {one.reset ? `To reset: ${one.reset}.` : ""}
              </p>
            ) : null}
            {editing === one.id ? <KindForm kind={one} onDone={() => void again()} /> : null}
          </li>
        ))}
      </ul>
    </Section>
  );
}

const COMES: Record<DeviceKindView["comes"], string> = {
  address: "with a factory address",
  dhcp: "asks by DHCP",
  bootp: "asks by BOOTP",
  unknown: "not known how it comes",
};
const FIELDS = ["mode", "address", "mask", "prefix", "gateway", "dns", "name", "domain", "ntp", "vlan", "mac"] as const;
const USUAL: DeviceKindView["fields"] = ["address", "mask", "gateway", "dns", "name", "ntp", "vlan"];

function KindForm({ kind, onDone }: { kind?: DeviceKindView; onDone(): void }) {
  const [values, setValues] = useState({
    name: kind?.name ?? "",
    comes: kind?.comes ?? ("unknown" as DeviceKindView["comes"]),
    factory: kind?.factory ?? "",
    page: kind?.page ?? "",
    reset: kind?.reset ?? "",
    store: kind?.store ?? "",
    notation: kind?.notation ?? ("colons" as DeviceKindView["notation"]),
    role: kind?.role ?? "",
    notes: kind?.notes ?? "",
  });
  const [fields, setFields] = useState((kind?.fields ?? USUAL).join(", "));
  const save = useMutation({
    mutationFn: async () => {
      const asked = fields.split(/[\s,]+/).filter(Boolean) as DeviceKindView["fields"];
      const body = { ...values, fields: asked };
      if (kind)
        await api.patch("/api/v1/kinds/{identity}", { path: { identity: kind.id }, body, version: kind.version });
      else await api.post("/api/v1/kinds", { body });
    },
    onSuccess: onDone,
  });
  const of = (field: string) =>
    save.error instanceof Problem && save.error.field === field ? `${save.error.message}.` : null;
  const put = (name: keyof typeof values) => (event: { target: { value: string } }) =>
    setValues((before) => ({ ...before, [name]: event.target.value }));
  const text = (name: "name" | "factory" | "page" | "reset" | "store" | "notes", label: string, hint?: string) => (
    <Field label={label} wrong={of(name)} hint={hint}>
      <Input value={values[name]} onChange={put(name)} spellCheck={false} />
    </Field>
  );
  const shown = ["name", "factory", "page", "reset", "store", "notes", "fields"];
  return (
    <form
      aria-label={kind ? `Change ${kind.name}` : "New kind"}
      className="mt-2 grid gap-3 rounded border border-rule bg-leaf p-3 sm:grid-cols-2 lg:grid-cols-3"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      {text("name", "Called")}
      <Field label="How it comes from its maker">
        <select value={values.comes} onChange={put("comes")} className={`${inputLook} w-full`}>
          {Object.entries(COMES).map(([word, said]) => (
            <option key={word} value={word}>
              {said}
            </option>
          ))}
        </select>
      </Field>
      {text("factory", "Factory address", "such as 192.168.50.10/24")}
      {text("page", "Its page", "/setup, or https://{address}:8443/")}
      {text("store", "To store settings for good", "left empty, typing is enough")}
      {text("reset", "To reset it")}
      <Field label="Role">
        <RoleSelect value={values.role} onChange={(role) => setValues((before) => ({ ...before, role }))} />
      </Field>
      <Field label="MACs in its page">
        <select value={values.notation} onChange={put("notation")} className={`${inputLook} w-full`}>
          {["colons", "dashes", "dots", "bare"].map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
      </Field>
      <Field label="What its page asks for, in its order" wrong={of("fields")} hint={FIELDS.join(", ")}>
        <Input value={fields} onChange={(event) => setFields(event.target.value)} spellCheck={false} />
      </Field>
      {text("notes", "Notes", "never a password")}
      <div className="sm:col-span-2 lg:col-span-3">
        {save.error && !shown.some((field) => of(field)) ? (
          <p role="alert" className="mb-2 text-sm text-alarm">
            {save.error.message}.
          </p>
        ) : null}
        <Button tone="ink" type="submit" disabled={save.isPending || !values.name.trim()}>
          Save
        </Button>
      </div>
    </form>
  );
}
