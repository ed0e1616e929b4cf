// One finding in the side sheet: evidence with its times, meaning, steps, accepting it, and its history.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { api } from "../api/client";
import { ago, moment, sentence } from "../lib/format";
import { Button, Field, Input, Notice, Section } from "../parts/basics";
import { Steps, Subjects } from "../parts/FindingCard";
import { Severity } from "../parts/Severity";

export default function FindingSheetView({ id }: { id: number }) {
  const client = useQueryClient();
  const sheet = useQuery({
    queryKey: ["findings", "one", id],
    queryFn: () => api.get("/api/v1/findings/{identity}", { path: { identity: id } }),
  });
  const refresh = () => void client.invalidateQueries({ queryKey: ["findings"] });
  const resume = useMutation({
    mutationFn: () => api.remove("/api/v1/findings/{identity}/accept", { path: { identity: id } }),
    onSuccess: refresh,
  });
  const [accepting, setAccepting] = useState(false);
  if (sheet.error) return <Notice tone="alarm">{sheet.error.message}</Notice>;
  if (!sheet.data) return <p className="text-soft">Reading…</p>;
  const { finding, turns } = sheet.data;
  return (
    <>
      <div className="pr-8 text-sm">
        <Severity severity={finding.severity} heard={finding.heard} />
      </div>
      <h2 className="text-xl font-semibold">{finding.title}</h2>
      <p className="mt-1 text-sm text-soft">
        {finding.state === "closed"
          ? `closed ${ago(finding.closed)}`
          : `${finding.state} since ${moment(finding.since)}`}
        {finding.times > 1 ? `, ${finding.times} times since ${moment(finding.first_opened).slice(0, 10)}` : ""}
      </p>
      <div className="mt-3 text-sm">
        <Subjects subjects={finding.subjects} />
      </div>
      <Section title="Evidence">
        <ul>
          {finding.evidence.map((one) => (
            <li key={one.said} className="flex gap-3 border-b border-rule py-1">
              <span className="min-w-0 flex-1">{sentence(one.said)}.</span>
              {one.at ? (
                <span className="shrink-0 text-sm text-soft" title={moment(one.at)}>
                  {ago(one.at)}
                </span>
              ) : null}
            </li>
          ))}
        </ul>
      </Section>
      <Section title="What it means">
        <p>{finding.means}.</p>
      </Section>
      {finding.state === "closed" ? null : (
        <Section title="What to do">
          <p className="mb-2">{finding.remedy}.</p>
          <Steps finding={finding} onAccept={() => setAccepting(true)} />
          {accepting && finding.state === "open" ? (
            <AcceptForm
              id={id}
              onDone={() => {
                setAccepting(false);
                refresh();
              }}
            />
          ) : null}
        </Section>
      )}
      {finding.acceptance ? (
        <Section title="Accepted">
          <p>{finding.acceptance.reason}</p>
          <p className="text-sm text-soft">
            by {finding.acceptance.who}, {moment(finding.acceptance.at)}
            {finding.acceptance.until ? `, until ${moment(finding.acceptance.until).slice(0, 10)}` : ", for good"}
          </p>
          <Button className="mt-2" disabled={resume.isPending} onClick={() => resume.mutate()}>
            Accept it no longer
          </Button>
        </Section>
      ) : null}
      <Section title="History">
        <ul>
          {turns.map((turn) => (
            <li key={turn.at + turn.turn} className="border-b border-rule py-1 text-sm">
              <span className="text-soft">{moment(turn.at)}</span> <b className="font-semibold">{turn.turn}</b>{" "}
              {turn.said}
            </li>
          ))}
        </ul>
      </Section>
    </>
  );
}

function AcceptForm({ id, onDone }: { id: number; onDone(): void }) {
  const [reason, setReason] = useState("");
  const [until, setUntil] = useState("");
  const accept = useMutation({
    mutationFn: () =>
      api.post("/api/v1/findings/{identity}/accept", {
        path: { identity: id },
        body: { reason, until: until ? new Date(`${until}T23:59:59`).toISOString() : null },
      }),
    onSuccess: onDone,
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    accept.mutate();
  };
  return (
    <form onSubmit={submit} className="mt-3 rounded border border-rule bg-paper p-3">
      <Field label="Why it is all right" hint="Others will read this." wrong={accept.error?.message}>
        <Input value={reason} autoFocus onChange={(event) => setReason(event.target.value)} />
      </Field>
      <div className="mt-2 flex items-end gap-3">
        <Field label="Until (for good when empty)">
          <Input type="date" value={until} onChange={(event) => setUntil(event.target.value)} className="w-40" />
        </Field>
        <Button type="submit" tone="ink" disabled={accept.isPending || reason.trim().length < 3}>
          Accept
        </Button>
      </div>
    </form>
  );
}
