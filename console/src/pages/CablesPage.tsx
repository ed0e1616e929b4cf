// The simulated site only: pull cables and plug them in elsewhere, as a person at the rack would.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import type { LeadView } from "../api/types";
import { sentence } from "../lib/format";
import { Button, Input, Notice, Section } from "../parts/basics";

const SHOWN = 60;

export default function CablesPage() {
  const [text, setText] = useState("");
  const cables = useQuery({
    queryKey: ["cables"],
    queryFn: ({ signal }) => api.all("/api/v1/demo/cables", { signal }),
    refetchInterval: 3000,
    retry: false,
  });
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const said = (one: LeadView) => `${one.called} ${one.switch ?? "free"} ${one.port ?? ""}`.toLowerCase();
  const shown = cables.data?.filter((one) => words.every((word) => said(one).includes(word))) ?? [];
  const free = shown.filter((one) => one.switch === null);
  const plugged = shown.filter((one) => one.switch !== null);
  return (
    <div className="mx-auto max-w-3xl px-4 py-5">
      <h1 className="text-2xl font-semibold">Cables</h1>
      <p className="text-soft">
        What a person does at the simulated site: pull a cable, plug it in elsewhere. The service is not told of it; it
        has to find out.
      </p>
      {cables.error ? <Notice tone="alarm">{sentence(cables.error.message)}.</Notice> : null}
      <Input
        type="search"
        aria-label="Only cables that say"
        placeholder="Only cables that say…"
        className="mt-3 w-full max-w-sm"
        value={text}
        onChange={(event) => setText(event.target.value)}
      />
      {free.length ? (
        <Section title="Hanging free">
          <ul>
            {free.map((one) => (
              <Free key={one.called} lead={one} />
            ))}
          </ul>
        </Section>
      ) : null}
      <Section title="Plugged in">
        <ul>
          {plugged.slice(0, SHOWN).map((one) => (
            <Plugged key={`${one.switch} ${one.port} ${one.called}`} lead={one} />
          ))}
        </ul>
        {plugged.length > SHOWN ? (
          <p className="text-sm text-soft">{plugged.length - SHOWN} more: find them above.</p>
        ) : null}
      </Section>
    </div>
  );
}

function Plugged({ lead }: { lead: LeadView }) {
  const client = useQueryClient();
  const pull = useMutation({
    mutationFn: () =>
      api.post("/api/v1/demo/cables/pull", { body: { switch: lead.switch ?? "", port: lead.port ?? 0 } }),
    onSettled: () => client.invalidateQueries({ queryKey: ["cables"] }),
  });
  return (
    <li className="flex flex-wrap items-center gap-2 border-b border-rule py-1">
      <span>
        {lead.switch} port {lead.port}
      </span>
      <span className="text-soft">to {lead.called}</span>
      <Button className="ml-auto" disabled={pull.isPending} onClick={() => pull.mutate()}>
        Pull
      </Button>
      {pull.error ? <span className="text-sm text-alarm">{sentence(pull.error.message)}.</span> : null}
    </li>
  );
}

function Free({ lead }: { lead: LeadView }) {
  const client = useQueryClient();
  const [where, setWhere] = useState("");
  const parts = /^(.*\S)\s+(\d+)$/.exec(where.trim());
  const plug = useMutation({
    mutationFn: () =>
      api.post("/api/v1/demo/cables/plug", {
        body: { called: lead.called, switch: parts?.[1] ?? "", port: Number(parts?.[2]) },
      }),
    onSettled: () => client.invalidateQueries({ queryKey: ["cables"] }),
  });
  return (
    <li className="border-b border-rule py-1.5">
      <form
        className="flex flex-wrap items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          plug.mutate();
        }}
      >
        <span>to {lead.called}</span>
        <Input
          aria-label={`Where the cable to ${lead.called} goes`}
          placeholder="switch-office-1 9"
          className="w-48"
          value={where}
          onChange={(event) => setWhere(event.target.value)}
        />
        <Button type="submit" disabled={!parts || plug.isPending}>
          Plug in
        </Button>
        {plug.error ? <span className="text-sm text-alarm">{sentence(plug.error.message)}.</span> : null}
      </form>
    </li>
  );
}
