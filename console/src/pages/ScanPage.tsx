// One scan, live while it runs: progress, time left, a stop that keeps what was found, and the results as they come.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { Square } from "lucide-react";
import { Progress } from "radix-ui";
import { useMemo, useRef, useState } from "react";
import { useParams } from "react-router";
import { api } from "../api/client";
import type { AddressResult, ScanInfo } from "../api/types";
import { count, duration, moment } from "../lib/format";
import { useOpen } from "../lib/open";
import { later } from "../lib/scan";
import { Button, Input, Mono, Notice } from "../parts/basics";
import { Status } from "../parts/Status";
import { ScanState } from "./scan/ScanState";
import { useResults } from "./scan/useResults";

export default function ScanPage() {
  const id = Number(useParams().id);
  const client = useQueryClient();
  const scan = useQuery({
    queryKey: ["scan", id],
    enabled: Number.isInteger(id),
    queryFn: async () =>
      later(
        await api.get("/api/v1/scans/{identity}", { path: { identity: id } }),
        client.getQueryData<ScanInfo>(["scan", id]),
      ),
  });
  const stop = useMutation({ mutationFn: () => api.post("/api/v1/scans/{identity}/stop", { path: { identity: id } }) });
  const { results, error } = useResults(id);
  const [text, setText] = useState("");
  const shown = useMemo(() => results.filter((result) => matches(result, text.trim().toLowerCase())), [results, text]);
  if (scan.error ?? error)
    return (
      <div className="p-6">
        <Notice tone="alarm">{(scan.error ?? error)?.message}</Notice>
      </div>
    );
  if (!scan.data) return <p className="p-6 text-soft">Reading…</p>;
  const info = scan.data,
    running = info.state === "running";
  return (
    <div className="flex h-full flex-col">
      <div className="px-5 pt-4 pb-3">
        <div className="flex flex-wrap items-baseline gap-x-5 gap-y-1">
          <h1 className="text-2xl font-semibold">
            <Mono>{info.targets}</Mono>
          </h1>
          <ScanState state={info.state} />
          <span className="text-soft">
            scan {info.id} from {info.adapter}, {moment(info.started)}, {duration(info.seconds)}
          </span>
          {running ? (
            <Button tone="alarm" className="ml-auto" disabled={stop.isPending} onClick={() => stop.mutate()}>
              <Square className="size-3.5" aria-hidden /> Stop and keep
            </Button>
          ) : null}
        </div>
        {running ? (
          <div className="mt-3">
            <Progress.Root
              value={info.done_part * 100}
              className="h-2 overflow-hidden rounded border border-rule bg-paper"
            >
              <Progress.Indicator
                className="h-full bg-ink transition-[width]"
                style={{ width: `${info.done_part * 100}%` }}
              />
            </Progress.Root>
            <p className="mt-1 text-sm text-soft">
              {info.phase === "names" ? "asking for names and ports" : `round ${info.round} of ${info.rounds}`}
              {info.seconds_left ? `, about ${duration(info.seconds_left)} left` : ""}
            </p>
          </div>
        ) : null}
        <p className="mt-2" aria-live="polite">
          <b>{count(info.answered_count)}</b> answered, <b>{count(info.silent_count)}</b> silent
          {running ? " so far" : ""}
          {info.foreign_count ? (
            <>
              , <b>{info.foreign_count}</b> at foreign addresses
            </>
          ) : null}
          ; {count(info.probes)} probes.
        </p>
        {info.remarks.map((note) => (
          <p key={note} className="mt-1 text-sm text-amber">
            Note: {note}.
          </p>
        ))}
        <Input
          type="search"
          value={text}
          onChange={(event) => setText(event.target.value)}
          aria-label="Narrow the results"
          placeholder="Narrow: address, name, MAC, vendor"
          className="mt-3 w-72"
        />
      </div>
      <Results results={shown} />
    </div>
  );
}

const GRID = "9.5rem 9rem minmax(10rem,2fr) 12rem minmax(8rem,1fr) 5rem 8rem";

function Results({ results }: { results: AddressResult[] }) {
  const frame = useRef<HTMLDivElement>(null);
  const [open, setOpen] = useOpen();
  const rows = useVirtualizer({
    count: results.length,
    getScrollElement: () => frame.current,
    estimateSize: (i) => 32 * Math.max(results[i]?.claims.length ?? 1, 1),
    overscan: 12,
    getItemKey: (i) => results[i]?.address ?? i,
  });
  return (
    <div
      ref={frame}
      role="grid"
      aria-label="Results"
      className="min-h-0 flex-1 overflow-auto border-t border-rule bg-leaf"
    >
      <div style={{ minWidth: "max-content" }}>
        <div
          role="row"
          className="sticky top-0 z-10 grid border-b border-rule bg-paper text-sm text-soft"
          style={{ gridTemplateColumns: GRID }}
        >
          {["address", "state", "name", "mac", "vendor", "reply", "open ports"].map((name) => (
            <span key={name} role="columnheader" className={`px-2 py-1 ${name === "reply" ? "text-right" : ""}`}>
              {name}
            </span>
          ))}
        </div>
        <div style={{ height: rows.getTotalSize(), position: "relative" }}>
          {rows.getVirtualItems().map((item) => {
            const result = results[item.index]!;
            const isOpen = open?.kind === "address" && open.address === result.address;
            return (
              <div
                key={item.key}
                role="row"
                onClick={() => setOpen({ kind: "address", address: result.address })}
                className={`absolute inset-x-0 grid cursor-pointer items-center border-b border-rule ${isOpen ? "bg-wash shadow-[inset_3px_0_0_var(--ink)]" : "hover:bg-wash/60"}`}
                style={{ height: item.size, transform: `translateY(${item.start}px)`, gridTemplateColumns: GRID }}
              >
                <Mono className="px-2">{result.address}</Mono>
                <span className="px-2">
                  <Status state={result.claims.length > 1 ? "two" : result.foreign ? "foreign" : "answering"} />
                </span>
                <span className="truncate px-2">
                  {result.device?.name ?? result.names[0]?.name ?? <span className="text-soft">unknown</span>}
                </span>
                <span className="px-2">
                  {result.claims.map((mac) => (
                    <Mono key={mac.mac} className="block">
                      {mac.mac}
                    </Mono>
                  ))}
                </span>
                <span className="truncate px-2">
                  {result.claims.map((mac) => (
                    <span key={mac.mac} className="block truncate">
                      {mac.vendor ?? (mac.local ? <span className="text-soft">locally administered</span> : "")}
                    </span>
                  ))}
                </span>
                <span className="px-2 text-right">{result.rtt_ms ? `${result.rtt_ms.min.toFixed(1)} ms` : ""}</span>
                <Mono className="truncate px-2">{result.ports.join(" ")}</Mono>
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}

function matches(result: AddressResult, text: string): boolean {
  if (!text) return true;
  const bare = text.replaceAll(/[:.\-\s]/g, "");
  const texts = [
    result.address,
    result.device?.name,
    ...result.names.map((one) => one.name),
    ...result.claims.flatMap((one) => [one.mac, one.vendor]),
  ];
  return (
    texts.some((one) => one?.toLowerCase().includes(text)) ||
    (bare.length > 1 && result.claims.some((one) => one.mac.replaceAll(":", "").includes(bare)))
  );
}
