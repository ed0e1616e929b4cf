// One scan, live while it runs: progress, time left, a stop that keeps what was found, and the results as they come.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Square } from "lucide-react";
import { Progress } from "radix-ui";
import { useMemo, useState } from "react";
import { useParams } from "react-router";
import { api } from "../api/client";
import type { AddressResult, ScanInfo } from "../api/types";
import { count, duration, moment } from "../lib/format";
import { useOpen } from "../lib/open";
import { later } from "../lib/scan";
import { Button, Input, Mono, Notice } from "../parts/basics";
import type { Column } from "../parts/grid/column";
import { Grid } from "../parts/grid/Grid";
import { atHand } from "../parts/grid/source";
import { TakeOut } from "../parts/grid/TakeOut";
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
  const [open, setOpen] = useOpen();
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
        <div className="mt-3 flex flex-wrap items-center gap-3">
          <Input
            type="search"
            value={text}
            onChange={(event) => setText(event.target.value)}
            aria-label="Narrow the results"
            placeholder="Narrow: address, name, MAC, vendor"
            className="w-72"
          />
          <span className="ml-auto">
            <TakeOut title={`Scan ${id}`} columns={COLUMNS} all={() => Promise.resolve(shown)} />
          </span>
        </div>
      </div>
      <Grid
        label="Results"
        columns={COLUMNS}
        source={atHand(shown)}
        keyOf={(one) => one.address}
        lines={(one) => one.claims.length}
        isOpen={(one) => open?.kind === "address" && open.address === one.address}
        onOpen={(one) => setOpen({ kind: "address", address: one.address })}
        empty={<p className="text-soft">{running ? "Nothing has answered yet." : "Nothing here."}</p>}
      />
    </div>
  );
}

const COLUMNS: Column<AddressResult>[] = [
  { name: "address", width: "9.5rem", text: (one) => one.address, cell: (one) => <Mono>{one.address}</Mono> },
  {
    name: "state",
    width: "9rem",
    text: (one) => (one.claims.length > 1 ? "claimed by two" : one.foreign ? "foreign" : "answered"),
    cell: (one) => <Status state={one.claims.length > 1 ? "two" : one.foreign ? "foreign" : "answering"} />,
  },
  {
    name: "name",
    width: "minmax(10rem,2fr)",
    text: (one) => one.device?.name ?? one.names[0]?.name ?? "",
    cell: (one) => one.device?.name ?? one.names[0]?.name ?? <span className="text-soft">unknown</span>,
  },
  {
    name: "mac",
    width: "12rem",
    text: (one) => one.claims.map((claim) => claim.mac).join(" "),
    cell: (one) =>
      one.claims.map((claim) => (
        <Mono key={claim.mac} className="block">
          {claim.mac}
        </Mono>
      )),
  },
  {
    name: "vendor",
    width: "minmax(8rem,1fr)",
    text: (one) => one.claims.map((claim) => claim.vendor ?? "").join(" "),
    cell: (one) =>
      one.claims.map((claim) => (
        <span key={claim.mac} className="block truncate">
          {claim.vendor ?? (claim.local ? <span className="text-soft">locally administered</span> : "")}
        </span>
      )),
  },
  {
    name: "reply",
    width: "5rem",
    right: true,
    text: (one) => (one.rtt_ms ? `${one.rtt_ms.min.toFixed(1)} ms` : ""),
    cell: (one) => (one.rtt_ms ? `${one.rtt_ms.min.toFixed(1)} ms` : ""),
  },
  {
    name: "open ports",
    width: "8rem",
    text: (one) => one.ports.join(" "),
    cell: (one) => <Mono>{one.ports.join(" ")}</Mono>,
  },
];

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
