// One switch: its strip, its ports as sentences, any earlier moment of it, and what is different since then.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Tags } from "lucide-react";
import { useMemo, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api } from "../api/client";
import type { KeptPort } from "../api/types";
import { ago, moment, plural, sentence } from "../lib/format";
import { useOpen } from "../lib/open";
import { Button, Facts, Input, Mono, Notice, Section } from "../parts/basics";
import { TakeOut } from "../parts/grid/TakeOut";
import { PortStrip, StripLegend } from "../parts/PortStrip";
import { TimeSlider, useMoment } from "../parts/TimeSlider";
import { COLUMNS } from "./switches/columns";
import { PortLines } from "./switches/PortLines";
import { SwitchSettings } from "./switches/SwitchSettings";
import { Turns } from "./switches/Turns";

export default function SwitchPage() {
  const id = Number(useParams().id);
  const client = useQueryClient();
  const navigate = useNavigate();
  const [at] = useMoment();
  const [open, setOpen] = useOpen();
  const [text, setText] = useState("");
  const [editing, setEditing] = useState(false);
  const path = { identity: id };
  const one = useQuery({ queryKey: ["switches", id], queryFn: () => api.get("/api/v1/switches/{identity}", { path }) });
  const ports = useQuery({
    queryKey: ["ports", id, at],
    queryFn: ({ signal }) => api.all("/api/v1/ports", { query: { switch: String(id), at }, signal }),
    placeholderData: (before) => before,
  });
  const read = useMutation({
    mutationFn: () => api.post("/api/v1/switches/{identity}/read", { path }),
    onSettled: () => void client.invalidateQueries({ queryKey: ["switches"] }),
  });
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const shown = useMemo(
    () => (ports.data ?? []).filter((port) => words.every((word) => said(port).includes(word))),
    [ports.data, text], // eslint-disable-line react-hooks/exhaustive-deps
  );
  if (one.error)
    return (
      <div className="p-6">
        <Notice tone="alarm">{one.error.message}.</Notice>
      </div>
    );
  if (!one.data) return <p className="p-6 text-soft">Reading…</p>;
  const facts = one.data;
  return (
    <div className="mx-auto max-w-6xl px-5 py-5">
      <div className="flex flex-wrap items-center gap-3">
        <h1 className="text-2xl font-semibold">
          {facts.name} <Mono className="font-normal text-soft">{facts.address}</Mono>
        </h1>
        <span className="ml-auto text-sm text-soft" role="status">
          {facts.reading || read.isPending
            ? "being read"
            : facts.read_at
              ? `read ${ago(facts.read_at)}`
              : "not read yet"}
          {facts.on ? `, every ${facts.every_seconds} s` : ", switched off"}
        </span>
        <Button disabled={read.isPending} onClick={() => read.mutate()}>
          Read now
        </Button>
        <Button tone="quiet" onClick={() => setEditing(!editing)}>
          {editing ? "Close" : "Change"}
        </Button>
        <Link
          to={`/switches/${id}/labels`}
          className="inline-flex items-center gap-1.5 rounded border border-rule bg-leaf px-2.5 py-1 text-sm hover:border-ink"
        >
          <Tags className="size-4" aria-hidden /> Labels
        </Link>
      </div>
      {facts.trouble || read.error ? (
        <p role="alert" className="mt-1 text-sm text-alarm">
          It could not be read: {facts.trouble || read.error?.message}.
          {facts.refused_until ? ` It is not asked again by itself before ${moment(facts.refused_until)}.` : ""}
        </p>
      ) : null}
      {editing ? (
        <SwitchSettings
          key={facts.version}
          one={facts}
          onDone={() => setEditing(false)}
          onGone={() => void navigate("/switches")}
        />
      ) : null}
      <p className="mt-2">{sentence(facts.said)}.</p>
      <div className="mt-2">
        <PortStrip
          ports={ports.data ?? []}
          label={`${facts.name}: ${facts.said}`}
          selected={open?.kind === "port" ? open.id : null}
          lit={words.length ? new Set(shown.map((port) => port.id)) : null}
          onOpen={(port) => setOpen({ kind: "port", id: port.id })}
        />
        <div className="mt-1.5">
          <StripLegend />
        </div>
      </div>
      <TimeSlider subject={`switch ${id}`} reach={() => reach(id)} />
      {at ? <Turns id={id} since={at} /> : null}
      <Section
        title={at ? `Its ports at ${moment(at)}` : "Its ports"}
        aside={
          <span className="flex flex-wrap items-center gap-2">
            <span className="text-sm text-soft">
              {words.length ? `${shown.length} of ${plural(ports.data?.length ?? 0, "port")}` : ""}
            </span>
            <Input
              type="search"
              aria-label="Only ports that say"
              placeholder="Only ports that say…"
              value={text}
              onChange={(event) => setText(event.target.value)}
              className="w-52"
            />
            <TakeOut title={`Ports of ${facts.name}`} columns={COLUMNS} all={() => Promise.resolve(shown)} />
          </span>
        }
      >
        <PortLines
          ports={shown}
          at={at}
          empty={
            ports.isSuccess ? "No port says that." : ports.error ? `${sentence(ports.error.message)}.` : "Reading…"
          }
        />
      </Section>
      <Section title="What it says of itself">
        <Facts
          rows={[
            ["description", facts.text],
            ["model", facts.model],
            ["serial number", facts.serial],
            ["firmware", facts.firmware],
            ["place", facts.place],
            ["contact", facts.contact],
            ["running for", facts.up_seconds === null ? "" : uptime(facts.up_seconds)],
            ["read by", facts.credential ? facts.credential.name : "any credential that fits"],
          ]}
        />
        {facts.missing.map((lack) => (
          <p key={lack.what} className="mt-1 text-sm text-amber">
            {sentence(lack.what)}: {lack.why}.
          </p>
        ))}
      </Section>
    </div>
  );
}

const said = (port: KeptPort) =>
  [
    port.name,
    port.said,
    port.alias,
    port.notes,
    port.mark ?? "",
    port.together,
    ...port.behind.flatMap((one) => [one.mac, one.address ?? "", one.vendor ?? "", one.device?.name ?? ""]),
  ]
    .join(" ")
    .toLowerCase();

const uptime = (seconds: number) => {
  const days = Math.floor(seconds / 86400);
  return days > 1 ? plural(days, "day") : `${Math.floor(seconds / 3600)} h ${Math.floor((seconds % 3600) / 60)} min`;
};

async function reach(identity: number) {
  const told = await api.get("/api/v1/switches/{identity}/moments", { path: { identity }, query: { buckets: 120 } });
  return { since: told.since, until: told.until, begun: told.counts };
}
