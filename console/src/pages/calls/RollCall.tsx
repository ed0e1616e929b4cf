// One roll call: how many are here, and each line with its state, since when, and the course of the last looks.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { CallLine, RollCallView } from "../../api/types";
import { ago, millis, moment, plural } from "../../lib/format";
import { useOpen } from "../../lib/open";
import { Button, Mono, Section } from "../../parts/basics";
import type { Column } from "../../parts/grid/column";
import { Grid } from "../../parts/grid/Grid";
import { atHand } from "../../parts/grid/source";
import { TakeOut } from "../../parts/grid/TakeOut";
import { HourBars } from "../../parts/HourBars";
import { CallForm } from "./CallForm";

const LOOKS: Record<CallLine["state"], [string, string, string]> = {
  here: ["text-fine", "here", "M2 1h8v10H2z"],
  silent: ["text-alarm", "silent", "M2 6h8"],
  unknown: ["text-amber", "cannot say", "M6 1.5v6M6 9.3v1.4"],
};

export function RollCall({ call }: { call: RollCallView }) {
  const client = useQueryClient();
  const [editing, setEditing] = useState(false);
  const [open, setOpen] = useOpen();
  const path = { identity: call.id };
  const again = async () => {
    for (const key of ["calls", "call-lines"]) await client.invalidateQueries({ queryKey: [key] });
  };
  const lines = useQuery({
    queryKey: ["call-lines", call.id],
    queryFn: ({ signal }) => api.all("/api/v1/calls/{identity}/lines", { path, signal }),
  });
  const ask = useMutation({ mutationFn: () => api.post("/api/v1/calls/{identity}/ask", { path }), onSuccess: again });
  const save = useMutation({
    mutationFn: (body: { name: string; every_seconds: number; text: string; warn_minutes: number; quiet: string }) =>
      api.patch("/api/v1/calls/{identity}", { path, body, version: call.version }),
    onSuccess: () => {
      setEditing(false);
      return again();
    },
  });
  const remove = useMutation({
    mutationFn: () => api.remove("/api/v1/calls/{identity}", { path, version: call.version }),
    onSuccess: () => {
      // Gone from the page at once, so that nobody asks for its lines any more.
      client.setQueryData<RollCallView[]>(["calls"], (before) => before?.filter((one) => one.id !== call.id));
      return client.invalidateQueries({ queryKey: ["calls"] });
    },
  });
  const fault = ask.error ?? remove.error ?? lines.error;
  return (
    <Section
      title={call.name}
      aside={
        <span className="flex flex-wrap items-center justify-end gap-2">
          <span className="text-sm text-soft" role="status">
            {call.asked_at
              ? `${call.here_count} here, ${call.silent_count} silent${call.unknown_count ? `, ${call.unknown_count} cannot be told` : ""}; `
              : ""}
            {call.asking ? "being asked" : call.asked_at ? `asked ${ago(call.asked_at)}` : "not asked yet"}, every{" "}
            {call.every_seconds} s
          </span>
          <Button disabled={ask.isPending} onClick={() => ask.mutate()}>
            {ask.isPending ? "Asking…" : "Ask now"}
          </Button>
          <Button tone="quiet" onClick={() => setEditing(!editing)}>
            {editing ? "Close" : "Change"}
          </Button>
          <Button tone="quiet" disabled={remove.isPending} onClick={() => remove.mutate()}>
            Remove
          </Button>
          <TakeOut title={call.name} columns={COLUMNS} all={() => Promise.resolve(lines.data ?? [])} />
        </span>
      }
    >
      {fault ? (
        <p role="alert" className="text-sm text-alarm">
          {fault.message}.
        </p>
      ) : null}
      {editing ? (
        <CallForm
          key={call.version}
          call={call}
          saving={save.isPending}
          error={save.error}
          onSave={(given) => save.mutate(given)}
        />
      ) : null}
      <div className="flex max-h-[70vh] flex-col">
        <Grid
          label={`${call.name}, ${plural(call.line_count, "line")}`}
          columns={COLUMNS}
          source={atHand(lines.data ?? [])}
          loaded={lines.isSuccess}
          keyOf={(line) => line.subject}
          isOpen={(line) => open?.kind === "address" && open.address === line.address}
          onOpen={(line) => {
            if (line.address) setOpen({ kind: "address", address: line.address });
          }}
          empty={<p className="text-sm text-soft">It has no lines yet: press Change.</p>}
        />
      </div>
    </Section>
  );
}

