// One finding: what it is, the evidence, what to do, and the steps that can be pressed.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, Problem } from "../api/client";
import type { FindingStep, FindingSubject, FindingView } from "../api/types";
import { ago, moment, sentence } from "../lib/format";
import { useOpen } from "../lib/open";
import { Button, Mono } from "./basics";
import { Severity } from "./Severity";

/** Subjects that can be opened beside the page; the others are shown as they are. */
export function Subjects({ subjects }: { subjects: FindingSubject[] }) {
  const [, setOpen] = useOpen();
  return (
    <span className="flex flex-wrap gap-x-3 gap-y-0.5">
      {subjects
        .filter((one) => one.type !== "pool" || one.label)
        .map((one) => (
          <span key={one.type + one.value} className="inline-flex items-baseline gap-1.5">
            {one.type === "address" || one.type === "mac" || one.type === "server" ? (
              <button
                type="button"
                className="underline decoration-rule underline-offset-4 hover:decoration-ink"
                onClick={() => setOpen({ kind: "address", address: one.value })}
              >
                <Mono>{one.value}</Mono>
              </button>
            ) : (
              <span>{one.type === "pool" ? one.label : one.value}</span>
            )}
            {one.type === "mac" && one.label ? <span className="text-soft">{one.label}</span> : null}
          </span>
        ))}
    </span>
  );
}

export function useSteps(finding: FindingView) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ step, anyway }: { step: FindingStep; anyway?: boolean }) =>
      api.post("/api/v1/findings/{identity}/steps", {
        path: { identity: finding.id },
        body: { key: step.key, anyway: anyway ?? false },
      }),
    onSuccess: () => {
      for (const key of ["findings", "plan", "assignments", "ruler", "devices"])
        void client.invalidateQueries({ queryKey: [key] });
    },
  });
}

export function Steps({ finding, onAccept }: { finding: FindingView; onAccept(): void }) {
  const doing = useSteps(finding);
  const wrong = doing.error instanceof Problem ? doing.error : null;
  return (
    <div>
      <div className="flex flex-wrap gap-2">
        {finding.steps.map((step) =>
          step.action === "accept" ? (
            finding.state === "open" ? (
              <Button key={step.key} tone="quiet" onClick={onAccept}>
                {sentence(step.label)}…
              </Button>
            ) : null
          ) : step.link ? (
            <Link
              key={step.key}
              to={step.link}
              className="inline-flex items-center rounded border border-rule bg-leaf px-2.5 py-1 text-sm hover:border-ink"
            >
              {sentence(step.label)}
            </Link>
          ) : (
            <Button key={step.key} disabled={doing.isPending} onClick={() => doing.mutate({ step })}>
              {sentence(step.label)}
            </Button>
          ),
        )}
      </div>
      {doing.data ? (
        <p role="status" className="mt-1 text-sm text-fine">
          Done: {doing.data.said}.
        </p>
      ) : null}
      {wrong ? (
        <p role="alert" className="mt-1 text-sm text-alarm">
          {wrong.message}
          {wrong.anyway && doing.variables ? (
            <Button className="ml-2" onClick={() => doing.mutate({ ...doing.variables, anyway: true })}>
              Save it anyway
            </Button>
          ) : null}
        </p>
      ) : null}
    </div>
  );
}

export function FindingCard({ finding, selected }: { finding: FindingView; selected: boolean }) {
  const [, setOpen] = useOpen();
  const open = () => setOpen({ kind: "finding", id: finding.id });
  const again =
    finding.times > 1
      ? `, for the ${finding.times}${finding.times === 2 ? "nd" : finding.times === 3 ? "rd" : "th"} time`
      : "";
  return (
    <article data-finding={finding.kind} className={`border-b border-rule py-3 ${selected ? "bg-wash/50" : ""}`}>
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-0.5">
        <span className="w-28 shrink-0 text-sm">
          <Severity severity={finding.severity} heard={finding.heard} />
        </span>
        <h2 className="font-semibold">
          <button type="button" onClick={open} className="text-left hover:underline">
            {finding.title}
          </button>
        </h2>
        <span className="ml-auto text-sm text-soft" title={moment(finding.since)}>
          {finding.state === "closed" ? `closed ${ago(finding.closed)}` : `since ${ago(finding.since)}`}
          {again}
        </span>
      </div>
      <div className="mt-1 text-sm sm:pl-31">
        <Subjects subjects={finding.subjects} />
        <ul className="mt-1">
          {finding.evidence.slice(0, 4).map((one) => (
            <li key={one.said}>{sentence(one.said)}.</li>
          ))}
        </ul>
        {finding.evidence.length > 4 ? <p className="text-soft">and {finding.evidence.length - 4} more</p> : null}
        {finding.acceptance ? (
          <p className="mt-1 text-soft">
            Accepted by {finding.acceptance.who}
            {finding.acceptance.until ? ` until ${moment(finding.acceptance.until).slice(0, 10)}` : ""}:{" "}
            {finding.acceptance.reason}.
          </p>
        ) : finding.state === "open" ? (
          <>
            <p className="mt-1 max-w-4xl text-soft">{finding.remedy}.</p>
            <div className="mt-2">
              <Steps finding={finding} onAccept={open} />
            </div>
          </>
        ) : null}
      </div>
    </article>
  );
}
