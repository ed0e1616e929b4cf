// One chase, made for a phone in one hand: what turned last stands large, the cable that it is goes to it with one press, and it
// clicks if that is wanted.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Volume2, VolumeX } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { Link, useParams } from "react-router";
import { api } from "../api/client";
import type { ChaseTurn, ChaseView } from "../api/types";
import { ago, sentence } from "../lib/format";
import { Button, Notice, Section } from "../parts/basics";
import { click } from "./wiring/click";

export default function ChasePage() {
  const id = Number(useParams().id);
  const client = useQueryClient();
  const [sound, setSound] = useState(false);
  const path = { identity: id };
  const chase = useQuery({
    queryKey: ["chase", id],
    queryFn: () => api.get("/api/v1/chases/{identity}", { path }),
    refetchInterval: (query) => (query.state.data?.on ? 2000 : false), // events come first; this is for when they do not
  });
  const again = (made: ChaseView | undefined) => client.setQueryData(["chase", id], made);
  const set = useMutation({
    mutationFn: (on: boolean) => api.patch("/api/v1/chases/{identity}", { path, body: { on } }),
    onSuccess: again,
  });
  const found = useMutation({
    mutationFn: (body: { cable: number; port: number | null }) =>
      api.post("/api/v1/chases/{identity}/found", { path, body }),
    onSuccess: again,
  });
  const latest = chase.data?.turns[0];
  const heard = useRef<number | null>(null);
  useEffect(() => {
    if (latest && heard.current !== null && latest.number > heard.current && sound) click(latest.up);
    heard.current = latest?.number ?? 0;
  }, [latest, sound]);
  if (chase.error)
    return (
      <div className="p-4">
        <Notice tone="alarm">{sentence(chase.error.message)}.</Notice>
      </div>
    );
  if (!chase.data) return <p className="p-4 text-soft">Opening…</p>;
  const one = chase.data;
  const wanted = one.cables.filter((cable) => !cable.port);
  return (
    <div className="mx-auto max-w-2xl px-4 py-4">
      <div className="flex flex-wrap items-center gap-2">
        <h1 className="text-xl font-semibold">{one.name}</h1>
        <span className="ml-auto flex gap-2">
          <Button aria-pressed={sound} onClick={() => (setSound(!sound), sound || click(true))}>
            {sound ? <Volume2 className="size-4" aria-hidden /> : <VolumeX className="size-4" aria-hidden />} Click
          </Button>
          <Button disabled={set.isPending} onClick={() => set.mutate(!one.on)}>
            {one.on ? "Stop" : "Watch again"}
          </Button>
        </span>
      </div>
      <p className="text-sm text-soft">
        {one.on ? "Watching " : "Not watching: "}
        {[...one.switches.map((watched) => watched.switch.name), ...one.devices.map((device) => device.name)].join(
          ", ",
        )}
      </p>
      {one.switches.map((watched) =>
        watched.trouble ? (
          <p key={watched.switch.id} className="text-sm text-alarm" role="alert">
            {watched.switch.name}: {watched.trouble}.
          </p>
        ) : null,
      )}
      {one.devices.map((device) =>
        one.on && device.answers === null ? (
          <p key={device.name} className="text-sm text-amber">
            {device.name} did not answer yet.
          </p>
        ) : null,
      )}
      <div className="mt-3 rounded border border-rule bg-leaf p-3" role="status" aria-live="assertive">
        {latest ? <Latest turn={latest} /> : <p className="text-lg">Pull a cable.</p>}
      </div>
      {latest?.port && wanted.length ? (
        <Section title="It is">
          <div className="flex flex-col gap-2">
            {wanted.slice(0, 30).map((cable) => (
              <Button
                key={cable.number}
                className="min-h-11 justify-start text-base"
                disabled={found.isPending}
                onClick={() => found.mutate({ cable: cable.number, port: latest.port?.id ?? null })}
              >
                {cable.text}
              </Button>
            ))}
          </div>
          {found.error ? <Notice tone="alarm">{sentence(found.error.message)}.</Notice> : null}
        </Section>
      ) : null}
      {one.cables.some((cable) => cable.port) ? (
        <Section title="Found">
          <ul>
            {one.cables.map((cable) =>
              cable.port ? (
                <li key={cable.number} className="flex flex-wrap items-center gap-2 border-b border-rule py-1">
                  <span>{cable.text}</span>
                  <Link
                    to={`/switches/${cable.switch?.id}?open=port:${cable.port.id}`}
                    className="text-soft underline decoration-rule underline-offset-4"
                  >
                    {cable.switch?.name} port {cable.port.name}
                  </Link>
                  <Button
                    tone="quiet"
                    className="ml-auto"
                    onClick={() => found.mutate({ cable: cable.number, port: null })}
                  >
                    Not after all
                  </Button>
                </li>
              ) : null,
            )}
          </ul>
          <p className="mt-1 flex flex-wrap gap-3 text-sm">
            {[
              ...new Map(
                one.cables.flatMap((cable) =>
                  cable.port && cable.switch ? [[cable.switch.id, cable.switch.name]] : [],
                ) as [number, string][],
              ),
            ].map(([key, name]) => (
              <Link key={key} to={`/switches/${key}/labels`} className="underline decoration-rule underline-offset-4">
                Labels of {name}
              </Link>
            ))}
          </p>
        </Section>
      ) : null}
      {one.turns.length > 1 ? (
        <Section title="Before">
          <ul>
            {one.turns.slice(1, 40).map((turn) => (
              <li key={turn.number} className="border-b border-rule py-1 text-sm">
                {sentence(turn.said)} <span className="text-soft">{ago(turn.at)}</span>
              </li>
            ))}
          </ul>
        </Section>
      ) : null}
    </div>
  );
}

function Latest({ turn }: { turn: ChaseTurn }) {
  return (
    <>
      {turn.port ? (
        <p className="text-3xl font-semibold">
          {turn.switch?.name}, port {turn.port.name}
        </p>
      ) : null}
      <p className={`text-lg ${turn.up ? "" : "text-alarm"}`}>
        {turn.port ? (turn.up ? "has its link" : "lost its link") : sentence(turn.said)}
        {turn.port && turn.names.length ? `: ${turn.names.slice(0, 3).join(", ")}` : ""}
      </p>
      <p className="text-sm text-soft">{ago(turn.at)}</p>
    </>
  );
}
