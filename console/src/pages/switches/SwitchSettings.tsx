// How a switch is read: where, by what, how often, or not at all; and reading it no longer.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { SwitchView } from "../../api/types";
import { sentence } from "../../lib/format";
import { Button, Field, Input, inputLook } from "../../parts/basics";

export function SwitchSettings({ one, onDone, onGone }: { one: SwitchView; onDone(): void; onGone(): void }) {
  const client = useQueryClient();
  const [address, setAddress] = useState(one.address);
  const [by, setBy] = useState(one.credential ? String(one.credential.id) : "any");
  const [every, setEvery] = useState(String(one.every_seconds));
  const [on, setOn] = useState(one.on);
  const path = { identity: one.id };
  const credentials = useQuery({
    queryKey: ["credentials"],
    queryFn: ({ signal }) => api.all("/api/v1/credentials", { signal }),
  });
  const save = useMutation({
    mutationFn: () =>
      api.patch("/api/v1/switches/{identity}", {
        path,
        version: one.version,
        body: { switch: address, credential: by, every_seconds: Number(every) || 300, on },
      }),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ["switches"] });
      onDone();
    },
  });
  const remove = useMutation({
    mutationFn: () => api.remove("/api/v1/switches/{identity}", { path, version: one.version }),
    onSuccess: async () => {
      client.removeQueries({ queryKey: ["switches", one.id] });
      onGone();
      await client.invalidateQueries({ queryKey: ["switches"] });
    },
  });
  const fault = save.error ?? remove.error;
  return (
    <form
      aria-label={`Change ${one.name}`}
      className="mt-2 flex flex-wrap items-end gap-3 rounded border border-rule bg-leaf p-3"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      <Field label="Read at">
        <Input value={address} onChange={(event) => setAddress(event.target.value)} className="w-36" />
      </Field>
      <Field label="by">
        <select value={by} onChange={(event) => setBy(event.target.value)} className={inputLook}>
          <option value="any">any credential that fits</option>
          {credentials.data?.map((credential) => (
            <option key={credential.id} value={credential.id}>
              {credential.name}
            </option>
          ))}
        </select>
      </Field>
      <Field label="every, seconds">
        <Input
          type="number"
          min={30}
          max={86400}
          value={every}
          onChange={(event) => setEvery(event.target.value)}
          className="w-24"
        />
      </Field>
      <label className="flex items-center gap-1.5 pb-1 text-sm">
        <input type="checkbox" checked={on} onChange={(event) => setOn(event.target.checked)} /> read it by itself
      </label>
      <Button type="submit" tone="ink" disabled={save.isPending}>
        Save
      </Button>
      <Button tone="alarm" disabled={remove.isPending} onClick={() => remove.mutate()}>
        Read it no longer
      </Button>
      {fault ? (
        <p role="alert" className="basis-full text-sm text-alarm">
          {sentence(fault.message)}.
        </p>
      ) : null}
    </form>
  );
}
