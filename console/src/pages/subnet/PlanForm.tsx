// Enter a subnet into the plan; its mistakes are told while it is typed.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api } from "../../api/client";
import { useDelayed } from "../../lib/delayed";
import { Button, Field, Input } from "../../parts/basics";
import { ProblemList } from "../../parts/ProblemList";

export function PlanForm({
  range: initial = "",
  gateway: first = "",
  onDone,
}: {
  range?: string;
  gateway?: string;
  onDone?(): void;
}) {
  const [range, setRange] = useState(initial);
  const [name, setName] = useState("");
  const [gateway, setGateway] = useState(first);
  const [dns, setDns] = useState("");
  const [domain, setDomain] = useState("");
  const [vlan, setVlan] = useState("");
  const [supernet, setSupernet] = useState(false);
  const navigate = useNavigate();
  const client = useQueryClient();
  const body = {
    range,
    name,
    gateway: gateway || null,
    dns: dns.split(/[\s,]+/).filter(Boolean),
    domain,
    vlan: Number(vlan) || null,
    supernet,
  };
  const asked = useDelayed(JSON.stringify(body), 250);
  const draft = useQuery({
    queryKey: ["draft", "subnet", asked],
    queryFn: () => api.post("/api/v1/plan/subnets/draft", { body: JSON.parse(asked) }),
    enabled: range.trim() !== "",
    retry: false,
  });
  const save = useMutation({
    mutationFn: () => api.post("/api/v1/plan/subnets", { body: body }),
    onSuccess: (made) => {
      for (const key of ["plan", "ruler", "subnets"]) void client.invalidateQueries({ queryKey: [key] });
      onDone?.();
      navigate(`/subnets/${made.subnet.cidr}`);
    },
  });
  const fault = save.error ?? (range.trim() ? draft.error : null);
  return (
    <form
      className="rounded border border-rule bg-leaf p-3"
      aria-label="Plan a subnet"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      <div className="grid gap-3 sm:grid-cols-3 lg:grid-cols-6">
        <Field label="Subnet">
          <Input
            value={range}
            onChange={(event) => setRange(event.target.value)}
            className="w-full font-mono"
            placeholder="10.44.50.0/24"
            spellCheck={false}
          />
        </Field>
        <Field label="Called">
          <Input value={name} onChange={(event) => setName(event.target.value)} maxLength={80} placeholder="Workshop" />
        </Field>
        <Field label="Gateway">
          <Input
            value={gateway}
            onChange={(event) => setGateway(event.target.value)}
            className="w-full font-mono"
            spellCheck={false}
          />
        </Field>
        <Field label="DNS servers">
          <Input
            value={dns}
            onChange={(event) => setDns(event.target.value)}
            className="w-full font-mono"
            spellCheck={false}
          />
        </Field>
        <Field label="Domain">
          <Input value={domain} onChange={(event) => setDomain(event.target.value)} spellCheck={false} />
        </Field>
        <Field label="VLAN">
          <Input
            value={vlan}
            onChange={(event) => setVlan(event.target.value)}
            inputMode="numeric"
            className="w-full text-right"
          />
        </Field>
      </div>
      <div className="mt-2 min-h-6" aria-live="polite">
        {fault ? (
          <p role="alert" className="text-sm text-alarm">
            {fault.message}.
          </p>
        ) : null}
        {!fault && draft.data && draft.data.items.length > 0 ? <ProblemList problems={draft.data.items} /> : null}
      </div>
      <div className="mt-1 flex items-center gap-4">
        <Button tone="ink" type="submit" disabled={!range.trim() || !!fault || save.isPending}>
          Plan it
        </Button>
        <label className="flex items-center gap-1.5 text-sm">
          <input type="checkbox" checked={supernet} onChange={(event) => setSupernet(event.target.checked)} /> a
          supernet: holds subnets, no hosts of its own
        </label>
      </div>
    </form>
  );
}
