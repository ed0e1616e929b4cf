// All that one DHCP server holds, whoever wrote it: each part in its order, with what hangs on it and where it stands.
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api } from "../api/client";
import type { HoldingView } from "../api/types";
import { useDelayed } from "../lib/delayed";
import { ago, count, plural } from "../lib/format";
import { Button, Input, inputLook, Mono, Notice } from "../parts/basics";
import type { Column } from "../parts/grid/column";
import { Grid } from "../parts/grid/Grid";
import { usePages } from "../parts/grid/source";
import { TakeOut } from "../parts/grid/TakeOut";

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
  const total = first.data?.total ?? 0;
  const source = usePages(["dhcp", "holdings", id, part, search], total, (offset, limit, signal) =>
    fetchPage(offset, limit, false, signal),
  );
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
          <TakeOut
            title="Holdings"
            columns={COLUMNS}
            all={(signal, told) =>
              api.all(
                "/api/v1/dhcp/servers/{which}/holdings",
                { path: { which: id ?? "" }, query: { part, search }, signal },
                told,
              )
            }
          />
        </div>
      </div>
      <Grid
        label="Holdings"
        columns={COLUMNS}
        source={source}
        loaded={first.isSuccess}
        keyOf={(one) => `${one.source}:${one.line}:${one.text}`}
        empty={<p className="text-soft">{search || part ? "Nothing it holds is like that." : "It holds nothing."}</p>}
      />
    </div>
  );
}

const hanging = (one: HoldingView) => one.hangs.map((mark) => `${mark.what} ${mark.value}`).join(", ");
const place = (one: HoldingView) => (one.line ? `${one.source}:${one.line}` : one.source);
const called = (one: HoldingView) => PARTS.find(([part]) => part === one.part)?.[1] ?? one.part;
const COLUMNS: Column<HoldingView>[] = [
  {
    name: "part",
    width: "9rem",
    text: (one) => (one.ours ? `${called(one)} (plan)` : called(one)),
    cell: (one) => (
      <span className={one.part === "not understood" ? "text-amber" : ""}>
        {called(one)}
        {one.ours ? <span className="text-soft"> (plan)</span> : null}
      </span>
    ),
  },
  {
    name: "what it says",
    width: "minmax(14rem,4fr)",
    text: (one) => one.text,
    cell: (one) => (
      <span title={one.text}>
        <Mono>{one.text}</Mono>
      </span>
    ),
  },
  {
    name: "in",
    width: "minmax(8rem,1fr)",
    text: (one) => one.within,
    cell: (one) => (
      <span className="text-soft" title={one.within}>
        {one.within}
      </span>
    ),
  },
  {
    name: "with it",
    width: "minmax(10rem,3fr)",
    text: hanging,
    cell: (one) => (
      <span className="text-soft" title={hanging(one)}>
        {hanging(one)}
      </span>
    ),
  },
  {
    name: "where",
    width: "minmax(11rem,2fr)",
    text: place,
    cell: (one) => (
      <span className="block truncate text-left text-soft" title={place(one)} dir="rtl">
        <bdi>{place(one)}</bdi>
      </span>
    ),
  },
];
