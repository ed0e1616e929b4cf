// What can be done with several selected devices at once: set role, owner or place; copy as text.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { DeviceRow, SettleDone } from "../../api/types";
import { plural } from "../../lib/format";
import { Button, Input } from "../../parts/basics";
import { asLines } from "../../parts/grid/column";
import { type ColumnName, columnsOf } from "./columns";
import { RoleSelect } from "../../parts/RoleSelect";
import { ToRollCall } from "./ToRollCall";

export function BulkBar({
  selected,
  columns,
  clear,
}: {
  selected: ReadonlyMap<string | number, DeviceRow>;
  columns: ColumnName[];
  clear(): void;
}) {
  const [role, setRole] = useState("");
  const [owner, setOwner] = useState("");
  const [place, setPlace] = useState("");
  const [copied, setCopied] = useState(false);
  const client = useQueryClient();
  const set = useMutation({
    mutationFn: () =>
      api.post("/api/v1/devices/bulk", {
        body: {
          devices: [...selected.values()].map(({ id, version }) => ({ id, version })),
          ...(role ? { role } : {}),
          ...(owner.trim() ? { owner: owner.trim() } : {}),
          ...(place.trim() ? { place: place.trim() } : {}),
        },
      }),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["devices"] });
      void client.invalidateQueries({ queryKey: ["device"] });
      clear();
    },
  });
  const settle = useMutation({
    mutationFn: () =>
      api.post("/api/v1/assignments/settle", { body: { devices: [...selected.values()].map((one) => one.id) } }),
    onSuccess: () => {
      for (const key of ["devices", "device", "assignments", "plan", "dhcp", "ruler"])
        void client.invalidateQueries({ queryKey: [key] });
    },
  });
  const copy = async () => {
    await navigator.clipboard.writeText(asLines(columnsOf(columns), [...selected.values()]));
    setCopied(true);
  };
  return (
    <form
      className="flex flex-wrap items-center gap-2 border-t border-rule bg-wash px-4 py-1.5 text-sm"
      onSubmit={(event) => {
        event.preventDefault();
        set.mutate();
      }}
    >
      <span className="font-semibold">{plural(selected.size, "device")} selected</span>
      <RoleSelect label="Role for all" value={role} onChange={setRole} none="role…" wide={false} />
      <Input
        aria-label="Owner for all"
        placeholder="owner…"
        value={owner}
        onChange={(event) => setOwner(event.target.value)}
        className="w-40"
      />
      <Input
        aria-label="Place for all"
        placeholder="place…"
        value={place}
        onChange={(event) => setPlace(event.target.value)}
        className="w-40"
      />
      <Button tone="ink" type="submit" disabled={set.isPending || (!role && !owner.trim() && !place.trim())}>
        Set for all
      </Button>
      <Button
        disabled={settle.isPending}
        title="Reserved where it is leased, static where it is typed in, as one change"
        onClick={() => settle.mutate()}
      >
        {settle.isPending ? "Looking…" : "Make addresses lasting"}
      </Button>
      <ToRollCall devices={[...selected.values()]} />
      <Button onClick={() => void copy()}>{copied ? "Copied" : "Copy as text"}</Button>
      <Button tone="quiet" onClick={clear}>
        Select none
      </Button>
      {settle.error ? (
        <span role="alert" className="text-alarm">
          {settle.error.message}; nothing was changed.
        </span>
      ) : null}
      {settle.data ? <Settled done={settle.data} /> : null}
      {set.error ? (
        <span role="alert" className="text-alarm">
          {set.error.message}; nothing was set.
        </span>
      ) : null}
    </form>
  );
}

function Settled({ done }: { done: SettleDone }) {
  return (
    <ul className="w-full" aria-live="polite">
      {done.devices.map((one) => (
        <li key={one.device?.id ?? one.name} className={one.why_not ? "text-amber" : ""}>
          {one.name || `device ${one.device?.id}`}:{" "}
          {one.why_not
            ? `nothing to do: ${one.why_not}`
            : one.moves
              ? `static ${one.address}, to be typed in: its role must not depend on a pool`
              : one.kind === "reserved"
                ? `${one.address} is reserved for it; publish the plan`
                : `${one.address} is static, as it is typed in`}
          .
        </li>
      ))}
    </ul>
  );
}
