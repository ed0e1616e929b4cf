// Manage a DHCP server: its name, its kind, and how it is reached on the service's machine.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, Problem } from "../../api/client";
import type { DhcpServerView } from "../../api/types";
import { Button, Field, Input, inputLook } from "../../parts/basics";

const PATHS: Record<string, [string, string, string][]> = {
  kea: [["config", "Its configuration file", "/etc/kea/kea-dhcp4.conf"], ["socket", "Its control socket", "/run/kea/kea4-ctrl-socket"], ["leases", "Its lease file, if it has no lease commands", ""]],
  dnsmasq: [["hosts", "Its hosts file (dhcp-hostsfile)", "/etc/dnsmasq.hosts"], ["config", "Its configuration, to compare pools", "/etc/dnsmasq.conf"], ["leases", "Its lease file", "/var/lib/misc/dnsmasq.leases"], ["pid", "Its pid file, to have it read again", "/run/dnsmasq/dnsmasq.pid"]],
};

export function ServerForm() {
  const [kind, setKind] = useState("kea");
  const [name, setName] = useState("");
  const [paths, setPaths] = useState<Record<string, string>>({});
  const client = useQueryClient();
  const add = useMutation({
    mutationFn: () => api.post<DhcpServerView>("/api/dhcp/servers", { name, kind, ...Object.fromEntries((PATHS[kind] ?? []).map(([field]) => [field, paths[field] ?? ""])) }),
    onSuccess: () => { setName(""); setPaths({}); void client.invalidateQueries({ queryKey: ["dhcp"] }); },
  });
  const fault = add.error instanceof Problem ? add.error : null;
  return (
    <form className="rounded border border-rule bg-leaf p-3" aria-label="Manage a DHCP server" onSubmit={(event) => { event.preventDefault(); add.mutate(); }}>
      <div className="grid gap-3 sm:grid-cols-2 lg:grid-cols-3">
        <Field label="Server's name" wrong={fault?.field === "name" ? `${fault.message}.` : null}><Input value={name} onChange={(event) => setName(event.target.value)} maxLength={80} /></Field>
        <Field label="Kind of server">
          <select className={`${inputLook} w-full`} value={kind} onChange={(event) => setKind(event.target.value)}>{Object.keys(PATHS).map((one) => <option key={one}>{one}</option>)}</select>
        </Field>
        {PATHS[kind]!.map(([field, label, example]) => (
          <Field key={field} label={label} wrong={fault?.field === field ? `${fault.message}.` : null}>
            <Input value={paths[field] ?? ""} placeholder={example} onChange={(event) => setPaths({ ...paths, [field]: event.target.value })} className="w-full font-mono" spellCheck={false} />
          </Field>
        ))}
      </div>
      {fault && !fault.field ? <p role="alert" className="mt-2 text-sm text-alarm">{fault.message}.</p> : null}
      <div className="mt-2"><Button tone="ink" type="submit" disabled={!name.trim() || add.isPending}>Manage it</Button></div>
    </form>
  );
}
