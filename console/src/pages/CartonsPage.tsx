// The simulated site only: devices in their cartons, to be given power and typed into as a person would.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api } from "../api/client";
import type { CartonView } from "../api/types";
import { Button, Field, Input, Mono, Notice } from "../parts/basics";

export default function CartonsPage() {
  const [params] = useSearchParams();
  const cartons = useQuery({
    queryKey: ["cartons"],
    queryFn: () => api.all("/api/v1/demo/cartons"),
    refetchInterval: 1000,
    retry: false,
  });
  const shown = cartons.data?.filter((one) => !params.get("mac") || one.mac === params.get("mac"));
  return (
    <div className="mx-auto max-w-3xl px-4 py-5">
      <h1 className="text-2xl font-semibold">Cartons</h1>
      <p className="text-soft">
        What a person does at the simulated site: unpack a device, give it power, type settings into its page. The
        service is not told of it; it has to find out.
      </p>
      {cartons.error ? <Notice tone="alarm">{cartons.error.message}.</Notice> : null}
      <ul className="mt-3 flex flex-col gap-3">
        {shown?.map((one) => (
          <Carton key={one.label} carton={one} />
        ))}
      </ul>
    </div>
  );
}

function Carton({ carton }: { carton: CartonView }) {
  const client = useQueryClient();
  const [values, setValues] = useState({ address: "", mask: "255.255.255.0", gateway: "", name: "" });
  const [store, setStore] = useState(false);
  const again = () => client.invalidateQueries({ queryKey: ["cartons"] });
  const path = { label: carton.label };
  const power = useMutation({
    mutationFn: (on: boolean) => api.post("/api/v1/demo/cartons/{label}/power", { path, body: { on } }),
    onSuccess: again,
  });
  const type = useMutation({
    mutationFn: () => api.post("/api/v1/demo/cartons/{label}/settings", { path, body: { ...values, store } }),
    onSuccess: again,
  });
  return (
    <li className="rounded border border-rule bg-leaf p-3">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <h2 className="font-semibold">{carton.label}</h2>
        <Mono>{carton.mac}</Mono>
        <span className="text-soft">{carton.where}</span>
        <span className="ml-auto">
          <Button disabled={power.isPending} onClick={() => power.mutate(!carton.powered)}>
            {carton.powered ? "Pull its power" : "Give it power"}
          </Button>
        </span>
      </div>
      <p className="text-sm text-soft">
        {carton.what};{" "}
        {carton.open ? (
          <>
            its page is open at <Mono>{carton.address}</Mono>
          </>
        ) : carton.powered ? (
          "no page is to be seen yet"
        ) : (
          "without power"
        )}
      </p>
      {carton.open ? (
        <form
          aria-label={`The page of ${carton.label}`}
          className="mt-2 grid grid-cols-2 gap-2 sm:grid-cols-4"
          onSubmit={(event) => {
            event.preventDefault();
            type.mutate();
          }}
        >
          {(["address", "mask", "gateway", "name"] as const).map((name) => (
            <Field key={name} label={name}>
              <Input
                value={values[name]}
                onChange={(event) => setValues((before) => ({ ...before, [name]: event.target.value }))}
                spellCheck={false}
                className="w-full font-mono"
              />
            </Field>
          ))}
          <span className="col-span-2 flex flex-wrap items-center gap-3 sm:col-span-4">
            <Button tone="ink" type="submit" disabled={type.isPending || !values.address}>
              Apply
            </Button>
            {carton.forgets ? (
              <label className="flex items-center gap-1.5 text-sm">
                <input type="checkbox" checked={store} onChange={() => setStore(!store)} /> and store
              </label>
            ) : null}
          </span>
        </form>
      ) : null}
      {(power.error ?? type.error) ? (
        <p role="alert" className="text-sm text-alarm">
          {(power.error ?? type.error)?.message}.
        </p>
      ) : null}
    </li>
  );
}
