// Find free addresses with their proof, and give one away on the spot.
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import { AssignForm } from "../../parts/AssignForm";
import { Button, Field, Input } from "../../parts/basics";
import { Proof } from "../../parts/Proof";
import { RoleSelect } from "../../parts/RoleSelect";
import { GiveSeveral } from "./GiveSeveral";

export function FreeFinder({ where, onShow }: { where: string; onShow(address: string): void }) {
  const [role, setRole] = useState("");
  const [count, setCount] = useState("3");
  const [adjacent, setAdjacent] = useState(false);
  const [several, setSeveral] = useState(false);
  const [giving, setGiving] = useState<string | null>(null);
  const find = useMutation({
    mutationFn: () =>
      api.post("/api/v1/free", {
        body: { where, role, count: Math.min(Math.max(Number(count) || 1, 1), 64), adjacent },
      }),
    onSuccess: () => setGiving(null),
  });
  return (
    <div>
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          find.mutate();
        }}
      >
        <Field label="For a device of role">
          <RoleSelect value={role} onChange={setRole} none="any" wide={false} />
        </Field>
        <Field label="How many">
          <Input
            value={count}
            onChange={(event) => setCount(event.target.value)}
            inputMode="numeric"
            className="w-16 text-right"
          />
        </Field>
        <label className="flex items-center gap-1.5 py-1.5 text-sm">
          <input type="checkbox" checked={adjacent} onChange={(event) => setAdjacent(event.target.checked)} /> next to
          each other
        </label>
        <Button tone="ink" type="submit" disabled={find.isPending}>
          Find free addresses
        </Button>
        <Button onClick={() => setSeveral(!several)} aria-expanded={several}>
          Several MACs at once…
        </Button>
        <span className="py-1.5 text-sm text-soft" aria-live="polite">
          {find.isPending ? "Asking the wire, about three seconds…" : ""}
        </span>
      </form>
      {several ? <GiveSeveral where={where} role={role} onClose={() => setSeveral(false)} /> : null}
      {find.error ? (
        <p role="alert" className="mt-2 text-sm text-alarm">
          {find.error.message}.
        </p>
      ) : null}
      {find.data && find.data.candidates.length === 0 ? (
        <p className="mt-2 text-sm">None is left here. Widen a band, or take another subnet.</p>
      ) : null}
      <div className="mt-2">
        {find.data?.candidates.map((found) => (
          <div key={found.address}>
            <Proof found={found}>
              <Button onClick={() => onShow(found.address)}>Show</Button>
              <Button onClick={() => setGiving(found.address)}>Assign…</Button>
            </Proof>
            {giving === found.address ? (
              <AssignForm
                address={found.address}
                given={{ role }}
                onDone={() => {
                  setGiving(null);
                  find.reset();
                  onShow(found.address);
                }}
                onCancel={() => setGiving(null)}
              />
            ) : null}
          </div>
        ))}
      </div>
    </div>
  );
}
