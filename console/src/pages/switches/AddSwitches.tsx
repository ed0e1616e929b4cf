// Adding switches: one by its address or name, or all of a range; by one credential or any that fits.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { SwitchesAdded } from "../../api/types";
import { plural, sentence } from "../../lib/format";
import { Button, Field, Input, inputLook } from "../../parts/basics";

const RANGE = /[/-].*\d|^\s*\d+\.\d+\.\d+\.\d+\s*-/;

/** `onBegin`: what comes of it is to stay in view, also where it stood only because there was no switch. */
export function AddSwitches({ onBegin, onDone }: { onBegin(): void; onDone(): void }) {
  const client = useQueryClient();
  const [which, setWhich] = useState("");
  const [by, setBy] = useState("");
  const [done, setDone] = useState<SwitchesAdded | null>(null);
  const credentials = useQuery({
    queryKey: ["credentials"],
    queryFn: ({ signal }) => api.all("/api/v1/credentials", { signal }),
  });
  const add = useMutation({
    mutationFn: async (): Promise<SwitchesAdded> => {
      const credential = by || null;
      if (RANGE.test(which) && /^\s*\d/.test(which))
        return api.post("/api/v1/switches/search", { body: { within: which, credential, every_seconds: 300 } });
      const made = await api.post("/api/v1/switches", { body: { switch: which, credential, every_seconds: 300 } });
      const read = await api.post("/api/v1/switches/{identity}/read", { path: { identity: made.id } });
      return { added: [read], refused: [] };
    },
    onSuccess: (added) => {
      setDone(added);
      if (!added.refused.length) onDone();
    },
    onSettled: () => void client.invalidateQueries({ queryKey: ["switches"] }),
  });
  return (
    <form
      aria-label="Add switches"
      className="mt-3 rounded border border-rule bg-leaf p-3"
      onSubmit={(event) => {
        event.preventDefault();
        onBegin();
        add.mutate();
      }}
    >
      <div className="flex flex-wrap items-end gap-3">
        <Field label="A switch by address or name, or a range: all with the role network there">
          <Input
            value={which}
            onChange={(event) => setWhich(event.target.value)}
            placeholder="10.44.10.0/24"
            className="w-80"
          />
        </Field>
        <Field label="Read by">
          <select value={by} onChange={(event) => setBy(event.target.value)} className={inputLook}>
            <option value="">any credential that fits</option>
            {credentials.data?.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </Field>
        <Button type="submit" tone="ink" disabled={add.isPending || !which.trim() || !credentials.data?.length}>
          {add.isPending ? "Asking…" : "Add"}
        </Button>
      </div>
      {credentials.data?.length === 0 ? (
        <p className="mt-2 text-sm text-soft">First enter, below, by what switches may be read.</p>
      ) : null}
      {add.error ? (
        <p role="alert" className="mt-2 text-sm text-alarm">
          {sentence(add.error.message)}.
        </p>
      ) : null}
      {done ? (
        <div className="mt-2 text-sm" role="status">
          <p>{plural(done.added.length, "switch is", "switches are")} read from now on.</p>
          {done.refused.map((one) => (
            <p key={one.address} className="text-soft">
              {one.device?.name ? `${one.device.name}, ` : ""}
              {one.address}, is not: {one.why}.
            </p>
          ))}
        </div>
      ) : null}
    </form>
  );
}
