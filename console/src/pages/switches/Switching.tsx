// Switching a port off and on: first it shows who hangs there and what speaks against it, then it asks for a name and a credential.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { KeptPort, PortOrderView, PortSwitching } from "../../api/types";
import { ago, moment, sentence } from "../../lib/format";
import { Button, Field, Input, inputLook, Notice, Section } from "../../parts/basics";

export function Switching({ port }: { port: KeptPort }) {
  const [mine, setMine] = useState("");
  const look = useMutation({
    mutationFn: () =>
      api.post("/api/v1/ports/{identity}/switching", { path: { identity: port.id }, query: { my_device: mine } }),
  });
  const orders = useQuery({
    queryKey: ["port-orders", port.id],
    queryFn: () => api.get("/api/v1/port-orders", { query: { port: port.id, limit: 10 } }),
  });
  return (
    <Section title="Switch it off or on">
      {look.data ? (
        <Order known={look.data} mine={mine} onDone={() => look.reset()} />
      ) : (
        <form
          className="flex flex-wrap items-end gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            look.mutate();
          }}
        >
          <Field label="Your device, so that you are not cut off">
            <Input
              value={mine}
              placeholder="as this browser connects"
              title="A MAC, an address, or SWITCH:PORT; needed where this browser comes through another server"
              onChange={(event) => setMine(event.target.value)}
            />
          </Field>
          <Button type="submit" disabled={look.isPending}>
            {look.isPending ? "Reading the switches on the way…" : "See what is connected to it…"}
          </Button>
        </form>
      )}
      {look.error ? <Notice tone="alarm">{sentence(look.error.message)}.</Notice> : null}
      {orders.data?.items.length ? (
        <ul className="mt-2">
          {orders.data.items.map((one) => (
            <li key={one.id} className="border-b border-rule py-1 text-sm">
              {sentence(one.said)}.{" "}
              <span className="text-soft">
                {one.what} {one.to} by {one.who}, {ago(one.at)}
                {one.until && one.state === "off for now" ? `; it comes back at ${moment(one.until)}` : ""}
              </span>
            </li>
          ))}
        </ul>
      ) : null}
    </Section>
  );
}

const UNDER_WAY = ["given", "sent"];
const TIMES: [string, number | null][] = [
  ["until it is switched on again", null],
  ["for 30 seconds", 30],
  ["for 5 minutes", 300],
  ["for an hour", 3600],
];

