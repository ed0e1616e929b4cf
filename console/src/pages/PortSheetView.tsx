// One port in the side sheet: what hangs there, what people say of it, why it is held for an uplink, who was there, how it stood,
// and what went through it.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api } from "../api/client";
import type { KeptBehind, KeptPort, PortSheet } from "../api/types";
import { ago, moment, plural, sentence } from "../lib/format";
import { useOpen } from "../lib/open";
import { since, sinceSaid } from "../lib/ports";
import { Switching } from "./switches/Switching";
import { Button, Facts, Field, Input, inputLook, Mono, Notice, Section } from "../parts/basics";

export default function PortSheetView({ id }: { id: number }) {
  const sheet = useQuery({
    queryKey: ["port", id],
    queryFn: () => api.get("/api/v1/ports/{identity}", { path: { identity: id } }),
  });
  if (sheet.error) return <Notice tone="alarm">{sheet.error.message}.</Notice>;
  if (!sheet.data) return <p className="text-soft">Reading…</p>;
  const { port, earlier, stretches } = sheet.data;
  return (
    <>
      <p className="pr-8 text-sm text-soft">
        <Link
          to={`/switches/${port.switch.id}?open=port:${id}`}
          className="underline decoration-rule underline-offset-4"
        >
          {port.switch.name}
        </Link>
      </p>
      <h2 className="text-xl font-semibold">Port {port.name}</h2>
      <p className="mt-1">
        {port.said}
        {port.together ? `; ${port.together}` : ""}, {sinceSaid(port)}.
      </p>
      <div className="mt-3">
        <Figures sheet={sheet.data} />
      </div>
      <Words key={port.version} port={port} />
      <Switching key={`switching ${id}`} port={port} />
      <Section title="Does it lead to other switches?">
        <p>
          {port.uplink ? "Yes" : "No"}, as it seems{port.reasons.length ? ":" : "; nothing speaks for it."}
        </p>
        <ul className="list-disc pl-5 text-sm">
          {port.reasons.map((reason) => (
            <li key={reason}>{reason}</li>
          ))}
        </ul>
      </Section>
      <Section title={port.behind_count < 2 ? "Behind it" : `Behind it, ${plural(port.behind_count, "MAC")}`}>
        <People found={port.behind} empty="Nobody, as far as the switch knows." />
      </Section>
      {earlier.length ? (
        <Section title="Earlier">
          <People found={earlier} empty="" />
        </Section>
      ) : null}
      {stretches.length > 1 ? (
        <Section title="How it stood">
          <ul>
            {stretches.slice(0, 50).map((one) => (
              <li key={one.since} className="flex gap-3 border-b border-rule py-1 text-sm">
                <span className="shrink-0 text-soft">{moment(one.since)}</span>
                <span>{one.said}</span>
              </li>
            ))}
          </ul>
        </Section>
      ) : null}
    </>
  );
}

function Figures({ sheet }: { sheet: PortSheet }) {
  const { port } = sheet;
  const rate = (bits: number | null) => (bits === null ? "" : `${(bits / 1e6).toFixed(bits < 1e6 ? 2 : 1)} Mbit/s`);
  const errors = sheet.days.reduce((sum, day) => sum + day.errors_in + day.errors_out, 0);
  return (
    <Facts
      rows={[
        ["description", port.alias],
        [
          "VLAN",
          port.vlan === null ? "" : `${port.vlan}${port.vlans.length ? `, tagged ${port.vlans.join(", ")}` : ""}`,
        ],
        ["duplex", port.duplex],
        ["spanning tree", port.tree],
        ["power", port.power],
        ["bundle", port.bundle],
        ["in, out", sheet.in_bits === null ? "" : `${rate(sheet.in_bits)}, ${rate(sheet.out_bits)}`],
        [
          "damaged",
          sheet.error_share
            ? `${(sheet.error_share * 100).toFixed(2)} % of what goes through`
            : errors
              ? plural(errors, "frame")
              : "",
        ],
        [
          "announces itself",
          port.neighbours.length
            ? port.neighbours.map((one) => `${one.name || one.chassis}, its port ${one.port}`).join("; ")
            : "",
        ],
      ]}
    />
  );
}

