// DHCP servers: how much of the plan they have, publishing, adopting; pools and how full they are; leases.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api } from "../api/client";
import type { AdoptDone, DhcpServerView } from "../api/types";
import { ago, count, plural } from "../lib/format";
import { Button, Notice, Section } from "../parts/basics";
import { AskPanel } from "./dhcp/AskPanel";
import { LeaseList } from "./dhcp/LeaseList";
import { PoolList } from "./dhcp/PoolList";
import { PublishPanel } from "./dhcp/PublishPanel";
import { SheetPanel } from "./dhcp/SheetPanel";
import { ServerForm } from "./dhcp/ServerForm";

export default function DhcpPage() {
  const servers = useQuery({ queryKey: ["dhcp", "servers"], queryFn: () => api.all("/api/v1/dhcp/servers") });
  const pools = useQuery({ queryKey: ["dhcp", "pools"], queryFn: () => api.all("/api/v1/dhcp/pools") });
  if (servers.error)
    return (
      <div className="p-6">
        <Notice tone="alarm">{servers.error.message}</Notice>
      </div>
    );
  if (!servers.data || pools.isPending)
    return <h1 className="mx-auto max-w-6xl px-5 py-5 text-2xl font-semibold">DHCP</h1>; // nothing moves under a finger later
  return (
    <div className="mx-auto max-w-6xl px-5 py-5">
      <h1 className="text-2xl font-semibold">DHCP</h1>
      {servers.data.length === 0 ? (
        <p className="mt-2 max-w-3xl">
          No server is managed yet. Choose one that this service's machine allows: its reservations and pools can be
          taken into the plan first (adopted), and from then on the plan is published to it, checked by the server
          itself.
        </p>
      ) : null}
      {servers.data.map((server) => (
        <Server key={server.id} server={server} />
      ))}
      <Section title="Who answers on the link">
        <AskPanel />
      </Section>
      <PoolList pools={pools.data ?? []} />
      <LeaseList />
      <Section title="Manage another server">
        <ServerForm />
      </Section>
    </div>
  );
}

function Server({ server }: { server: DhcpServerView }) {
  const [publishing, setPublishing] = useState(false);
  const byHand = server.kind === "by hand";
  const client = useQueryClient();
  const refresh = () => {
    for (const key of ["dhcp", "plan", "assignments", "ruler"]) void client.invalidateQueries({ queryKey: [key] });
  };
  const read = useMutation({
    mutationFn: () => api.post("/api/v1/dhcp/servers/{which}/read", { path: { which: server.id } }),
    onSuccess: refresh,
  });
  const adopt = useMutation({
    mutationFn: (dry: boolean) =>
      api.post("/api/v1/dhcp/servers/{which}/adopt", { path: { which: server.id }, body: { dry_run: dry } }),
    onSuccess: refresh,
  });
  return (
    <section className="mt-4">
      <div className="flex flex-wrap items-baseline gap-x-5 gap-y-1 border-b border-rule pb-1">
        <h2 className="text-lg font-semibold">{server.name}</h2>
        <span className="text-soft">{server.kind === "standin" ? "simulated" : server.kind}</span>
        <span>
          {server.published} of {plural(server.reservation_count, "reservation")} there,{" "}
          {plural(server.pool_count, "pool")}
        </span>
        <span className="text-sm text-soft">
          {byHand
            ? `handed out ${ago(server.published_at)}`
            : `published ${ago(server.published_at)}, leases read ${ago(server.read_at)}`}
        </span>
        {byHand ? null : (
          <Link className="underline decoration-rule underline-offset-4 hover:decoration-ink" to={`/dhcp/${server.id}`}>
            holds {plural(server.held, "part")}
          </Link>
        )}
        <span className="ml-auto flex gap-2">
          {byHand ? null : (
            <Button disabled={read.isPending} onClick={() => read.mutate()}>
              Read leases
            </Button>
          )}
          {byHand ? null : (
            <Button disabled={adopt.isPending} onClick={() => adopt.mutate(true)}>
              Adopt…
            </Button>
          )}
          <Button tone="ink" onClick={() => setPublishing(true)}>
            Compare and publish
          </Button>
        </span>
      </div>
      {server.trouble ? <p className="mt-1 text-sm text-alarm">{server.trouble}.</p> : null}
      {server.held_trouble && server.held_trouble !== server.trouble ? (
        <p className="mt-1 text-sm text-alarm">What it holds cannot be read: {server.held_trouble}.</p>
      ) : null}
      {server.not_understood > 0 ? (
        <p className="mt-1 text-sm text-amber">
          <Link className="underline" to={`/dhcp/${server.id}?part=not+understood`}>
            {plural(server.not_understood, "part")} of its configuration {server.not_understood === 1 ? "is" : "are"}{" "}
            not understood
          </Link>
          .
        </p>
      ) : null}
      {(read.error ?? adopt.error) ? (
        <p role="alert" className="mt-1 text-sm text-alarm">
          {(read.error ?? adopt.error)?.message}.
        </p>
      ) : null}
      {adopt.data ? (
        <Adoption
          found={adopt.data}
          name={server.name}
          onAdopt={() => adopt.mutate(false)}
          onClose={() => adopt.reset()}
        />
      ) : null}
      {publishing ? <PublishPanel server={server} onClose={() => setPublishing(false)} /> : null}
      {byHand ? <SheetPanel server={server} /> : null}
    </section>
  );
}

function Adoption({
  found,
  name,
  onAdopt,
  onClose,
}: {
  found: AdoptDone;
  name: string;
  onAdopt(): void;
  onClose(): void;
}) {
  const total = found.subnets.length + found.pools.length + found.reservations.length;
  const beside = Object.entries(found.beside)
    .map(([part, number]) => `${count(number)} ${number === 1 ? part : part === "class" ? "classes" : `${part}s`}`)
    .join(", ");
  const lines = [
    ...found.subnets.map((one) => `subnet ${one.subnet}`),
    ...found.pools.map((one) => `pool ${one.first} – ${one.last}`),
    ...found.reservations.map((one) => `reservation ${one.mac} ${one.address} ${one.name}`),
  ];
  return (
    <div className="mt-3 rounded border border-rule bg-leaf p-3">
      <p className="font-semibold">
        {total === 0 && found.in_the_way.length === 0
          ? `Everything that ${name} hands out is in the plan already.`
          : found.dry_run
            ? "Adopting would take into the plan:"
            : "Taken into the plan:"}
      </p>
      <ul className="max-h-60 overflow-auto font-mono text-sm">
        {lines.map((line) => (
          <li key={line}>+ {line}</li>
        ))}
      </ul>
      {found.in_the_way.map((one) => (
        <p key={one} role="alert" className="text-sm text-alarm">
          {one}.
        </p>
      ))}
      {beside ? (
        <p className="mt-1 text-sm text-soft">
          {name} holds beside that, and keeps: {beside} that the plan does not know.
        </p>
      ) : null}
      {found.not_understood.map((one) => (
        <p key={one} className="mt-1 text-sm text-amber">
          Not understood: {one}.
        </p>
      ))}
      <div className="mt-2 flex gap-2">
        {found.dry_run && total > 0 && found.in_the_way.length === 0 ? (
          <Button tone="ink" onClick={onAdopt}>
            Take them in
          </Button>
        ) : null}
        <Button tone="quiet" onClick={onClose}>
          Close
        </Button>
      </div>
    </div>
  );
}
