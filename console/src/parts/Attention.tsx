// What needs attention, in order. The list of the opening page; also the ones about one address.
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import type { FindingView } from "../api/types";
import { count, moment, plural } from "../lib/format";
import { useOpen } from "../lib/open";
import { Button, Notice } from "./basics";
import { FindingCard } from "./FindingCard";
import type { Column } from "./grid/column";
import { TakeOut } from "./grid/TakeOut";

const FIRST = 30;
const MORE = 100;
const column = (name: string, text: (one: FindingView) => string): Column<FindingView> => ({
  name,
  width: "8rem",
  text,
  cell: text,
});
/** What a finding is on paper and in spreadsheets; on the page it is a card. */
const COLUMNS = [
  column("severity", (one) => (one.heard ? `${one.severity}, heard` : one.severity)),
  column("finding", (one) => one.title),
  column("state", (one) => one.state),
  column("about", (one) => one.subjects.map((subject) => subject.value).join(", ")),
  column("since", (one) => moment(one.since)),
  column("evidence", (one) => one.evidence.map((part) => part.said).join("; ")),
  column("what to do", (one) => one.remedy),
  column("accepted because", (one) => one.acceptance?.reason ?? ""),
];
const STATES = [
  ["open", "Open"],
  ["accepted", "Accepted"],
  ["closed", "Closed"],
] as const;
type Which = (typeof STATES)[number][0];

export function Attention() {
  const [which, setWhich] = useState<Which>("open");
  const [open] = useOpen();
  const list = useInfiniteQuery({
    queryKey: ["findings", which],
    queryFn: ({ pageParam: [cursor, limit] }) =>
      api.get("/api/v1/findings", { query: { state: which, cursor, limit } }),
    initialPageParam: [null, FIRST] as [string | null, number],
    getNextPageParam: (last): [string | null, number] | undefined => (last.next ? [last.next, MORE] : undefined),
  });
  if (list.error) return <Notice tone="alarm">{list.error.message}</Notice>;
  if (!list.data) return <p className="text-soft">Reading the findings…</p>;
  const findings = list.data.pages.flatMap((page) => page.items);
  const { counts, trouble, total: all } = list.data.pages[0]!;
  const left = (all ?? 0) - findings.length;
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
              onClick={() => setWhich(state)}
              className={`border-b-2 px-2 text-sm ${which === state ? "border-ink font-semibold" : "border-transparent text-soft hover:text-text"}`}
            >
              {word}
              {state === "accepted" && counts.accepted ? ` (${counts.accepted})` : ""}
            </button>
          ))}
          {findings.length > 0 ? (
            <TakeOut
              title={`Findings ${which}`}
              columns={COLUMNS}
              all={(signal, told) => api.all("/api/v1/findings", { query: { state: which }, signal }, told)}
            />
          ) : null}
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
      {findings.map((one) => (
        <FindingCard key={one.id} finding={one} selected={open?.kind === "finding" && open.id === one.id} />
      ))}
      {list.hasNextPage ? (
        <Button className="mt-2" disabled={list.isFetchingNextPage} onClick={() => void list.fetchNextPage()}>
          {left > MORE ? `${count(MORE)} of ${count(left)} more` : `${count(Math.max(left, 1))} more`}
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
