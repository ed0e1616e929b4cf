// What publishing to a server would change: by meaning, and line by line side by side; then publish it.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Send } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { api } from "../../api/client";
import type { DhcpServerView, TextLine } from "../../api/types";
import { Button, Mono, Notice } from "../../parts/basics";

const MARKS = { add: ["+", "text-fine"], change: ["~", "text-amber"], remove: ["−", "text-alarm"] } as const;

export function PublishPanel({ server, onClose }: { server: DhcpServerView; onClose(): void }) {
  const client = useQueryClient();
  const [takeOver, setTakeOver] = useState(false);
  const shown = useQuery({
    queryKey: ["dhcp", "preview", server.id, takeOver],
    queryFn: () =>
      api.post("/api/v1/dhcp/servers/{which}/preview", {
        path: { which: server.id },
        query: { take_over: takeOver || null },
      }),
    retry: false,
    staleTime: 0,
  });
  const publish = useMutation({
    mutationFn: () =>
      api.post("/api/v1/dhcp/servers/{which}/publish", {
        path: { which: server.id },
        body: { digest: shown.data?.digest, take_over: takeOver },
      }),
    onSuccess: () => {
      for (const key of ["dhcp", "assignments", "assignment", "plan"])
        void client.invalidateQueries({ queryKey: [key] });
    },
  });
  const found = shown.data;
  return (
    <section className="mt-3 rounded border border-ink bg-leaf p-4" aria-label={`Publish to ${server.name}`}>
      <div className="flex items-center gap-3">
        <h2 className="font-semibold">The plan against {server.name}</h2>
        <Button tone="quiet" className="ml-auto" onClick={onClose}>
          Close
        </Button>
      </div>
      {shown.isFetching && !found ? <p className="mt-2 text-soft">Reading the server…</p> : null}
      {shown.error ? (
        <div className="mt-2">
          <Notice tone="alarm">{shown.error.message}.</Notice>
        </div>
      ) : null}
      {publish.data ? (
        <div className="mt-2">
          <Notice>Published: {publish.data.remarks.join("; ")}.</Notice>
        </div>
      ) : null}
      {found ? (
        <>
          {found.lines.length === 0 && found.conflicts.length === 0 ? (
            <p className="mt-2">
              {found.by_hand.length
                ? `Nothing can be published to ${server.name}; what differs is to be done by hand:`
                : `${server.name} has everything as planned.`}
            </p>
          ) : null}
          <ul className="mt-2">
            {found.lines.map((line) => {
              const [mark, colour] = MARKS[line.action];
              return (
                <li
                  key={line.subnet.cidr + line.what + line.before + line.after}
                  className="grid grid-cols-[1.2rem_7rem_minmax(0,1fr)] border-b border-rule py-0.5"
                >
                  <b className={colour}>
                    {mark}
                    <span className="sr-only">{line.action}</span>
                  </b>
                  <span className="text-soft">{line.what}</span>
                  <Mono className="break-words">
                    {line.action === "change" ? `${line.before} → ${line.after}` : line.after || line.before}
                  </Mono>
                </li>
              );
            })}
          </ul>
          {found.conflicts.map((one) => (
            <p key={one} role="alert" className="mt-1 text-sm text-alarm">
              {one}.
            </p>
          ))}
          {found.other_roster && !takeOver ? (
            <Button className="mt-2" onClick={() => setTakeOver(true)}>
              Take the server over from roster {found.other_roster}
            </Button>
          ) : null}
          {found.by_hand.map((one) => (
            <p key={one} className="mt-1 text-sm text-amber">
              By hand: {one}.
            </p>
          ))}
          {found.left > 0 ? (
            <p className="mt-1 text-sm text-soft">
              {found.left} parts of the configuration that people wrote stay as they are:{" "}
              <Link className="underline" to={`/dhcp/${server.id}`}>
                what it holds
              </Link>
              .
            </p>
          ) : null}
          {found.text_lines.length > 0 ? (
            <SideBySide lines={found.text_lines} />
          ) : found.lines.length > 0 && found.conflicts.length === 0 ? (
            <p className="mt-2 text-sm text-soft">
              The configuration is too long to show line by line; above is everything that changes.
            </p>
          ) : null}
          {found.lines.length > 0 && found.conflicts.length === 0 ? (
            <div className="mt-3 flex items-center gap-3">
              <Button tone="ink" disabled={publish.isPending || shown.isFetching} onClick={() => publish.mutate()}>
                <Send className="size-4" aria-hidden /> Publish{" "}
                {found.lines.length === 1 ? "this change" : `these ${found.lines.length} changes`}
              </Button>
              <span className="text-sm text-soft">
                {publish.isPending
                  ? "Having the server check it, writing, reading back…"
                  : "The server checks it first; what it had is kept, and brought back if anything fails."}
              </span>
            </div>
          ) : null}
          {publish.error ? (
            <div className="mt-2">
              <Notice tone="alarm">{publish.error.message}.</Notice>
            </div>
          ) : null}
        </>
      ) : null}
    </section>
  );
}

interface Pair {
  left: TextLine | null;
  right: TextLine | null;
}

/** Removed lines beside added ones, kept lines on both sides. */
function pairs(lines: TextLine[]): Pair[] {
  const found: Pair[] = [];
  let removed: TextLine[] = [],
    added: TextLine[] = [];
  const flush = () => {
    for (let i = 0; i < Math.max(removed.length, added.length); i++)
      found.push({ left: removed[i] ?? null, right: added[i] ?? null });
    removed = [];
    added = [];
  };
  for (const line of lines) {
    if (line.kind === "removed") removed.push(line);
    else if (line.kind === "added") added.push(line);
    else {
      flush();
      found.push({ left: line, right: line });
    }
  }
  flush();
  return found;
}

function SideBySide({ lines }: { lines: TextLine[] }) {
  return (
    <div className="mt-3 max-h-96 overflow-auto rounded border border-rule">
      <table className="w-full table-fixed border-collapse font-mono text-xs">
        <thead className="sticky top-0 bg-paper text-left font-sans text-soft">
          <tr>
            <td className="w-10" />
            <th className="font-normal">now</th>
            <td className="w-10 border-l border-rule" />
            <th className="font-normal">after publishing</th>
          </tr>
        </thead>
        <tbody>
          {pairs(lines).map(({ left, right }, place) =>
            left?.kind === "skipped" ? (
              <tr key={place} className="bg-paper text-soft">
                <td colSpan={4} className="px-2 py-0.5 text-center">
                  … {left.text} …
                </td>
              </tr>
            ) : (
              <tr key={place} className="align-top">
                <Side line={left} number={left?.line_before} sign="−" colour="text-alarm" />
                <Side line={right} number={right?.line_after} sign="+" colour="text-fine" />
              </tr>
            ),
          )}
        </tbody>
      </table>
    </div>
  );
}

function Side({
  line,
  number,
  sign,
  colour,
}: {
  line: TextLine | null;
  number: number | null | undefined;
  sign: string;
  colour: string;
}) {
  const changed = line?.kind === "removed" || line?.kind === "added";
  return (
    <>
      <td className="border-l border-rule px-1 text-right text-soft select-none">{number}</td>
      <td className={`px-1 break-all whitespace-pre-wrap ${changed ? `bg-wash ${colour}` : ""}`}>
        {line ? `${changed ? sign : " "} ${line.text}` : ""}
      </td>
    </>
  );
}
