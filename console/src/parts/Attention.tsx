// What needs attention, in order. The list of the opening page; also the ones about one address.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import { plural } from "../lib/format";
import { useOpen } from "../lib/open";
import { Button, Notice } from "./basics";
import { FindingCard } from "./FindingCard";

const FIRST = 30;
const STATES = [
  ["open", "Open"],
  ["accepted", "Accepted"],
  ["closed", "Closed"],
] as const;
type Which = (typeof STATES)[number][0];

export function Attention() {
  const [which, setWhich] = useState<Which>("open");
  const [shown, setShown] = useState(FIRST);
  const [open] = useOpen();
  const list = useQuery({
    queryKey: ["findings", which],
    queryFn: () => api.get("/api/v1/findings", { query: { state: which, limit: 2000 } }),
  });
  if (list.error) return <Notice tone="alarm">{list.error.message}</Notice>;
  if (!list.data) return <p className="text-soft">Reading the findings…</p>;
  const { items: findings, counts, trouble } = list.data;
  const total = counts.urgent + counts.wrong + counts.notice;
  return (
    <section aria-label="What needs attention">
      <div className="flex flex-wrap items-baseline gap-x-5 gap-y-1 border-b border-rule pb-1">
        <h1 className="text-2xl font-semibold">
          {total === 0
            ? "Nothing needs attention"
            : `${plural(total, "thing")} ${total === 1 ? "needs" : "need"} attention`}
        </h1>
        {total > 0 ? (
          <span className="text-soft">
            {[
              counts.urgent && `${counts.urgent} urgent`,
              counts.wrong && `${counts.wrong} wrong`,
              counts.notice && `${counts.notice} to decide`,
            ]
              .filter(Boolean)
              .join(", ")}
          </span>
        ) : null}
        <span className="ml-auto flex gap-1" role="group" aria-label="Which findings">
          {STATES.map(([state, word]) => (
            <button
              key={state}
              type="button"
              aria-pressed={which === state}
              onClick={() => {
                setWhich(state);
                setShown(FIRST);
              }}
              className={`border-b-2 px-2 text-sm ${which === state ? "border-ink font-semibold" : "border-transparent text-soft hover:text-text"}`}
            >
              {word}
              {state === "accepted" && counts.accepted ? ` (${counts.accepted})` : ""}
            </button>
          ))}
        </span>
      </div>
      {trouble ? (
        <div className="mt-2">
          <Notice tone="alarm">{trouble}.</Notice>
        </div>
      ) : null}
      {findings.length === 0 ? (
        <p className="py-3 text-soft">
          {which === "open"
            ? "Findings appear here by themselves when something is wrong or wants a decision."
            : which === "accepted"
              ? "Nothing was accepted."
              : "Nothing was found and closed again yet."}
        </p>
      ) : null}
      {findings.slice(0, shown).map((one) => (
        <FindingCard key={one.id} finding={one} selected={open?.kind === "finding" && open.id === one.id} />
      ))}
      {findings.length > shown ? (
        <Button className="mt-2" onClick={() => setShown(shown + 100)}>
          {findings.length - shown} more
        </Button>
      ) : null}
    </section>
  );
}

/** The findings about one address or MAC, short. */
export function FindingsAbout({ subject }: { subject: string }) {
  const [, setOpen] = useOpen();
  const list = useQuery({
    queryKey: ["findings", "about", subject],
    queryFn: () => api.get("/api/v1/findings", { query: { state: "standing", subject } }),
  });
  if (!list.data?.items.length) return null;
  return (
    <ul className="mt-2">
      {list.data.items.map((one) => (
        <li key={one.id}>
          <button
            type="button"
            onClick={() => setOpen({ kind: "finding", id: one.id })}
            className={`text-left text-sm hover:underline ${one.state === "accepted" ? "text-soft" : one.severity === "notice" ? "text-ink" : "text-alarm"}`}
          >
            {one.title}
            {one.state === "accepted" ? " (accepted)" : ""} →
          </button>
        </li>
      ))}
    </ul>
  );
}
