// What can be done with several selected devices at once: set role, owner or place; copy as text.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { DeviceRow } from "../../api/types";
import { plural } from "../../lib/format";
import { Button, Input } from "../../parts/basics";
import { type ColumnName, COLUMNS } from "./columns";
import { RoleSelect } from "../../parts/RoleSelect";

export function BulkBar({ selected, columns, clear }: { selected: ReadonlyMap<number, DeviceRow>; columns: ColumnName[]; clear(): void }) {
  const [role, setRole] = useState("");
  const [owner, setOwner] = useState("");
  const [copied, setCopied] = useState(false);
  const client = useQueryClient();
  const set = useMutation({
    mutationFn: () => api.post("/api/devices/bulk", {
      devices: [...selected.values()].map(({ id, version }) => ({ id, version })),
      ...(role ? { role } : {}), ...(owner.trim() ? { owner: owner.trim() } : {}),
    }),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["devices"] });
      void client.invalidateQueries({ queryKey: ["device"] });
      clear();
    },
  });
  const copy = async () => {
    const lines = [...selected.values()].map((device) => columns.map((column) => COLUMNS[column].text(device)).join("\t"));
    await navigator.clipboard.writeText([columns.join("\t"), ...lines].join("\n"));
    setCopied(true);
  };
  return (
    <form className="flex flex-wrap items-center gap-2 border-t border-rule bg-wash px-4 py-1.5 text-sm"
      onSubmit={(event) => { event.preventDefault(); set.mutate(); }}>
      <span className="font-semibold">{plural(selected.size, "device")} selected</span>
      <RoleSelect label="Role for all" value={role} onChange={setRole} none="role…" wide={false} />
      <Input aria-label="Owner for all" placeholder="owner…" value={owner} onChange={(event) => setOwner(event.target.value)} className="w-40" />
      <Button tone="ink" type="submit" disabled={set.isPending || (!role && !owner.trim())}>Set for all</Button>
      <Button onClick={() => void copy()}>{copied ? "Copied" : "Copy as text"}</Button>
      <Button tone="quiet" onClick={clear}>Select none</Button>
      {set.error ? <span role="alert" className="text-alarm">{set.error.message}; nothing was set.</span> : null}
    </form>
  );
}
