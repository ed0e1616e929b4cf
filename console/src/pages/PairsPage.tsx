// Addresses and MACs in one table, each pair with who says so and when; MACs without an address, with whom to ask; and taking in what
// people know.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api } from "../api/client";
import type { PairView } from "../api/types";
import { useDelayed } from "../lib/delayed";
import { ago, plural, sentence } from "../lib/format";
import { useOpen } from "../lib/open";
import { Button, Field, Input, Mono, Notice, Section } from "../parts/basics";
import type { Column } from "../parts/grid/column";
import { Grid } from "../parts/grid/Grid";
import { atHand } from "../parts/grid/source";
import { TakeOut } from "../parts/grid/TakeOut";

const said = (pair: PairView) =>
  pair.sources.map((one) => (one.at ? `${one.source} ${ago(one.at)}` : one.source)).join(", ");

const COLUMNS: Column<PairView>[] = [
  { name: "address", width: "9rem", cell: (pair) => <Mono>{pair.address}</Mono>, text: (pair) => pair.address },
  { name: "mac", width: "11rem", cell: (pair) => <Mono>{pair.mac}</Mono>, text: (pair) => pair.mac },
  {
    name: "device",
    width: "minmax(8rem, 1fr)",
    cell: (pair) => pair.device?.name ?? "",
    text: (pair) => pair.device?.name ?? "",
  },
  { name: "vendor", width: "minmax(8rem, 1fr)", cell: (pair) => pair.vendor ?? "", text: (pair) => pair.vendor ?? "" },
  { name: "who says so", width: "minmax(12rem, 2fr)", cell: said, text: said },
  { name: "note", width: "minmax(6rem, 1fr)", cell: (pair) => pair.notes, text: (pair) => pair.notes },
];

export default function PairsPage() {
  const client = useQueryClient();
  const [open, setOpen] = useOpen();
  const [text, setText] = useState("");
  const [entering, setEntering] = useState(false);
  const wanted = useDelayed(text.trim(), 200);
  const pairs = useQuery({
    queryKey: ["pairs", wanted],
    queryFn: ({ signal }) => api.all("/api/v1/pairs", { query: { text: wanted }, signal }),
    placeholderData: (before) => before,
  });
  const without = useQuery({
    queryKey: ["pairs", "without"],
    queryFn: ({ signal }) => api.all("/api/v1/pairs/without", { signal }),
  });
  const clear = useMutation({
    mutationFn: () => api.remove("/api/v1/pairs/told"),
    onSuccess: () => client.invalidateQueries({ queryKey: ["pairs"] }),
  });
  return (
    <div className="mx-auto flex h-full max-w-6xl flex-col px-5 py-5">
      <div className="flex flex-wrap items-center gap-3">
        <h1 className="text-2xl font-semibold">Addresses and MACs</h1>
        <Input
          type="search"
          aria-label="Find a pair"
          placeholder="A fragment of an address, a MAC or a note"
          value={text}
          onChange={(event) => setText(event.target.value)}
          className="w-72"
        />
        <span className="ml-auto flex flex-wrap gap-2">
          <Button onClick={() => setEntering(!entering)}>{entering ? "Close" : "Enter pairs…"}</Button>
          <Button disabled={clear.isPending} onClick={() => clear.mutate()} title="What people entered stays">
            Forget what was told
          </Button>
          <TakeOut title="Addresses and MACs" columns={COLUMNS} all={() => Promise.resolve(pairs.data ?? [])} />
        </span>
      </div>
      <p className="mt-1 text-sm text-soft">
        From what was seen, leases, the tables of{" "}
        <Link to="/switches" className="underline decoration-rule underline-offset-4">
          routers and switches
        </Link>{" "}
        that are read, and what people entered. A router says whom it heard last, perhaps hours ago.
      </p>
      {pairs.error ? <Notice tone="alarm">{pairs.error.message}.</Notice> : null}
      {entering ? <EnterPairs onDone={() => setEntering(false)} /> : null}
      <div className="mt-3 flex min-h-72 flex-1 flex-col">
        <Grid
          label={plural(pairs.data?.length ?? 0, "pair")}
          columns={COLUMNS}
          source={atHand(pairs.data ?? [])}
          loaded={pairs.isSuccess}
          keyOf={(pair) => `${pair.address} ${pair.mac}`}
          isOpen={(pair) => open?.kind === "address" && open.address === pair.address}
          onOpen={(pair) => setOpen({ kind: "address", address: pair.address })}
          empty={<p className="text-sm text-soft">Nobody says that.</p>}
        />
      </div>
      {without.data?.length ? (
        <Section title={`On ports, and without an address: ${plural(without.data.length, "MAC")}`}>
          <ul>
            {without.data.slice(0, 100).map((one) => (
              <li
                key={`${one.mac} ${one.port.id}`}
                className="flex flex-wrap gap-x-3 border-b border-rule py-1 text-sm"
              >
                <Mono>{one.mac}</Mono>
                <button
                  type="button"
                  className="underline decoration-rule underline-offset-4 hover:decoration-ink"
                  onClick={() => setOpen({ kind: "port", id: one.port.id })}
                >
                  port {one.port.name} of {one.switch.name}
                </button>
                <span className="text-soft">
                  {one.device?.name ? `${one.device.name}; ` : ""}ask {one.ask}
                </span>
              </li>
            ))}
          </ul>
        </Section>
      ) : null}
    </div>
  );
}

function EnterPairs({ onDone }: { onDone(): void }) {
  const client = useQueryClient();
  const [text, setText] = useState("");
  const enter = useMutation({
    mutationFn: () => api.post("/api/v1/pairs", { body: { text } }),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ["pairs"] });
      onDone();
    },
  });
  return (
    <form
      aria-label="Enter pairs"
      className="mt-2 rounded border border-rule bg-leaf p-3"
      onSubmit={(event) => {
        event.preventDefault();
        enter.mutate();
      }}
    >
      <Field
        label="One a line: address, MAC, note"
        wrong={enter.error ? `${sentence(enter.error.message)}.` : null}
        hint="They stay when what was told is forgotten."
      >
        <textarea
          rows={5}
          value={text}
          onChange={(event) => setText(event.target.value)}
          className="w-full rounded border border-rule bg-leaf px-2 py-1 font-mono text-sm"
        />
      </Field>
      <Button type="submit" tone="ink" className="mt-2" disabled={enter.isPending || !text.trim()}>
        Enter
      </Button>
    </form>
  );
}
