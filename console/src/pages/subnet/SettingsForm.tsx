// A subnet's own values: name, range, gateway, what its hosts use; and cutting it in parts or taking it away.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api } from "../../api/client";
import type { SubnetView } from "../../api/types";
import { Button, Field, Input, inputLook } from "../../parts/basics";

const valuesOf = (one: SubnetView) => ({
  range: one.cidr,
  name: one.name,
  gateway: one.gateway ?? "",
  dns: one.dns.join(", "),
  domain: one.domain,
  ntp: one.ntp.join(", "),
  vlan: String(one.vlan ?? ""),
  notes: one.notes,
});
const LABELS: Record<keyof ReturnType<typeof valuesOf>, string> = {
  range: "Its range",
  name: "Its name",
  gateway: "Its gateway",
  dns: "Its DNS servers",
  domain: "Its domain",
  ntp: "Its NTP servers",
  vlan: "Its VLAN",
  notes: "Notes on it",
};

export function SettingsForm({ subnet }: { subnet: SubnetView }) {
  const [values, setValues] = useState(valuesOf(subnet));
  const [prefix, setPrefix] = useState("");
  const navigate = useNavigate();
  const client = useQueryClient();
  const refresh = () => {
    for (const key of ["plan", "ruler", "bands", "assignments", "card"])
      void client.invalidateQueries({ queryKey: [key] });
  };
  const list = (text: string) => text.split(/[\s,]+/).filter(Boolean);
  const save = useMutation({
    mutationFn: () =>
      api.patch("/api/v1/plan/subnets/{which}", {
        path: { which: subnet.id },
        body: { ...values, dns: list(values.dns), ntp: list(values.ntp), vlan: Number(values.vlan) || 0 },
        version: subnet.version,
      }),
    onSuccess: (now) => {
      refresh();
      if (now.subnet.cidr !== subnet.cidr) navigate(`/subnets/${now.subnet.cidr}`);
    },
  });
  const split = useMutation({
    mutationFn: () =>
      api.post("/api/v1/plan/subnets/{which}/split", {
        path: { which: subnet.id },
        body: { prefix_length: Number(prefix) },
      }),
    onSuccess: (parts) => {
      refresh();
      navigate(`/subnets/${parts.items[0]!.cidr}`);
    },
  });
  const remove = useMutation({
    mutationFn: () => api.remove("/api/v1/plan/subnets/{which}", { path: { which: subnet.id } }),
    onSuccess: () => {
      refresh();
      navigate("/plan");
    },
  });
  const fault = save.error ?? split.error ?? remove.error;
  const own = Number(subnet.cidr.split("/")[1]);
  const changed = JSON.stringify(values) !== JSON.stringify(valuesOf(subnet));
  return (
    <form
      aria-label="Subnet's settings"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      <div className="grid gap-3 sm:grid-cols-2 lg:grid-cols-4">
        {(Object.keys(LABELS) as (keyof typeof LABELS)[]).map((name) => (
          <Field key={name} label={LABELS[name]}>
            <Input
              value={values[name]}
              onChange={(event) => setValues({ ...values, [name]: event.target.value })}
              className={`w-full ${name === "name" || name === "notes" ? "" : "font-mono"}`}
              spellCheck={false}
            />
          </Field>
        ))}
      </div>
      {fault ? (
        <p role="alert" className="mt-2 text-sm text-alarm">
          {fault.message}.
        </p>
      ) : null}
      <div className="mt-2 flex flex-wrap items-end gap-3">
        <Button tone="ink" type="submit" disabled={!changed || save.isPending}>
          Save subnet
        </Button>
        {own < 30 && !subnet.supernet ? (
          <span className="ml-auto flex items-end gap-2">
            <Field label="Cut it into parts of">
              <select className={inputLook} value={prefix} onChange={(event) => setPrefix(event.target.value)}>
                <option value="">…</option>
                {Array.from({ length: Math.min(6, 30 - own) }, (_, i) => own + 1 + i).map((length) => (
                  <option key={length} value={length}>
                    /{length} ({2 ** (length - own)} parts)
                  </option>
                ))}
              </select>
            </Field>
            <Button disabled={!prefix || split.isPending} onClick={() => split.mutate()}>
              Split, with everything in it
            </Button>
          </span>
        ) : null}
        <Button tone="alarm" onClick={() => remove.mutate()}>
          Plan it no more
        </Button>
      </div>
    </form>
  );
}
