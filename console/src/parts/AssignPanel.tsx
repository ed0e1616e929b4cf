// A device that is to get an address: which subnet, which role; the service proves and gives the best free one.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { Link } from "react-router";
import { api, Problem } from "../api/client";
import { Button, Field, Input, inputLook, Mono } from "./basics";
import { RoleSelect } from "./RoleSelect";

export function AssignPanel({ mac, role: given, onClose }: { mac: string; role: string; onClose(): void }) {
  const subnets = useQuery({ queryKey: ["plan", "subnets"], queryFn: () => api.all("/api/v1/plan/subnets") });
  const [where, setWhere] = useState("");
  const [role, setRole] = useState(given);
  const [name, setName] = useState("");
  const client = useQueryClient();
  const assign = useMutation({
    mutationFn: (anyway: boolean) =>
      api.post("/api/v1/assignments", { body: { where, mac, role, name, kind: "static", anyway } }),
    onSuccess: () => {
      for (const key of ["assignments", "plan", "ruler", "findings", "explain"])
        void client.invalidateQueries({ queryKey: [key] });
    },
  });
  const choices = subnets.data?.filter((one) => !one.supernet) ?? [];
  const wrong = assign.error instanceof Problem ? assign.error : null;
  return (
    <form
      onSubmit={(event: FormEvent) => {
        event.preventDefault();
        assign.mutate(false);
      }}
      className="mb-4 rounded border border-ink bg-leaf p-3"
    >
      <p className="font-semibold">
        An address for <Mono>{mac}</Mono>
      </p>
      {assign.data ? (
        <p role="status" className="mt-1 text-fine">
          It is planned at <Mono>{assign.data.address}</Mono>.{" "}
          <Link className="underline" to={`/card/${assign.data.address}`}>
            Its card to type from
          </Link>
        </p>
      ) : (
        <div className="mt-1 flex flex-wrap items-end gap-3">
          <Field label="in">
            <select required value={where} onChange={(event) => setWhere(event.target.value)} className={inputLook}>
              <option value="">choose a subnet</option>
              {choices.map((one) => (
                <option key={one.id} value={one.name || one.cidr}>
                  {one.name || one.cidr}
                </option>
              ))}
            </select>
          </Field>
          <Field label="role">
            <RoleSelect value={role} onChange={setRole} none="none" wide={false} />
          </Field>
          <Field label="name">
            <Input value={name} onChange={(event) => setName(event.target.value)} className="w-44" />
          </Field>
          <Button type="submit" tone="ink" disabled={assign.isPending}>
            {assign.isPending ? "Proving one free…" : "Give it a free one"}
          </Button>
          {wrong?.anyway ? <Button onClick={() => assign.mutate(true)}>Save it anyway</Button> : null}
        </div>
      )}
      {wrong ? (
        <p role="alert" className="mt-1 text-sm text-alarm">
          {wrong.message}
        </p>
      ) : null}
      <Button tone="quiet" className="mt-2" onClick={onClose}>
        Close
      </Button>
    </form>
  );
}
