// A band while it is drawn or changed: its stretch follows the ruler, and the plan's own checks speak at once.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api } from "../../api/client";
import { type BandKind, type BandView } from "../../api/types";
import { useDelayed } from "../../lib/delayed";
import { Button, Field, Input, inputLook } from "../../parts/basics";
import { ProblemList } from "../../parts/ProblemList";
import { useRoles } from "../../parts/RoleSelect";

interface Props {
  subnet: number;
  band: BandView | null;
  range: string;
  onRange(range: string): void;
  onWrong(wrong: boolean): void;
  onClose(): void;
}

const KINDS: [BandKind, string][] = [
  ["static", "static: typed into devices"],
  ["pool", "pool: handed out by DHCP"],
  ["spare", "spare: kept free"],
];

export function BandForm({ subnet, band, range, onRange, onWrong, onClose }: Props) {
  const [kind, setKind] = useState<BandKind>(band?.kind ?? "static");
  const [name, setName] = useState(band?.name ?? "");
  const [roles, setRoles] = useState<string[]>(band?.roles ?? []);
  const [server, setServer] = useState<number | null>(band?.server?.id ?? null);
  const [lease, setLease] = useState(String((band?.options.lease_seconds ?? 0) / 3600 || ""));
  const client = useQueryClient();
  const saving = useRef(false);
  const servers = useQuery({ queryKey: ["dhcp", "servers"], queryFn: () => api.all("/api/v1/dhcp/servers") });
  const allRoles = useRoles(roles);
  const own = kind === "static" ? roles : [];
  const by = kind === "pool" ? server : null;
  const options = { ...band?.options, lease_seconds: Math.round(Number(lease) * 3600) || 0 };
  const asked = useDelayed({ id: band?.id ?? null, subnet, kind, range, roles: own, server: by, options }, 150);
  const draft = useQuery({
    queryKey: ["draft", "band", asked],
    queryFn: async ({ signal }) => {
      const found = await api.post("/api/v1/bands/draft", { body: asked, signal });
      onWrong(found.items.some((problem) => problem.severity === "refused"));
      return found;
    },
    // Once it is being saved or removed there is nothing to check any more.
    enabled: asked.range !== "" && saving.current === false,
    retry: false,
  });
  const done = () => {
    for (const key of ["plan", "ruler", "bands"]) void client.invalidateQueries({ queryKey: [key] });
    onClose();
  };
  const save = useMutation({
    onMutate: () => {
      saving.current = true;
    },
    onError: () => {
      saving.current = false;
    },
    mutationFn: () =>
      band
        ? api.patch("/api/v1/bands/{which}", {
            path: { which: band.id },
            body: { kind, range, name, roles: own, server: by ?? 0, options },
            version: band.version,
          })
        : api.post("/api/v1/bands", { body: { subnet, kind, range, name, roles: own, server: by, options } }),
    onSuccess: done,
  });
  const remove = useMutation({
    onMutate: () => {
      saving.current = true;
    },
    onError: () => {
      saving.current = false;
    },
    mutationFn: () => api.remove("/api/v1/bands/{which}", { path: { which: band!.id } }),
    onSuccess: done,
  });
  const fault = draft.error ?? save.error ?? remove.error;
  const refused = draft.data?.items.some((problem) => problem.severity === "refused") ?? false;
  return (
    <form
      className="mt-3 rounded border border-ink bg-leaf p-3"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
      aria-label="Band"
    >
      <div className="grid gap-3 sm:grid-cols-2 lg:grid-cols-4">
        <Field label="Kind">
          <select
            className={`${inputLook} w-full`}
            value={kind}
            onChange={(event) => setKind(event.target.value as BandKind)}
          >
            {KINDS.map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
        </Field>
        <Field label="Stretch">
          <Input
            value={range}
            onChange={(event) => onRange(event.target.value)}
            className="w-full font-mono"
            spellCheck={false}
            placeholder="draw it, or write 20-60"
          />
        </Field>
        <Field label="Band name">
          <Input value={name} onChange={(event) => setName(event.target.value)} maxLength={80} />
        </Field>
        {kind === "pool" ? (
          <div className="grid grid-cols-[1fr_6rem] gap-2">
            <Field label="Handed out by">
              <select
                className={`${inputLook} w-full`}
                value={server ?? ""}
                onChange={(event) => setServer(Number(event.target.value) || null)}
              >
                <option value="">nobody yet</option>
                {servers.data?.map((one) => (
                  <option key={one.id} value={one.id}>
                    {one.name}
                  </option>
                ))}
              </select>
            </Field>
            <Field label="Lease, hours">
              <Input
                value={lease}
                onChange={(event) => setLease(event.target.value)}
                inputMode="decimal"
                className="w-full text-right"
                placeholder="server's"
              />
            </Field>
          </div>
        ) : null}
      </div>
      {kind === "static" ? (
        <fieldset className="mt-2 flex flex-wrap gap-x-4 gap-y-1 text-sm">
          <legend className="text-xs text-soft">For these roles (none: for any)</legend>
          {allRoles.map((role) => (
            <label key={role} className="flex items-center gap-1">
              <input
                type="checkbox"
                checked={roles.includes(role)}
                onChange={(event) =>
                  setRoles(event.target.checked ? [...roles, role] : roles.filter((one) => one !== role))
                }
              />{" "}
              {role}
            </label>
          ))}
        </fieldset>
      ) : null}
      <div className="mt-2 min-h-6" aria-live="polite">
        {fault ? (
          <p role="alert" className="text-sm text-alarm">
            {fault.message}.
          </p>
        ) : null}
        {!fault && draft.data ? (
          draft.data.items.length > 0 ? (
            <ProblemList problems={draft.data.items} />
          ) : (
            <p className="text-sm text-fine">Nothing speaks against it.</p>
          )
        ) : null}
      </div>
      <div className="mt-2 flex gap-2">
        <Button tone="ink" type="submit" disabled={range === "" || refused || !!draft.error || save.isPending}>
          {band ? "Save band" : "Add band"}
        </Button>
        <Button tone="quiet" onClick={onClose}>
          Cancel
        </Button>
        {band ? (
          <Button tone="alarm" className="ml-auto" onClick={() => remove.mutate()}>
            Remove band
          </Button>
        ) : null}
      </div>
    </form>
  );
}
