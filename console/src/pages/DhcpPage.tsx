// DHCP servers: how much of the plan they have, publishing, adopting; pools and how full they are; leases.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api } from "../api/client";
import type { AdoptDone, DhcpServerView, SettledRow } from "../api/types";
import { ago, count, moment, plural, sentence, calledSubnet } from "../lib/format";
import { useOpen } from "../lib/open";
import { Button, Input, Mono, Notice, Section } from "../parts/basics";
import { AskPanel } from "./dhcp/AskPanel";
import { PublishPanel } from "./dhcp/PublishPanel";
import { SheetPanel } from "./dhcp/SheetPanel";
import { ServerForm } from "./dhcp/ServerForm";
import { Fill } from "./subnet/Arithmetic";

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
      <Section title="Pools">
        {pools.data && pools.data.length > 0 ? (
          <table className="w-full text-left">
            <thead className="text-sm text-soft">
              <tr>
                <th className="font-normal">subnet</th>
                <th className="font-normal">pool</th>
                <th className="font-normal">handed out by</th>
                <th className="text-right font-normal">size</th>
                <th className="text-right font-normal">leased</th>
                <th className="text-right font-normal">reserved</th>
                <th className="text-right font-normal">left</th>
                <td className="w-48" />
              </tr>
            </thead>
            <tbody>
              {pools.data.map((pool) => (
                <tr key={pool.band.id} className="border-t border-rule">
                  <td className="py-1">{calledSubnet(pool.subnet)}</td>
                  <td>
                    <Mono>
                      {pool.first} – {pool.last}
                    </Mono>
                  </td>
                  <td>{pool.server?.name ?? <span className="text-amber">nobody</span>}</td>
                  <td className="text-right">{count(pool.size)}</td>
                  <td className="text-right">{count(pool.leased)}</td>
                  <td className="text-right">{count(pool.reserved)}</td>
                  <td className={`text-right font-semibold ${pool.left * 10 < pool.size ? "text-alarm" : ""}`}>
                    {count(pool.left)}
                  </td>
                  <td className="pl-4">
                    <Fill
                      part={1 - pool.left / pool.size}
                      label={`${Math.round((1 - pool.left / pool.size) * 100)} % full`}
                    />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        ) : (
          <p className="text-sm text-soft">No pool is planned yet: draw one on a subnet's ruler.</p>
        )}
      </Section>
      <Leases />
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

const MOST = 200;

/** What was made of a device's lease. */
function kept(one: SettledRow): string {
  if (one.why_not) return `nothing was changed: ${one.why_not}`;
  if (one.moves)
    return `static ${one.address}, since its role must not depend on a pool; its card says what to type in`;
  return one.kind === "reserved"
    ? `${one.address} is reserved for it; publish it`
    : `${one.address} is static, as it is typed in`;
}

function Leases() {
  const [text, setText] = useState("");
  const [, setOpen] = useOpen();
  const leases = useQuery({ queryKey: ["dhcp", "leases"], queryFn: () => api.all("/api/v1/dhcp/leases") });
  const client = useQueryClient();
  const keep = useMutation({
    mutationFn: (device: number) => api.post("/api/v1/assignments/settle", { body: { devices: [device] } }),
    onSuccess: () => {
      for (const key of ["dhcp", "assignments", "assignment", "explain", "plan", "ruler"])
        void client.invalidateQueries({ queryKey: [key] });
    },
  });
  const wanted = text.trim().toLowerCase();
  const found =
    leases.data?.filter(
      (one) =>
        one.active &&
        (!wanted ||
          [one.address, one.name, one.mac, one.vendor, one.device?.name].some((value) =>
            value?.toLowerCase().includes(wanted),
          )),
    ) ?? [];
  if (!leases.data?.length) return null;
  return (
    <Section
      title={`Leases (${count(found.length)})`}
      aside={
        <Input
          type="search"
          aria-label="Narrow the leases"
          placeholder="Narrow"
          value={text}
          onChange={(event) => setText(event.target.value)}
          className="w-48"
        />
      }
    >
      {keep.error ? (
        <p role="alert" className="mb-1 text-sm text-alarm">
          {sentence(keep.error.message)}.
        </p>
      ) : null}
      {keep.data?.devices.map((one) => (
        <p key={one.device?.id ?? one.name} role="status" className="mb-1 text-sm">
          {one.name || `device ${one.device?.id}`}: {kept(one)}.
        </p>
      ))}
      <table className="w-full text-left text-sm">
        <thead className="text-soft">
          <tr>
            <th className="font-normal">address</th>
            <th className="font-normal">MAC</th>
            <th className="font-normal">name</th>
            <th className="font-normal">vendor</th>
            <th className="font-normal">until</th>
            <th className="font-normal">server</th>
            <th className="relative">
              <span className="sr-only">keep</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {found.slice(0, MOST).map((one) => (
            <tr
              key={`${one.server.id}-${one.address}`}
              className="cursor-pointer border-t border-rule hover:bg-wash/60"
              onClick={() => setOpen({ kind: "address", address: one.address })}
            >
              <td className="py-0.5">
                <Mono>{one.address}</Mono>
              </td>
              <td>
                <Mono>{one.mac}</Mono>
              </td>
              <td>{one.name || one.device?.name}</td>
              <td className="text-soft">{one.vendor ?? (one.local ? "locally administered" : "")}</td>
              <td>{one.expires ? moment(one.expires) : "for ever"}</td>
              <td>{one.server.name}</td>
              <td className="text-right">
                {one.device ? (
                  <button
                    type="button"
                    disabled={keep.isPending}
                    className="underline decoration-rule underline-offset-4 hover:decoration-ink"
                    title="Make it lasting, as its role wants: reserved, or static outside of the pool"
                    onClick={(event) => {
                      event.stopPropagation();
                      keep.mutate(one.device!.id);
                    }}
                  >
                    Keep
                  </button>
                ) : null}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {found.length > MOST ? (
        <p className="mt-1 text-sm text-soft">{count(found.length - MOST)} more; narrow the list to see them.</p>
      ) : null}
      <p className="mt-2 text-sm text-soft">
        For servers that are edited by hand:{" "}
        <Link className="underline" to="/sheet">
          a sheet to type from
        </Link>
        .
      </p>
    </Section>
  );
}
