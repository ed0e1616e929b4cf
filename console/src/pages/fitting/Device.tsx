// One device of a fitting: what to do now, large; what to type in, value by value; the steps; what was written down.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Check, Copy, ExternalLink, Printer } from "lucide-react";
import { useState } from "react";
import { api } from "../../api/client";
import type { FittedView, FittingView } from "../../api/types";
import { moment, sentence } from "../../lib/format";
import { Button, Mono, Notice, Section } from "../../parts/basics";
import { Dependants } from "./Dependants";
import { Reach } from "./Reach";
import { RecordForm } from "./RecordForm";
import { stepWord } from "./Stage";

export function Device({ fitting, device }: { fitting: FittingView; device: FittedView }) {
  const client = useQueryClient();
  const [sure, setSure] = useState(false);
  const giveUp = useMutation({
    mutationFn: () =>
      api.post("/api/v1/fittings/{identity}/give-up", {
        path: { identity: fitting.id },
        body: { fitted_ids: [device.id] },
      }),
    onSuccess: (now) => client.setQueryData(["fitting", fitting.id], now),
  });
  const open = device.state === "open";
  const answered = device.step === "keep" && device.reach?.answering;
  const typing = open && (device.step === "type" || device.step === "reach" || answered);
  return (
    <article aria-label={device.name || device.mac}>
      <header className="mt-1">
        <h1 className="text-2xl font-semibold">{device.name || device.mac}</h1>
        <p className="flex flex-wrap gap-x-3 text-soft">
          <Mono>{device.address ?? "no address"}</Mono>
          <Mono>{device.mac}</Mono>
          <span>{device.vendor}</span>
          <span>{fitting.kind?.name}</span>
        </p>
      </header>

      <section
        aria-label="Now"
        aria-live="polite"
        className={`mt-3 rounded border-2 p-3 ${device.against ? "border-alarm" : open ? "border-ink" : "border-rule"} bg-leaf`}
      >
        <p className="text-sm text-soft">{open ? sentence(stepWord(device.step)) : "Over"}</p>
        <p className="text-lg font-semibold">{sentence(device.said)}.</p>
        {device.against ? <p className="mt-1 text-alarm">{sentence(device.against)}.</p> : null}
        {device.reasons.length ? (
          <ol className="mt-2 list-decimal pl-5 text-sm text-soft">
            {device.reasons.map((one) => (
              <li key={one}>{sentence(one)}.</li>
            ))}
          </ol>
        ) : null}
        {typing && device.page ? (
          <a
            href={device.page}
            target="_blank"
            rel="noreferrer"
            className="mt-3 inline-flex items-center gap-2 rounded border border-ink bg-ink px-3 py-2 text-on-ink"
          >
            <ExternalLink className="size-4" aria-hidden /> Open its page
          </a>
        ) : null}
      </section>

      {device.remind ? <Notice tone="alarm">{sentence(device.remind)}</Notice> : null}
      {open && device.reach ? <Reach fitting={fitting} device={device} /> : null}
      {typing && device.card.length ? <TypeIn device={device} /> : null}
      {open && device.step === "record" ? <RecordForm fitting={fitting} device={device} /> : null}
      {open && device.address ? <Dependants address={device.address} /> : null}
      {device.settings.length ? <Seen device={device} /> : null}

      <Section title="Steps">
        <ol className="flex flex-col gap-1">
          {device.steps.map((one) => (
            <li key={one.step} className="grid grid-cols-[1.5rem_6.5rem_1fr] items-baseline gap-x-2">
              <Mark state={one.state} />
              <span className={one.state === "now" ? "font-semibold" : one.state === "passed" ? "" : "text-soft"}>
                {sentence(stepWord(one.step))}
              </span>
              <span className="min-w-0 text-sm break-words text-soft">
                {one.state === "not needed" ? `not needed: ${one.said}` : one.said}
              </span>
            </li>
          ))}
        </ol>
      </Section>

      <Section
        title="Written down"
        aside={
          <Button tone="quiet" className="print:hidden" onClick={() => print()}>
            <Printer className="size-4" aria-hidden /> Print
          </Button>
        }
      >
        {device.written.length === 0 ? <p className="text-sm text-soft">Nothing yet.</p> : null}
        <ul className="text-sm">
          {device.written.map((one, number) => (
            <li key={number} className="grid grid-cols-[5rem_1fr] gap-x-2" title={moment(one.at)}>
              <time dateTime={one.at} className="font-mono text-soft print:hidden">
                {moment(one.at).slice(11)}
              </time>
              <time className="hidden font-mono text-soft print:block">{moment(one.at)}</time>
              <span>{one.said}</span>
            </li>
          ))}
        </ul>
      </Section>

      {open ? (
        <div className="mt-5 flex flex-wrap items-center gap-2 print:hidden">
          {sure ? (
            <Button tone="alarm" disabled={giveUp.isPending} onClick={() => giveUp.mutate()}>
              Yes: {device.address} is free again
            </Button>
          ) : null}
          <Button tone="quiet" onClick={() => setSure(!sure)}>
            {sure ? "No" : "Give this device up…"}
          </Button>
        </div>
      ) : null}
      {giveUp.error ? <Notice tone="alarm">{giveUp.error.message}.</Notice> : null}
    </article>
  );
}

