// Manage a DHCP server that the service's host allows; which files and sockets those are stands in a file that only the host writes.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, Problem } from "../../api/client";
import { Button, Field, Input, inputLook, Mono } from "../../parts/basics";

export function ServerForm() {
  const allowed = useQuery({ queryKey: ["dhcp", "allowed"], queryFn: () => api.all("/api/v1/dhcp/allowed") });
  const [chosen, setChosen] = useState("");
  const [name, setName] = useState("");
  const client = useQueryClient();
  const free = (allowed.data ?? []).filter((one) => one.used_by === null);
  const reach = free.some((one) => one.reach === chosen) ? chosen : (free[0]?.reach ?? "");
  const add = useMutation({
    mutationFn: () => api.post("/api/v1/dhcp/servers", { body: { name: name.trim() || reach, reach } }),
    onSuccess: () => {
      setName("");
      void client.invalidateQueries({ queryKey: ["dhcp"] });
    },
  });
  const fault = add.error instanceof Problem ? add.error : null;
  const unusable = allowed.error instanceof Problem ? allowed.error : null;
  return (
    <div className="grid gap-3 lg:grid-cols-2">
      <form
        className="rounded border border-rule bg-leaf p-3"
        aria-label="Manage a DHCP server"
        onSubmit={(event) => {
          event.preventDefault();
          add.mutate();
        }}
      >
        {unusable ? (
          <p role="alert" className="mb-2 text-sm text-alarm">
            {unusable.message}.
          </p>
        ) : null}
        {free.length ? (
          <>
            <div className="grid gap-3 sm:grid-cols-2 lg:grid-cols-3">
              <Field label="Server that the host allows" wrong={fault?.field === "reach" ? `${fault.message}.` : null}>
                <select
                  className={`${inputLook} w-full`}
                  value={reach}
                  onChange={(event) => setChosen(event.target.value)}
                >
                  {free.map((one) => (
                    <option key={one.reach} value={one.reach}>
                      {one.reach} ({one.kind})
                    </option>
                  ))}
                </select>
              </Field>
              <Field label="Server's name" wrong={fault?.field === "name" ? `${fault.message}.` : null}>
                <Input
                  value={name}
                  placeholder={reach}
                  onChange={(event) => setName(event.target.value)}
                  maxLength={80}
                />
              </Field>
            </div>
            {fault && !fault.field ? (
              <p role="alert" className="mt-2 text-sm text-alarm">
                {fault.message}.
              </p>
            ) : null}
            <div className="mt-2">
              <Button tone="ink" type="submit" disabled={!reach || add.isPending}>
                Manage it
              </Button>
            </div>
          </>
        ) : (
          <p className="text-sm">
            Which servers this service may reach, and with which files, is decided on its own machine:{" "}
            <Mono>roster dhcp allow office kea --config FILE --socket FILE</Mono>. Then it can be chosen here.
          </p>
        )}
      </form>
      <ByHandForm />
    </div>
  );
}

/** A router with a web form: nothing can be sent to it, publishing gives a sheet to enter. */
function ByHandForm() {
  const [name, setName] = useState("");
  const [address, setAddress] = useState("");
  const client = useQueryClient();
  const add = useMutation({
    mutationFn: () =>
      api.post("/api/v1/dhcp/servers", {
        body: { name: name.trim(), edited_by_hand: true, addresses: address.trim() ? [address.trim()] : [] },
      }),
    onSuccess: () => {
      setName("");
      setAddress("");
      void client.invalidateQueries({ queryKey: ["dhcp"] });
    },
  });
  const fault = add.error instanceof Problem ? add.error : null;
  return (
    <form
      className="rounded border border-rule bg-leaf p-3"
      aria-label="A server that is edited by hand"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate();
      }}
    >
      <div className="grid gap-3 sm:grid-cols-2">
        <Field label="Server that is edited by hand" wrong={fault?.field === "name" ? `${fault.message}.` : null}>
          <Input value={name} placeholder="router" onChange={(event) => setName(event.target.value)} maxLength={80} />
        </Field>
        <Field label="Address it answers from" wrong={fault?.field === "addresses" ? `${fault.message}.` : null}>
          <Input value={address} onChange={(event) => setAddress(event.target.value)} maxLength={40} />
        </Field>
      </div>
      {fault && !["name", "addresses"].includes(fault.field ?? "") ? (
        <p role="alert" className="mt-2 text-sm text-alarm">
          {fault.message}.
        </p>
      ) : null}
      <div className="mt-2 flex items-center gap-3">
        <Button type="submit" disabled={!name.trim() || add.isPending}>
          Keep a sheet for it
        </Button>
        <span className="text-sm text-soft">Publishing gives what to enter; the wire shows later what was.</span>
      </div>
    </form>
  );
}
