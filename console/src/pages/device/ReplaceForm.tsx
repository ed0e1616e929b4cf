// New hardware for a device: its MAC inherits name, addresses and reservations in one step.
import { useState } from "react";
import { Button, Field, Input, inputLook } from "../../parts/basics";

export function ReplaceForm({
  macs,
  busy,
  onReplace,
}: {
  macs: string[];
  busy: boolean;
  onReplace(mac: string, old: string | null): void;
}) {
  const [open, setOpen] = useState(false);
  const [mac, setMac] = useState("");
  const [old, setOld] = useState(macs[0] ?? "");
  if (!open) return <Button onClick={() => setOpen(true)}>It was replaced…</Button>;
  return (
    <form
      className="flex flex-wrap items-end gap-2 rounded border border-rule p-3"
      onSubmit={(event) => {
        event.preventDefault();
        onReplace(mac, macs.length > 1 ? old : null);
      }}
    >
      <Field
        label="MAC of the new one"
        hint="It inherits the name, addresses and reservations; the old one is kept, retired, with its history."
      >
        <Input
          value={mac}
          onChange={(event) => setMac(event.target.value)}
          className="w-44 font-mono"
          placeholder="any notation"
          autoFocus
          spellCheck={false}
        />
      </Field>
      {macs.length > 1 ? (
        <Field label="instead of">
          <select className={inputLook} value={old} onChange={(event) => setOld(event.target.value)}>
            {macs.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </Field>
      ) : null}
      <Button tone="ink" type="submit" disabled={busy || !mac.trim()}>
        Replace it
      </Button>
      <Button tone="quiet" onClick={() => setOpen(false)}>
        Cancel
      </Button>
    </form>
  );
}
