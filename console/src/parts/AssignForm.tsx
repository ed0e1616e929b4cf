// Give an address to a device: by MAC, or to a name that was not seen yet. Mistakes are told before they are saved anyway.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, Problem } from "../api/client";
import type { AssignmentView } from "../api/types";
import { Button, Field, Input } from "./basics";
import { RoleSelect } from "./RoleSelect";

interface Props {
  address: string;
  given?: { mac?: string | undefined; name?: string; role?: string; kind?: "static" | "reserved" };
  onDone(made: AssignmentView): void;
  onCancel(): void;
}

export function AssignForm({ address, given = {}, onDone, onCancel }: Props) {
  const [kind, setKind] = useState(given.kind ?? "static");
  const [mac, setMac] = useState(given.mac ?? "");
  const [name, setName] = useState(given.name ?? "");
  const [role, setRole] = useState(given.role ?? "");
  const [notes, setNotes] = useState("");
  const client = useQueryClient();
  const save = useMutation({
    mutationFn: (anyway: boolean) =>
      api.post("/api/v1/assignments", { body: { address, kind, mac: mac || null, name, role, notes, anyway } }),
    onSuccess: (made) => {
      for (const key of ["explain", "assignment", "assignments", "device", "devices", "ruler", "plan"])
        void client.invalidateQueries({ queryKey: [key] });
      onDone(made);
    },
  });
  const fault = save.error instanceof Problem ? save.error : null;
  const of = (field: string) => (fault?.field === field ? `${fault.message}.` : null);
  return (
    <form
      className="mt-2 flex flex-col gap-2 rounded border border-rule p-3"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate(false);
      }}
    >
      <div className="flex gap-4 text-sm" role="radiogroup" aria-label="How the device gets it">
        {(["static", "reserved"] as const).map((one) => (
          <label key={one} className="flex items-center gap-1.5">
            <input type="radio" name="kind" checked={kind === one} onChange={() => setKind(one)} />{" "}
            {one === "static" ? "static: typed into it" : "reserved: by the DHCP server"}
          </label>
        ))}
      </div>
      <div className="grid grid-cols-2 gap-2">
        <Field label="Hostname" wrong={of("name")}>
          <Input value={name} onChange={(event) => setName(event.target.value)} maxLength={120} spellCheck={false} />
        </Field>
        <Field label="MAC" wrong={of("mac")}>
          <Input
            value={mac}
            onChange={(event) => setMac(event.target.value)}
            className="w-full font-mono"
            placeholder="any notation"
            spellCheck={false}
          />
        </Field>
        <Field label="Role for it">
          <RoleSelect value={role} onChange={setRole} />
        </Field>
        <Field label="Note">
          <Input value={notes} onChange={(event) => setNotes(event.target.value)} maxLength={1000} />
        </Field>
      </div>
      {fault && fault.field !== "mac" && fault.field !== "name" ? (
        <p role="alert" className="text-sm text-alarm">
          {fault.message}.
        </p>
      ) : null}
      <div className="flex gap-2">
        <Button tone="ink" type="submit" disabled={save.isPending}>
          {kind === "static" ? "Assign" : "Reserve"} {address}
        </Button>
        {fault?.anyway ? (
          <Button tone="alarm" onClick={() => save.mutate(true)}>
            Save it all the same
          </Button>
        ) : null}
        <Button tone="quiet" onClick={onCancel}>
          Cancel
        </Button>
      </div>
    </form>
  );
}
