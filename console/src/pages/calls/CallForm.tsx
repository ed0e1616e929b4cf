// The lines of a roll call as text, its name and how often it is asked.
import { useState } from "react";
import { Problem } from "../../api/client";
import type { RollCallView } from "../../api/types";
import { Button, Field, Input } from "../../parts/basics";

interface Props {
  call?: RollCallView;
  saving: boolean;
  error: Error | null;
  onSave(given: { name: string; every_seconds: number; text: string; warn_minutes: number; quiet: string }): void;
}

export function CallForm({ call, saving, error, onSave }: Props) {
  const [name, setName] = useState(call?.name ?? "");
  const [every, setEvery] = useState(String(call?.every_seconds ?? 30));
  const [warn, setWarn] = useState(String(call?.warn_minutes ?? 0));
  const [quiet, setQuiet] = useState(call?.quiet_first ? `${call.quiet_first}-${call.quiet_last}` : "");
  const [text, setText] = useState(call?.text ?? "");
  const of = (field: string) => (error instanceof Problem && error.field === field ? `${error.message}.` : null);
  const elsewhere = error && !["name", "text", "every_seconds", "quiet"].some((field) => of(field)) ? error : null;
  return (
    <form
      aria-label={call ? `Change ${call.name}` : "New roll call"}
      className="mt-2 flex flex-col gap-2 rounded border border-rule bg-leaf p-3"
      onSubmit={(event) => {
        event.preventDefault();
        onSave({ name, every_seconds: Number(every) || 30, text, warn_minutes: Number(warn) || 0, quiet });
      }}
    >
      <div className="flex flex-wrap gap-3">
        <Field label="Called" wrong={of("name")}>
          <Input value={name} onChange={(event) => setName(event.target.value)} maxLength={60} className="w-64" />
        </Field>
        <Field label="Asked every, seconds" wrong={of("every_seconds")}>
          <Input
            type="number"
            min={5}
            max={86400}
            value={every}
            onChange={(event) => setEvery(event.target.value)}
            className="w-28"
          />
        </Field>
        <Field label="Tell of an absence after, minutes" hint="0: never">
          <Input
            type="number"
            min={0}
            value={warn}
            onChange={(event) => setWarn(event.target.value)}
            className="w-28"
          />
        </Field>
        <Field label="Quiet hours" wrong={of("quiet")} hint="such as 22:00-07:00">
          <Input value={quiet} onChange={(event) => setQuiet(event.target.value)} className="w-36" />
        </Field>
      </div>
      <Field
        hint="behind the note: warn=10 for minutes of patience of its own, until=2026-12-24 to leave it alone"
        label="One a line: an address, a MAC or a device; then a name and a note, with commas between"
        wrong={of("text")}
      >
        <textarea
          rows={8}
          value={text}
          onChange={(event) => setText(event.target.value)}
          spellCheck={false}
          className="w-full rounded border border-rule bg-leaf px-2 py-1 font-mono focus:border-ink"
          placeholder={"printer-1, box office\n10.44.20.30, light desk, behind the curtain"}
        />
      </Field>
      {elsewhere ? (
        <p role="alert" className="text-sm text-alarm">
          {elsewhere.message}.
        </p>
      ) : null}
      <div>
        <Button tone="ink" type="submit" disabled={saving || !name.trim()}>
          Save
        </Button>
      </div>
    </form>
  );
}