/** Passed, now, ahead and not needed, told by shape. */
function Mark({ state }: { state: FittedView["steps"][number]["state"] }) {
  const shapes = { passed: "M2.5 7l3 3 6-7", now: "M3 2l8 5-8 5z", ahead: "M7 6.5v1", "not needed": "M3 7h8" };
  const looks = { passed: "text-fine", now: "text-ink", ahead: "text-rule", "not needed": "text-soft" };
  return (
    <svg viewBox="0 0 14 14" className={`mt-1 size-4 self-start ${looks[state]}`} role="img" aria-label={state}>
      <path d={shapes[state]} fill={state === "now" ? "currentColor" : "none"} stroke="currentColor" strokeWidth="2" />
    </svg>
  );
}

/** What to type in, value by value: each is copied with one press. */
function TypeIn({ device }: { device: FittedView }) {
  const [copied, setCopied] = useState("");
  return (
    <Section title="Type in">
      <ul className="divide-y divide-rule rounded border border-rule bg-leaf">
        {device.card.map((line) => (
          <li key={line.name} className="flex items-center gap-3 px-3 py-1.5">
            <span className="w-20 shrink-0 text-sm text-soft">{line.name}</span>
            <Mono className="min-w-0 flex-1 text-lg break-words">{line.value}</Mono>
            <button
              type="button"
              aria-label={`Copy ${line.name}`}
              className="rounded border border-rule p-2 hover:border-ink"
              onClick={() => {
                void navigator.clipboard.writeText(line.value);
                setCopied(line.name);
              }}
            >
              {copied === line.name ? (
                <Check className="size-4 text-fine" aria-hidden />
              ) : (
                <Copy className="size-4" aria-hidden />
              )}
            </button>
          </li>
        ))}
      </ul>
    </Section>
  );
}

function Seen({ device }: { device: FittedView }) {
  const looks = { seen: "text-fine", otherwise: "text-alarm", unseen: "text-soft" };
  const words = { seen: "seen", otherwise: "seen otherwise", unseen: "cannot be seen from here" };
  return (
    <Section title="Its settings, as the wire shows them">
      <ul className="text-sm">
        {device.settings.map((one) => (
          <li key={one.name} className="py-0.5">
            <span className="mr-2 inline-block w-16 text-soft">{one.name}</span>
            <Mono>{one.wanted}</Mono> <span className={looks[one.state]}>{words[one.state]}</span>
            {one.state === "unseen" ? null : <span className="text-soft">: {one.said}</span>}
          </li>
        ))}
      </ul>
    </Section>
  );
}
