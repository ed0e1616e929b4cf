// How the switches hang together: the map, the way between two devices lit on it, any earlier moment, and the same as a plain list.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { api } from "../api/client";
import type { MapStrip } from "../api/types";
import { useDelayed } from "../lib/delayed";
import { moment, sentence } from "../lib/format";
import { useOpen } from "../lib/open";
import { Button, Field, Input, Notice, Section } from "../parts/basics";
import { TimeSlider, useMoment } from "../parts/TimeSlider";
import { LinkLines } from "./wiring/LinkLines";
import { MapView } from "./wiring/MapView";
import { PathLines } from "./wiring/PathLines";
import { TakeMap } from "./wiring/TakeMap";

export default function WiringPage() {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [, setOpen] = useOpen();
  const [at] = useMoment();
  const [params, setParams] = useSearchParams();
  const [begin, setBegin] = useState(params.get("begin") ?? "");
  const [end, setEnd] = useState(params.get("end") ?? "");
  const [chosen, setChosen] = useState<MapStrip | null>(null);
  const ends = useDelayed(`${begin.trim()}\n${end.trim()}`, 350).split("\n") as [string, string];
  const map = useQuery({
    queryKey: ["map", at],
    queryFn: ({ signal }) => api.get("/api/v1/wiring/map", { query: { at }, signal }),
    placeholderData: (before) => before,
  });
  const links = useQuery({
    queryKey: ["links", at],
    queryFn: ({ signal }) => api.get("/api/v1/links", { query: { at, limit: 2000 }, signal }),
    placeholderData: (before) => before,
  });
  const path = useQuery({
    queryKey: ["path", ...ends, at],
    queryFn: ({ signal }) => api.get("/api/v1/paths", { query: { begin: ends[0], end: ends[1], at }, signal }),
    enabled: ends[0].length > 1,
    retry: false,
  });
  const put = useMutation({
    mutationFn: ({ id, x, y }: { id: number; x: number; y: number }) =>
      api.put("/api/v1/wiring/places/{identity}", {
        path: { identity: id },
        body: { x: Math.round(x), y: Math.round(y) },
      }),
    onSettled: () => client.invalidateQueries({ queryKey: ["map"] }),
  });
  const free = useMutation({
    mutationFn: (id: number) => api.remove("/api/v1/wiring/places/{identity}", { path: { identity: id } }),
    onSettled: () => client.invalidateQueries({ queryKey: ["map"] }),
  });
  const lit = path.data ? new Set(path.data.hops.flatMap((hop) => (hop.link_id === null ? [] : [hop.link_id]))) : null;
  const fixed = map.data?.strips.find((one) => one.node === chosen?.node)?.fixed ?? false;
  const keep = (name: string, value: string) =>
    setParams(
      (before) => {
        const next = new URLSearchParams(before);
        if (value.trim()) next.set(name, value.trim());
        else next.delete(name);
        return next;
      },
      { replace: true },
    );
  if (map.data && !map.data.strips.length)
    return (
      <div className="mx-auto max-w-3xl px-5 py-5">
        <h1 className="text-2xl font-semibold">Wiring</h1>
        <p className="mt-2 text-soft">
          {at ? "Nothing was known of the wiring then. " : "No switch is read yet. "}
          <Link to="/switches" className="underline decoration-rule underline-offset-4">
            Add switches
          </Link>{" "}
          and the roster finds out how they hang together: by what they say of each other, and by what they have learnt.
        </p>
        {at ? <TimeSlider subject="the wiring" reach={reach} /> : null}
      </div>
    );
  return (
    <div className="px-5 py-4">
      <div className="flex flex-wrap items-end gap-x-3 gap-y-2">
        <h1 className="mr-2 text-2xl font-semibold">Wiring</h1>
        <form className="flex min-w-0 flex-wrap items-end gap-2" onSubmit={(event) => event.preventDefault()}>
          <Field label="The way from">
            <Input
              value={begin}
              placeholder="a device or address"
              onChange={(event) => {
                setBegin(event.target.value);
                keep("begin", event.target.value);
              }}
            />
          </Field>
          <Field label="to">
            <Input
              value={end}
              placeholder="its gateway"
              onChange={(event) => {
                setEnd(event.target.value);
                keep("end", event.target.value);
              }}
            />
          </Field>
        </form>
        <span className="ml-auto flex flex-wrap gap-2">
          <Link to="/chases" className="rounded border border-rule bg-leaf px-2.5 py-1 text-sm hover:border-ink">
            Find cables
          </Link>
          <TakeMap at={at} begin={ends[0]} end={ends[1]} lit={path.data !== undefined} />
        </span>
      </div>
      <TimeSlider subject="the wiring" reach={reach} />
      {map.error ? <Notice tone="alarm">{map.error.message}.</Notice> : null}
      {path.error && begin ? (
        <p className="mt-1 text-sm text-alarm" role="alert">
          {sentence(path.error.message)}.
        </p>
      ) : null}
      <div className="mt-2 h-[58dvh] min-h-72">
        {map.data ? (
          <MapView
            map={map.data}
            lit={lit}
            chosen={chosen?.node ?? null}
            movable={at === null}
            onChoose={setChosen}
            onPort={(id) => setOpen({ kind: "port", id })}
            onPut={(strip, x, y) => strip.switch && put.mutate({ id: strip.switch.id, x, y })}
          />
        ) : null}
      </div>
      <p className="mt-1 min-h-7 text-sm" role="status">
        {chosen ? (
          <span className="flex flex-wrap items-center gap-2">
            <strong>{chosen.called}</strong>
            {chosen.switch ? (
              <Button onClick={() => void navigate(`/switches/${chosen.switch?.id}`)}>Its ports</Button>
            ) : (
              <span className="text-soft">announces itself, and is not read</span>
            )}
            {fixed && chosen.switch && at === null ? (
              <Button tone="quiet" onClick={() => chosen.switch && free.mutate(chosen.switch.id)}>
                Let the map place it
              </Button>
            ) : null}
          </span>
        ) : (
          <span className="text-soft">
            Wider is faster; dashed is kept shut; dotted is inferred, and told by nobody. Drag a switch to put it
            elsewhere for good; press one of its marks to open that port.
          </span>
        )}
      </p>
      {path.data ? <PathLines path={path.data} begin={ends[0]} end={ends[1]} /> : null}
      <Section title={at ? `The links at ${moment(at)}` : "The links"}>
        {links.data ? (
          <LinkLines page={links.data} now={at === null} />
        ) : links.error ? (
          <Notice tone="alarm">{sentence(links.error.message)}.</Notice>
        ) : (
          <p className="text-soft">Reading…</p>
        )}
      </Section>
    </div>
  );
}

async function reach() {
  const told = await api.get("/api/v1/wiring/moments", { query: { buckets: 120 } });
  return { since: told.since, until: told.until, begun: told.counts };
}
