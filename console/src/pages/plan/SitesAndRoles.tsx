// The sites of the plan and the roles of its devices: entered, renamed, changed, taken away.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { RoleRule, SiteView } from "../../api/types";
import { plural } from "../../lib/format";
import { Button, Input, inputLook, Section } from "../../parts/basics";

const ON_POOL: [RoleRule["on_pool"], string][] = [
  ["never", "never on a pool's address"],
  ["avoid", "rather not on a pool's address"],
  ["fine", "may live on a pool's address"],
];

function useRefresh(): () => void {
  const client = useQueryClient();
  return () => {
    for (const key of ["sites", "plan", "here", "devices", "changes"])
      void client.invalidateQueries({ queryKey: [key] });
  };
}

function Wrong({ error }: { error: Error | null }) {
  return error ? (
    <p role="alert" className="text-sm text-alarm">
      {error.message}.
    </p>
  ) : null;
}

export function Sites() {
  const refresh = useRefresh();
  const sites = useQuery({ queryKey: ["sites"], queryFn: () => api.all("/api/v1/sites") });
  const [name, setName] = useState("");
  const add = useMutation({
    mutationFn: () => api.post("/api/v1/sites", { body: { name: name.trim() } }),
    onSuccess: () => {
      setName("");
      refresh();
    },
  });
  return (
    <Section title="Sites">
      <ul>
        {sites.data?.map((site) => (
          <Site key={site.id} site={site} onDone={refresh} />
        ))}
      </ul>
      <form
        className="mt-2 flex flex-wrap items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          add.mutate();
        }}
      >
        <Input
          aria-label="Name of another site"
          placeholder="another site, which may use the same ranges"
          value={name}
          onChange={(event) => setName(event.target.value)}
          className="w-80"
        />
        <Button type="submit" disabled={!name.trim() || add.isPending}>
          Add
        </Button>
        <Wrong error={add.error} />
      </form>
    </Section>
  );
}

function Site({ site, onDone }: { site: SiteView; onDone(): void }) {
  const [name, setName] = useState<string | null>(null);
  const edit = useMutation({
    mutationFn: (body: { name?: string; here?: true }) =>
      api.patch("/api/v1/sites/{identity}", { path: { identity: site.id }, body, version: site.version }),
    onSuccess: () => {
      setName(null);
      onDone();
    },
  });
  const remove = useMutation({
    mutationFn: () => api.remove("/api/v1/sites/{identity}", { path: { identity: site.id } }),
    onSuccess: onDone,
  });
  return (
    <li className="flex flex-wrap items-center gap-3 border-b border-rule py-1">
      {name === null ? (
        <b className="min-w-40">{site.name}</b>
      ) : (
        <form
          className="flex gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            edit.mutate({ name: name.trim() });
          }}
        >
          <Input
            aria-label={`New name of ${site.name}`}
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          <Button type="submit" tone="ink" disabled={!name.trim() || edit.isPending}>
            Save
          </Button>
          <Button onClick={() => setName(null)}>Leave it</Button>
        </form>
      )}
      <span className="text-soft">
        {plural(site.subnet_count, "subnet")}
        {site.here ? ", this service stands here" : ""}
      </span>
      <span className="ml-auto flex gap-1">
        {name === null ? (
          <Button tone="quiet" aria-label={`Rename ${site.name}`} onClick={() => setName(site.name)}>
            Rename
          </Button>
        ) : null}
        {site.here ? null : (
          <>
            <Button tone="quiet" aria-label={`Stand here: ${site.name}`} onClick={() => edit.mutate({ here: true })}>
              Stand here
            </Button>
            <Button
              tone="quiet"
              aria-label={`Take away ${site.name}`}
              disabled={site.subnet_count > 0}
              onClick={() => remove.mutate()}
            >
              Take away
            </Button>
          </>
        )}
      </span>
      <Wrong error={edit.error ?? remove.error} />
    </li>
  );
}

export function Roles() {
  const refresh = useRefresh();
  const roles = useQuery({ queryKey: ["plan", "roles"], queryFn: () => api.all("/api/v1/roles") });
  const [name, setName] = useState("");
  const set = useMutation({
    mutationFn: (rule: RoleRule) => api.put("/api/v1/roles", { body: rule }),
    onSuccess: () => {
      setName("");
      refresh();
    },
  });
  const forget = useMutation({
    mutationFn: (role: string) => api.remove("/api/v1/roles/{name}", { path: { name: role } }),
    onSuccess: refresh,
  });
  return (
    <Section title="Roles">
      <table className="text-left">
        <thead className="text-sm text-soft">
          <tr>
            <th className="pr-6 font-normal">role</th>
            <th className="pr-6 font-normal">in planning</th>
            <th className="pr-6 font-normal">comes and goes</th>
            <th>
              <span className="sr-only">what can be done</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {roles.data?.map((rule) => (
            <tr key={rule.name} className="border-t border-rule">
              <td className="py-0.5 pr-6">{rule.name}</td>
              <td className="pr-6">
                <select
                  aria-label={`${rule.name} in planning`}
                  className={inputLook}
                  value={rule.on_pool}
                  onChange={(event) => set.mutate({ ...rule, on_pool: event.target.value as RoleRule["on_pool"] })}
                >
                  {ON_POOL.map(([value, said]) => (
                    <option key={value} value={value}>
                      {said}
                    </option>
                  ))}
                </select>
              </td>
              <td className="pr-6">
                <input
                  type="checkbox"
                  aria-label={`${rule.name} comes and goes`}
                  checked={rule.travels ?? false}
                  onChange={(event) => set.mutate({ ...rule, travels: event.target.checked })}
                />
              </td>
              <td>
                <Button
                  tone="quiet"
                  aria-label={`As usual: ${rule.name}`}
                  title="The usual rule again; a role of the site's own goes away"
                  onClick={() => forget.mutate(rule.name)}
                >
                  As usual
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <form
        className="mt-2 flex flex-wrap items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          set.mutate({ name: name.trim(), on_pool: "fine", travels: false });
        }}
      >
        <Input
          aria-label="Name of another role"
          placeholder="a role of your own, such as piano"
          value={name}
          onChange={(event) => setName(event.target.value)}
          className="w-80"
        />
        <Button type="submit" disabled={!name.trim() || set.isPending}>
          Add
        </Button>
        <Wrong error={set.error ?? forget.error} />
      </form>
    </Section>
  );
}
