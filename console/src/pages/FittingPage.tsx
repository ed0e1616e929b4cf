// One fitting, made for a phone held in one hand in front of a rack: its devices, each at its own step, and what to do now.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api } from "../api/client";
import type { FittedView, FittingView } from "../api/types";
import { ago, plural } from "../lib/format";
import { Button, Mono, Notice } from "../parts/basics";
import { Device } from "./fitting/Device";
import { OnPhone } from "./fitting/OnPhone";
import { Stage } from "./fitting/Stage";

export default function FittingPage() {
  const identity = Number(useParams().id);
  const fitting = useQuery({
    queryKey: ["fitting", identity],
    queryFn: () => api.get("/api/v1/fittings/{identity}", { path: { identity } }),
    refetchInterval: 5000,
  });
  const [params, setParams] = useSearchParams();
  if (fitting.error)
    return (
      <div className="p-4">
        <Notice tone="alarm">{fitting.error.message}.</Notice>
      </div>
    );
  if (!fitting.data) return <p className="p-4 text-soft">Reading…</p>;
  const one = fitting.data;
  const several = one.devices.length > 1;
  const chosen = one.devices.find((device) => device.id === Number(params.get("device")));
  const shown = several ? chosen : one.devices[0];
  return (
    <div className="mx-auto max-w-3xl px-4 py-4">
      <p className="text-sm print:hidden">
        <Link to="/fittings" className="text-soft underline">
          All fittings
        </Link>
        {several && chosen ? (
          <>
            {" / "}
            <button type="button" className="text-soft underline" onClick={() => setParams({})}>
              {plural(one.devices.length, "device")} of this one
            </button>
          </>
        ) : null}
      </p>
      <OnPhone />
      {shown ? (
        <Device fitting={one} device={shown} />
      ) : (
        <Batch fitting={one} onChoose={(device) => setParams({ device: String(device.id) })} />
      )}
    </div>
  );
}

function Batch({ fitting, onChoose }: { fitting: FittingView; onChoose(device: FittedView): void }) {
  const client = useQueryClient();
  const [sure, setSure] = useState(false);
  const giveUp = useMutation({
    mutationFn: () =>
      api.post("/api/v1/fittings/{identity}/give-up", { path: { identity: fitting.id }, body: { fitted_ids: [] } }),
    onSuccess: (now) => client.setQueryData(["fitting", fitting.id], now),
  });
  const waiting = fitting.devices.filter((one) => one.state === "open");
  return (
    <>
      <h1 className="mt-1 text-2xl font-semibold">
        {plural(fitting.device_count, "device")}
        {fitting.kind ? ` of the kind ${fitting.kind.name}` : ""}
      </h1>
      <p className="text-soft">
        {fitting.role ? `Role ${fitting.role}, in` : "In"} {fitting.where || "the plan"}, begun {ago(fitting.opened_at)}{" "}
        by {fitting.who}; {fitting.done_count} in place
      </p>
      <ul className="mt-3 divide-y divide-rule border-y border-rule" aria-label="Devices">
        {fitting.devices.map((device) => (
          <li key={device.id}>
            <button
              type="button"
              onClick={() => onChoose(device)}
              className="flex w-full flex-col gap-0.5 px-1 py-2.5 text-left hover:bg-wash"
            >
              <span className="flex flex-wrap items-baseline gap-x-3">
                <span className="font-semibold">{device.name || device.mac}</span>
                <Mono>{device.address}</Mono>
                <Mono className="text-soft">…{device.mac.slice(-5)}</Mono>
                <span className="ml-auto">
                  <Stage device={device} />
                </span>
              </span>
              <span className={`text-sm ${device.against ? "text-alarm" : "text-soft"}`}>
                {device.against || device.said}
              </span>
            </button>
          </li>
        ))}
      </ul>
      {waiting.length ? (
        <div className="mt-4 flex flex-wrap items-center gap-2">
          {sure ? (
            <Button tone="alarm" disabled={giveUp.isPending} onClick={() => giveUp.mutate()}>
              Yes: give {plural(waiting.length, "device")} up
            </Button>
          ) : null}
          <Button tone="quiet" onClick={() => setSure(!sure)}>
            {sure ? "No" : "Give up…"}
          </Button>
        </div>
      ) : null}
      {giveUp.error ? <Notice tone="alarm">{giveUp.error.message}.</Notice> : null}
    </>
  );
}
