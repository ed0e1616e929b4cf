// The switches that are read, each as a strip with its totals as a sentence; adding them, and by what they are read.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api } from "../api/client";
import type { KeptPort, SwitchView } from "../api/types";
import { useDelayed } from "../lib/delayed";
import { ago, sentence } from "../lib/format";
import { useInView } from "../lib/inView";
import { useOpen } from "../lib/open";
import { Button, Input, Notice, Section } from "../parts/basics";
import { PortStrip, StripLegend } from "../parts/PortStrip";
import { AddSwitches } from "./switches/AddSwitches";
import { Credentials } from "./switches/Credentials";
import { PortLines } from "./switches/PortLines";

export default function SwitchesPage() {
  const [adding, setAdding] = useState(false);
  const [text, setText] = useState("");
  const wanted = useDelayed(text.trim(), 200);
  const switches = useQuery({
    queryKey: ["switches"],
    queryFn: ({ signal }) => api.all("/api/v1/switches", { signal }),
  });
  const found = useQuery({
    queryKey: ["ports", "found", wanted],
    queryFn: ({ signal }) => api.get("/api/v1/ports", { query: { text: wanted, limit: 200 }, signal }),
    enabled: wanted.length > 1,
  });
  const none = switches.data?.length === 0;
  return (
    <div className="mx-auto max-w-6xl px-5 py-5">
      <div className="flex flex-wrap items-center gap-3">
        <h1 className="text-2xl font-semibold">Ports</h1>
        {switches.data?.length ? (
          <Input
            type="search"
            aria-label="Find a port"
            placeholder="Find a port: who hangs there, its note, its description"
            value={text}
            onChange={(event) => setText(event.target.value)}
            className="min-w-0 flex-1 sm:max-w-md"
          />
        ) : null}
        <Link to="/pairs" className="ml-auto rounded border border-rule bg-leaf px-2.5 py-1 text-sm hover:border-ink">
          Addresses and MACs
        </Link>
        <Button onClick={() => setAdding(!adding)}>{adding ? "Close" : "Add switches…"}</Button>
      </div>
      {switches.error ? <Notice tone="alarm">{switches.error.message}.</Notice> : null}
      {adding || none ? <AddSwitches onBegin={() => setAdding(true)} onDone={() => setAdding(false)} /> : null}
      {none ? (
        <p className="mt-3 max-w-3xl text-soft">
          No switch is read yet. Name one, and by what it may be read: from then on the roster knows for every device
          its switch and port, and for every port what hangs on it, now and at any earlier time.
        </p>
      ) : null}
      {wanted.length > 1 && found.data ? (
        <Section title={`Ports that say “${wanted}”`}>
          <PortLines ports={found.data.items} withSwitch empty="No port says that." />
        </Section>
      ) : null}
      {switches.data?.length ? (
        <div className="mt-3">
          <StripLegend />
        </div>
      ) : null}
      {wanted.length > 1 ? null : switches.data?.map((one) => <OneSwitch key={one.id} one={one} />)}
      <Credentials />
    </div>
  );
}

function OneSwitch({ one }: { one: SwitchView }) {
  const client = useQueryClient();
  const [open, setOpen] = useOpen();
  const [place, seen] = useInView<HTMLDivElement>(); // of hundreds of switches those in view are asked for
  const ports = useQuery({
    enabled: seen,
    queryKey: ["ports", one.id],
    queryFn: ({ signal }) => api.all("/api/v1/ports", { query: { switch: String(one.id) }, signal }),
  });
  const read = useMutation({
    mutationFn: () => api.post("/api/v1/switches/{identity}/read", { path: { identity: one.id } }),
    onSettled: () => client.invalidateQueries({ queryKey: ["switches"] }),
  });
  return (
    <Section
      title={one.name}
      aside={
        <span className="flex flex-wrap items-center gap-2 text-sm text-soft">
          {one.reading || read.isPending ? "being read" : one.read_at ? `read ${ago(one.read_at)}` : "not read yet"}
          <Button disabled={read.isPending} onClick={() => read.mutate()}>
            Read now
          </Button>
          <Link
            to={`/switches/${one.id}`}
            className="rounded border border-rule px-2.5 py-1 text-text hover:border-ink"
          >
            Its ports
          </Link>
        </span>
      }
    >
      <div ref={place} className="min-h-[4.4rem]">
        {seen ? (
          <PortStrip
            ports={ports.data ?? []}
            label={`${one.name}: ${one.said}`}
            selected={open?.kind === "port" ? open.id : null}
            onOpen={(port: KeptPort) => setOpen({ kind: "port", id: port.id })}
          />
        ) : null}
      </div>
      <p className="mt-1 text-sm">
        {sentence(one.said)}.{" "}
        <span className="text-soft">{[one.address, one.model, one.place].filter(Boolean).join(", ")}</span>
      </p>
      {one.trouble ? (
        <p className="text-sm text-alarm" role="alert">
          It could not be read: {one.trouble}.
        </p>
      ) : null}
    </Section>
  );
}