const word = (line: CallLine) => (line.state === "unknown" && line.asking ? "being asked" : LOOKS[line.state][1]);
const reply = (line: CallLine) => (line.reply_ms === null ? "" : millis(line.reply_ms));
const course = (line: CallLine) => line.course.map((one) => (one > 0 ? "+" : one < 0 ? "?" : "-")).join("");
// What state and address say already gives way to the note.
const why = (line: CallLine) =>
  [`answers at ${line.address}`, `nobody answers at ${line.address}`].includes(line.said) ? line.notes : line.said;
/** A share of a time, marked where less than nine tenths of that time is known. */
const part = ([share, known]: readonly [number | null, number]) =>
  share === null ? "–" : `${known < 0.9 ? "~" : ""}${Math.round(share * 100)}%`;
const shares = (line: CallLine) => {
  const parts = [
    [line.day_share, line.day_known],
    [line.week_share, line.week_known],
    [line.month_share, line.month_known],
  ] as const;
  return parts.some(([share]) => share !== null) ? parts.map(part).join("  ") : "";
};
const known = (line: CallLine) =>
  [line.day_known, line.week_known, line.month_known].map((one) => `${Math.round(one * 100)}%`).join(", ");
const COLUMNS: Column<CallLine>[] = [
  {
    name: "who",
    width: "minmax(11rem,1fr)",
    text: (line) => line.subject,
    cell: (line) => <Mono>{line.subject}</Mono>,
  },
  {
    name: "name",
    width: "minmax(7.5rem,1fr)",
    text: (line) => line.name || (line.device?.name ?? ""),
    cell: (line) => line.name || line.device?.name,
  },
  {
    name: "state",
    width: "7.5rem",
    text: word,
    cell: (line) => {
      const [colour, , shape] = LOOKS[line.state];
      return (
        <span className={`inline-flex items-center gap-1.5 ${colour}`}>
          <svg viewBox="0 0 12 12" className="size-3 shrink-0" aria-hidden>
            <path
              d={shape}
              fill={line.state === "here" ? "currentColor" : "none"}
              stroke="currentColor"
              strokeWidth="1.8"
            />
          </svg>
          {word(line)}
        </span>
      );
    },
  },
  {
    name: "since",
    width: "6rem",
    text: (line) => moment(line.since),
    cell: (line) => <span title={moment(line.since)}>{line.since ? ago(line.since) : "–"}</span>,
  },
  {
    name: "last looks",
    width: "8rem",
    text: course,
    cell: (line) => (
      <span className="inline-flex h-4 items-end gap-px" role="img" aria-label={`the last looks: ${course(line)}`}>
        {line.course.slice(-28).map((one, number) => (
          <span
            key={number}
            className={`w-[3px] ${one > 0 ? "h-4 bg-fine" : one < 0 ? "h-2.5 bg-amber" : "h-1 bg-alarm"}`}
          />
        ))}
      </span>
    ),
  },
  {
    name: "reply",
    width: "11rem",
    text: reply,
    cell: (line) => (
      <span className="inline-flex items-center gap-2 whitespace-nowrap">
        <HourBars hours={line.reply_hours} />
        <span className="tabular-nums">{reply(line)}</span>
      </span>
    ),
  },
  {
    name: "day, week, month",
    width: "8rem",
    text: shares,
    cell: (line) => (
      <span
        className="tabular-nums"
        title={`How much of the last day, week and 30 days, or since it answered first, it was there, of the time of which that is known (${known(line)}; ~: less than 90%)`}
      >
        {shares(line)}
      </span>
    ),
  },
  {
    name: "what",
    width: "minmax(9rem,2fr)",
    text: why,
    cell: (line) => (
      <span className="text-soft" title={why(line)}>
        {why(line)}
      </span>
    ),
  },
];
