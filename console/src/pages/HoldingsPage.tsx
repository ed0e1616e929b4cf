// All that one DHCP server holds, whoever wrote it: each part in its order, with what hangs on it and where it stands.
import { keepPreviousData, useMutation, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api } from "../api/client";
import type { HoldingView } from "../api/types";
import { useDelayed } from "../lib/delayed";
import { ago, count, plural } from "../lib/format";
import { Button, Input, inputLook, Mono, Notice } from "../parts/basics";

const PAGE = 100,
  ROW = 40;
const GRID = "8.5rem minmax(14rem,4fr) minmax(8rem,1fr) minmax(10rem,3fr) minmax(11rem,2fr)";
const PARTS: [string, string, string][] = [
  ["subnet", "subnet", "subnets"],
  ["shared network", "shared network", "shared networks"],
  ["pool", "pool", "pools"],
  ["reservation", "reservation", "reservations"],
  ["option", "option", "options"],
  ["class", "class", "classes"],
  ["excluded", "excluded", "excluded"],
  ["setting", "setting", "settings"],
  ["not understood", "not understood", "not understood"],
];

export default function HoldingsPage() {
  const { id } = useParams();
  const [params, setParams] = useSearchParams();
  const [text, setText] = useState(params.get("q") ?? "");
  const search = useDelayed(text.trim(), 200);
  const part = params.get("part") as HoldingView["part"] | null;
  const client = useQueryClient();
  const fetchPage = (offset: number, limit: number, now = false, signal?: AbortSignal) =>
    api.get("/api/v1/dhcp/servers/{which}/holdings", {
      path: { which: id ?? "" },
      query: { part, search, offset, limit, now: now || null },
      signal,
    });
  const first = useQuery({
    queryKey: ["dhcp", "holdings", id, "first", part, search],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => fetchPage(0, 1, false, signal),
  });
  const again = useMutation({
    mutationFn: () => fetchPage(0, 1, true),
    onSuccess: () => client.invalidateQueries({ queryKey: ["dhcp"] }),
  });
  const frame = useRef<HTMLDivElement>(null);
  const total = first.data?.total ?? 0;
  const virtual = useVirtualizer({
    count: total,
    getScrollElement: () => frame.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  const shown = virtual.getVirtualItems();
  const pages = [...new Set(shown.map((item) => Math.floor(item.index / PAGE)))];
  const loaded = useQueries({
    queries: pages.map((page) => ({
      queryKey: ["dhcp", "holdings", id, page, part, search],
      queryFn: ({ signal }: { signal: AbortSignal }) => fetchPage(page * PAGE, PAGE, false, signal),
      staleTime: 5000,
    })),
  });
  const row = (index: number): HoldingView | undefined =>
    loaded[pages.indexOf(Math.floor(index / PAGE))]?.data?.items[index % PAGE];
  const choose = (value: string | null) =>
    setParams(
      (before) => {
        const next = new URLSearchParams(before);
        if (value) next.set("part", value);
        else next.delete("part");
        return next;
      },
      { replace: true },
    );
  if (first.error)
    return (
      <div className="p-6">
        <Notice tone="alarm">{first.error.message}</Notice>
      </div>
    );
  const told = first.data;
  const unclear = told?.counts["not understood"] ?? 0;
  return (
    <div className="flex h-full flex-col">
      <div className="px-4 pt-3">
        <p className="text-sm text-soft">
          <Link className="underline decoration-rule underline-offset-4 hover:decoration-ink" to="/dhcp">
            DHCP
          </Link>
        </p>
        <div className="flex flex-wrap items-baseline gap-x-4">
          <h1 className="text-2xl font-semibold">{told ? `What ${told.server?.name} holds` : "Holdings"}</h1>
          {told ? (
            <span className="text-sm text-soft">{told.read_at ? `read ${ago(told.read_at)}` : "not read yet"}</span>
          ) : null}
          <span className="ml-auto">
            <Button disabled={again.isPending} onClick={() => again.mutate()}>
              {again.isPending ? "Reading…" : "Read it now"}
            </Button>
          </span>
        </div>
        {told?.trouble ? (
          <div className="mt-2">
            <Notice tone="alarm">It cannot be read now: {told.trouble}.</Notice>
          </div>
        ) : null}
        {again.error ? (
          <p role="alert" className="mt-1 text-sm text-alarm">
            {again.error.message}.
          </p>
        ) : null}
        {unclear > 0 ? (
          <p className="mt-1 text-sm text-amber">
            {plural(unclear, "part of its configuration is", "parts of its configuration are")} not understood. What
            stands there is kept as it is, but nobody can say whether it gives an address away.{" "}
            <button type="button" className="underline" onClick={() => choose("not understood")}>
              Show them
            </button>
          </p>
        ) : null}
        <div className="mt-2 flex flex-wrap items-center gap-3 pb-2">
          <Input
            type="search"
            value={text}
            onChange={(event) => setText(event.target.value)}
            aria-label="Search what it holds"
            spellCheck={false}
            placeholder="Search: address, name, identifier, class"
            className="w-80"
          />
          <select
            aria-label="Part"
            className={inputLook}
            value={part ?? ""}
            onChange={(event) => choose(event.target.value || null)}
          >
            <option value="">everything</option>
            {PARTS.filter(([one]) => told?.counts[one]).map(([one, , many]) => (
              <option key={one} value={one}>
                {many} ({count(told?.counts[one] ?? 0)})
              </option>
            ))}
          </select>
          <span className="ml-auto text-sm text-soft" aria-live="polite">
            {told ? plural(total, "part") : ""}
          </span>
        </div>
      </div>
      <div
        ref={frame}
        role="table"
        aria-label="Holdings"
        aria-rowcount={total + 1}
        className="min-h-0 flex-1 overflow-auto border-t border-rule bg-leaf"
        tabIndex={0}
      >
        <div className="min-w-[58rem]">
          <div
            role="row"
            className="sticky top-0 z-10 grid gap-x-4 border-b border-rule bg-paper px-4 py-1 text-sm text-soft"
            style={{ gridTemplateColumns: GRID }}
          >
            {["part", "what it says", "in", "with it", "where"].map((one) => (
              <span role="columnheader" key={one}>
                {one}
              </span>
            ))}
          </div>
          {told && total === 0 ? (
            <p className="px-4 py-3 text-soft">
              {search || part ? "Nothing it holds is like that." : "It holds nothing."}
            </p>
          ) : null}
          <div className="relative" style={{ height: virtual.getTotalSize() }}>
            {shown.map((item) => {
              const one = row(item.index);
              return (
                <div
                  role="row"
                  key={item.key}
                  className="absolute inset-x-0 grid items-center gap-x-4 border-b border-rule px-4 text-sm"
                  style={{ gridTemplateColumns: GRID, height: ROW, transform: `translateY(${item.start}px)` }}
                >
                  {one ? <Cells one={one} /> : null}
                </div>
              );
            })}
          </div>
        </div>
      </div>
    </div>
  );
}

function Cells({ one }: { one: HoldingView }) {
  const name = PARTS.find(([part]) => part === one.part)?.[1] ?? one.part;
  const hanging = one.hangs.map((mark) => `${mark.what} ${mark.value}`).join(", ");
  const place = one.line ? `${one.source}:${one.line}` : one.source;
  return (
    <>
      <span role="cell" className={one.part === "not understood" ? "text-amber" : ""}>
        {name}
        {one.ours ? <span className="text-soft"> (plan)</span> : null}
      </span>
      <span role="cell" className="truncate" title={one.text}>
        <Mono>{one.text}</Mono>
      </span>
      <span role="cell" className="truncate text-soft" title={one.within}>
        {one.within}
      </span>
      <span role="cell" className="truncate text-soft" title={hanging}>
        {hanging}
      </span>
      <span role="cell" className="truncate text-left text-soft" title={place} dir="rtl">
        <bdi>{place}</bdi>
      </span>
    </>
  );
}
