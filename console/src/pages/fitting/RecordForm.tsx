// A device is in place: what is to be known of it from now on.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { FittedView, FittingView } from "../../api/types";
import { Button, Field, Input, Section } from "../../parts/basics";

export function RecordForm({ fitting, device }: { fitting: FittingView; device: FittedView }) {
  const client = useQueryClient();
  const [values, setValues] = useState({ name: "", place: "", owner: "", notes: "", kind: fitting.kind?.name ?? "" });
  const record = useMutation({
    mutationFn: () =>
      api.post("/api/v1/fittings/{identity}/record", {
        path: { identity: fitting.id },
        body: { fitted_id: device.id, ...values },
      }),
    onSuccess: (now) => client.setQueryData(["fitting", fitting.id], now),
  });
  const text = (name: keyof typeof values, label: string, hint?: string) => (
    <Field label={label} hint={hint}>
      <Input
        value={values[name]}
        onChange={(event) => setValues((before) => ({ ...before, [name]: event.target.value }))}
      />
    </Field>
  );
  return (
    <Section title="Record">
      <form
        aria-label="Record"
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          record.mutate();
        }}
      >
        <div className="grid gap-3 sm:grid-cols-2">
          {text("place", "Where it stands")}
          {text("name", "What people call it", device.name ? `left empty, ${device.name}` : undefined)}
          {text("owner", "Who answers for it")}
          {text("kind", "Its kind", fitting.kind ? undefined : "named, it is remembered for the next one")}
        </div>
        {text("notes", "Notes")}
        {record.error ? (
          <p role="alert" className="text-sm text-alarm">
            {record.error.message}.
          </p>
        ) : null}
        <div>
          <Button tone="ink" type="submit" disabled={record.isPending} className="px-4 py-2">
            In place
          </Button>
        </div>
      </form>
    </Section>
  );
}