function Order({ known, mine, onDone }: { known: PortSwitching; mine: string; onDone(): void }) {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [credential, setCredential] = useState("");
  const [time, setTime] = useState(1);
  const [power, setPower] = useState(false);
  const [weak, setWeak] = useState(false);
  const [consented, setConsented] = useState("");
  const [order, setOrder] = useState<PortOrderView | null>(null);
  // How far the switches on the way are to be trusted depends on the credential: they are read by it where that says more.
  const sure = useQuery({
    queryKey: ["switching", known.port.id, mine, credential],
    queryFn: () =>
      api.post("/api/v1/ports/{identity}/switching", {
        path: { identity: known.port.id },
        query: { my_device: mine, by: credential },
      }),
    enabled: credential !== "" && !known.refusals.length,
    retry: false,
  });
  const looked = sure.data ?? known;
  const unverified = credential === "" ? [] : [...looked.unverified, ...(power ? looked.power_unverified : [])];
  // A consent is to the sentences that were shown: others, by another credential, want another one.
  const sentences = unverified.join("\n");
  const consent = sentences !== "" && consented === sentences;
  const followed = useQuery({
    queryKey: ["port-order", order?.id],
    queryFn: () => api.get("/api/v1/port-orders/{identity}", { path: { identity: order?.id ?? 0 } }),
    enabled: order !== null && UNDER_WAY.includes(order.state),
    refetchInterval: (query) => (query.state.data && !UNDER_WAY.includes(query.state.data.state) ? false : 500),
  });
  const done = followed.data ?? order;
  const give = useMutation({
    mutationFn: (to: "off" | "on") =>
      api.post("/api/v1/ports/{identity}/orders", {
        path: { identity: known.port.id },
        body: {
          what: power ? "power" : "link",
          to,
          credential,
          name,
          for_seconds: to === "off" ? (TIMES[time]?.[1] ?? null) : null,
          weak,
          my_device: mine,
          consents: to === "off" && consent ? unverified : [],
        },
      }),
    onSuccess: setOrder,
    onSettled: async () => {
      for (const key of ["port-orders", "port", "ports"]) await client.invalidateQueries({ queryKey: [key] });
    },
  });
  if (done)
    return (
      <div role="status">
        <p className={["failed", "not known"].includes(done.state) ? "text-alarm" : ""}>
          {sentence(done.said)}.
          {done.until && done.state === "off for now" ? ` It comes back at ${moment(done.until)}.` : ""}
        </p>
        <Button tone="quiet" onClick={onDone}>
          Close
        </Button>
      </div>
    );
  const off = known.on || power;
  return (
    <form
      className="flex flex-col gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        give.mutate("off");
      }}
    >
      <p>
        {known.behind.length
          ? `Connected: ${known.behind.map((one) => one.device?.name ?? one.mac).join(", ")}.`
          : "Nobody is known to be connected to it."}
      </p>
      {known.way.length ? <p className="text-sm text-soft">The way there: {known.way.join(", ")}.</p> : null}
      {known.refusals.length ? (
        <Notice tone="alarm">
          It cannot be switched off:
          <ul className="list-disc pl-5">
            {known.refusals.map((one) => (
              <li key={one}>{one}</li>
            ))}
          </ul>
        </Notice>
      ) : (
        known.warnings.map((one) => (
          <p key={one} className="text-sm text-amber">
            {sentence(one)}.
          </p>
        ))
      )}
      {known.refusals.length && known.on ? (
        <div>
          <Button tone="quiet" onClick={onDone}>
            Close
          </Button>
        </div>
      ) : (
        <>
          {known.power ? (
            <label className="flex items-center gap-1.5 text-sm">
              <input type="checkbox" checked={power} onChange={(event) => setPower(event.target.checked)} />
              its power over Ethernet instead of its link
            </label>
          ) : null}
          <Field label="By a credential with write access">
            <select className={inputLook} value={credential} onChange={(event) => setCredential(event.target.value)}>
              <option value="">choose one</option>
              {known.credentials.map((one) => (
                <option key={one.id} value={one.name}>
                  {one.name}
                </option>
              ))}
            </select>
          </Field>
          {looked.refusals.length && !known.refusals.length ? (
            <Notice tone="alarm">It cannot be switched off: {looked.refusals.join("; ")}.</Notice>
          ) : null}
          {looked.grounds.length ? (
            <details className="text-sm">
              <summary className="cursor-pointer">What is known of it ({looked.grounds.length})</summary>
              <ul className="list-disc pl-5 text-soft">
                {looked.grounds.map((one) => (
                  <li key={one.said}>
                    {sentence(one.said)} ({ago(one.at)}).
                  </li>
                ))}
              </ul>
            </details>
          ) : null}
          {sure.isFetching ? <p className="text-sm text-soft">Reading the switches on the way by {credential}…</p> : null}
          {sure.error ? <Notice tone="alarm">{sentence(sure.error.message)}.</Notice> : null}
          {off && unverified.length && !sure.isFetching ? (
            <div className="text-sm">
              <p>Not verified:</p>
              <ul className="list-disc pl-5">
                {unverified.map((one) => (
                  <li key={one}>{sentence(one)}.</li>
                ))}
              </ul>
              <label className="mt-1 flex items-center gap-1.5">
                <input type="checkbox" checked={consent} onChange={(event) => setConsented(event.target.checked ? sentences : "")} />I have
                checked that myself
              </label>
            </div>
          ) : null}
          {off && !known.refusals.length ? (
            <>
              <Field label="How long">
                <select className={inputLook} value={time} onChange={(event) => setTime(Number(event.target.value))}>
                  {TIMES.map(([said], place) => (
                    <option key={said} value={place}>
                      {said}
                    </option>
                  ))}
                </select>
              </Field>
              <Field label={`Type “${known.ask_for}”`}>
                <Input value={name} autoComplete="off" onChange={(event) => setName(event.target.value)} />
              </Field>
            </>
          ) : null}
          <label className="flex items-center gap-1.5 text-sm">
            <input type="checkbox" checked={weak} onChange={(event) => setWeak(event.target.checked)} />
            also by a credential that does not encrypt
          </label>
          {give.error ? <Notice tone="alarm">{sentence(give.error.message)}.</Notice> : null}
          <div className="flex flex-wrap gap-2">
            {off && !known.refusals.length ? (
              <Button
                tone="ink"
                type="submit"
                disabled={
                  !credential ||
                  give.isPending ||
                  sure.isFetching ||
                  looked.refusals.length > 0 ||
                  (unverified.length > 0 && !consent) ||
                  name.trim().toLowerCase() !== known.ask_for.toLowerCase()
                }
              >
                {give.isPending ? "Waiting for the switch…" : "Switch it off"}
              </Button>
            ) : null}
            {!known.on || power ? (
              <Button disabled={!credential || give.isPending} onClick={() => give.mutate("on")}>
                Switch it on
              </Button>
            ) : null}
            <Button tone="quiet" onClick={onDone}>
              Close
            </Button>
          </div>
        </>
      )}
    </form>
  );
}
