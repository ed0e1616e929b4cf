// Move a device to another address, or put a new box in its place: a fitting of what is in the roster already.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, Problem } from "../../api/client";
import { Button, Field, Input, Mono } from "../../parts/basics";
import { Dependants } from "./Dependants";

export function ChangeOver({ device }: { device: number }) {
  const [values, setValues] = useState({ mac: "", address: "", where: "" });
  const client = useQueryClient();
  const go = useNavigate();
  const sheet = useQuery({
    queryKey: ["device", device],
    queryFn: () => api.get("/api/v1/devices/{which}", { path: { which: device } }),
  });
  const begin = useMutation({
    mutationFn: (anyway: boolean) => api.post("/api/v1/fittings/change-over", { body: { device, ...values, anyway } }),
    onSuccess: (made) => {
      client.setQueryData(["fitting", made.id], made);
      void go(`/fittings/${made.id}`);
    },
  });
  const fields = ["mac", "address", "where"] as const;
  const of = (field: string) =>
    begin.error instanceof Problem && begin.error.field === field ? `${begin.error.message}.` : null;
  const has = sheet.data?.assignments[0]?.address;
  const labels = {
    mac: ["The new box: the MAC on its label", "left empty, it is the same box"],
    address: ["Another address", "left empty, it keeps the one it has"],
    where: ["Or the best free one in", "a subnet or a band"],
  } as const;
  return (
    <form
      aria-label="Move or replace"
      className="mt-3 flex flex-col gap-3 rounded border border-rule bg-leaf p-3"
      onSubmit={(event) => {
        event.preventDefault();
        begin.mutate(false);
      }}
    >
      <p>
        <strong>{sheet.data?.device.called || "The device"}</strong> {has ? <Mono>{has}</Mono> : null}: what is changed
        is watched until it is proven, and taken back when it is given up.
      </p>
      {has ? <Dependants address={has} /> : null}
      <div className="grid gap-3 sm:grid-cols-3">
        {fields.map((field) => (
          <Field key={field} label={labels[field][0]} hint={labels[field][1]} wrong={of(field)}>
            <Input
              value={values[field]}
              onChange={(event) => setValues((before) => ({ ...before, [field]: event.target.value }))}
              spellCheck={false}
              className={`w-full ${field === "where" ? "" : "font-mono"}`}
            />
          </Field>
        ))}
      </div>
      {begin.error && !fields.some((field) => of(field)) ? (
        <p role="alert" className="text-sm text-alarm">
          {begin.error.message}.
        </p>
      ) : null}
      <div>
        <Button
          tone="ink"
          type="submit"
          className="px-4 py-2"
          disabled={begin.isPending || !fields.some((field) => values[field].trim())}
        >
          {begin.isPending ? "Asking the wire…" : "Begin"}
        </Button>
        {begin.error instanceof Problem && begin.error.anyway ? (
          <Button tone="alarm" className="ml-2" onClick={() => begin.mutate(true)}>
            Begin all the same
          </Button>
        ) : null}
      </div>
    </form>
  );
}