function Words({ port }: { port: KeptPort }) {
  const client = useQueryClient();
  const [notes, setNotes] = useState(port.notes);
  const save = useMutation({
    mutationFn: (body: {
      notes?: string;
      mark?: "spare" | "kept" | "faulty" | "none";
      uplink?: "yes" | "no" | "weigh";
    }) => api.patch("/api/v1/ports/{identity}", { path: { identity: port.id }, version: port.version, body }),
    onSuccess: async () => {
      for (const key of ["port", "ports", "where"]) await client.invalidateQueries({ queryKey: [key] });
    },
  });
  const word = port.uplink_word === null ? "weigh" : port.uplink_word ? "yes" : "no";
  return (
    <Section title="What people say of it">
      <form
        className="flex items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          save.mutate({ notes });
        }}
      >
        <div className="min-w-0 flex-1">
          <Field label="Note" wrong={save.error ? `${sentence(save.error.message)}.` : null}>
            <Input value={notes} maxLength={200} onChange={(event) => setNotes(event.target.value)} />
          </Field>
        </div>
        <Button type="submit" disabled={save.isPending || notes === port.notes}>
          Save
        </Button>
      </form>
      {port.disagrees ? <p className="mt-1 text-sm text-amber">The switch itself says “{port.alias}”.</p> : null}
      <div className="mt-2 flex flex-wrap gap-3">
        <Field label="Mark">
          <select
            className={inputLook}
            value={port.mark ?? "none"}
            onChange={(event) => save.mutate({ mark: event.target.value as "spare" | "kept" | "faulty" | "none" })}
          >
            <option value="none">none</option>
            <option value="spare">spare</option>
            <option value="kept">kept for somebody</option>
            <option value="faulty">faulty</option>
          </select>
        </Field>
        <Field label="Leads to other switches">
          <select
            className={inputLook}
            value={word}
            onChange={(event) => save.mutate({ uplink: event.target.value as "yes" | "no" | "weigh" })}
          >
            <option value="weigh">as the reasons have it</option>
            <option value="yes">yes</option>
            <option value="no">no</option>
          </select>
        </Field>
      </div>
    </Section>
  );
}

const SHOWN = 40;

function People({ found, empty }: { found: KeptBehind[]; empty: string }) {
  const [, setOpen] = useOpen();
  const [all, setAll] = useState(false);
  if (!found.length) return <p className="text-sm text-soft">{empty}</p>;
  return (
    <>
      <ul>
        {found.slice(0, all ? found.length : SHOWN).map((one) => (
          <li key={`${one.mac} ${one.first_seen}`} className="border-b border-rule py-1">
            <span className="flex flex-wrap items-baseline gap-x-3">
              {one.device ? (
                <button
                  type="button"
                  className="underline decoration-rule underline-offset-4 hover:decoration-ink"
                  onClick={() => one.device && setOpen({ kind: "device", id: one.device.id })}
                >
                  {one.device.name ?? one.mac}
                </button>
              ) : (
                <Mono>{one.mac}</Mono>
              )}
              {one.address ? <Mono>{one.address}</Mono> : null}
              <span className="ml-auto text-sm text-soft" title={moment(one.first_seen)}>
                {one.here
                  ? `${since(one.at_least)} ${moment(one.first_seen).slice(0, 16)}`
                  : `until ${ago(one.last_seen)}`}
              </span>
            </span>
            <span className="block text-sm text-soft">
              {[
                one.device?.name ? one.mac : "",
                one.vendor ?? "",
                one.vlans.length ? `VLAN ${one.vlans.join(", ")}` : "",
              ]
                .filter(Boolean)
                .join(", ")}
            </span>
          </li>
        ))}
      </ul>
      {found.length > SHOWN && !all ? (
        <Button tone="quiet" className="mt-1" onClick={() => setAll(true)}>
          All {found.length}
        </Button>
      ) : null}
    </>
  );
}
