// How a device is reached that is in a foreign subnet or has no address: what this machine can do, what a computer is given meanwhile.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { FittedView, FittingView } from "../../api/types";
import { moment, sentence } from "../../lib/format";
import { Button, Mono, Section } from "../../parts/basics";

export function Reach({ fitting, device }: { fitting: FittingView; device: FittedView }) {
  const client = useQueryClient();
  const [consent, setConsent] = useState(false);
  const path = { identity: fitting.id };
  const body = { fitted_id: device.id };
  const done = { onSuccess: (now: FittingView) => client.setQueryData(["fitting", fitting.id], now) };
  const lend = useMutation({ mutationFn: () => api.post("/api/v1/fittings/{identity}/lend", { path, body }), ...done });
  const back = useMutation({
    mutationFn: () => api.post("/api/v1/fittings/{identity}/take-back", { path, body }),
    ...done,
  });
  const answer = useMutation({
    mutationFn: () =>
      api.post("/api/v1/fittings/{identity}/answer", { path, body: { fitted_id: device.id, consent: true } }),
    ...done,
  });
  const silence = useMutation({
    mutationFn: () => api.post("/api/v1/fittings/{identity}/answer-no-more", { path, body }),
    ...done,
  });
  const reach = device.reach;
  if (!reach) return null;
  const fault = lend.error ?? back.error ?? answer.error ?? silence.error;
  const asks = device.step === "reach" || reach.answering;
  return (
    <Section title="Reach it">
      {reach.lent ? (
        <p>
          <Mono>{reach.lent.adapter}</Mono> has <Mono>{reach.lent.address}</Mono> to reach it. It is renewed until the
          device is seen at its new address; by itself it goes at {moment(reach.lent.until).slice(11)}.{" "}
          <Button disabled={back.isPending} onClick={() => back.mutate()}>
            Take it back
          </Button>
        </p>
      ) : device.found?.address ? (
        reach.lend_refused ? (
          <p className="text-sm text-soft">This machine cannot reach it: {reach.lend_refused}.</p>
        ) : (
          <p className="flex flex-wrap items-center gap-2">
            <Button disabled={lend.isPending} onClick={() => lend.mutate()}>
              {lend.isPending ? "Asking for a free address…" : "Let this machine reach it"}
            </Button>
            <span className="text-sm text-soft">
              its adapter is lent an address beside the device's, which goes by itself
            </span>
          </p>
        )
      ) : null}
      {asks ? (
        reach.answering ? (
          <p>
            {sentence(reach.answer_said)}.{" "}
            <Button disabled={silence.isPending} onClick={() => silence.mutate()}>
              Answer no more
            </Button>
          </p>
        ) : reach.answer_refused ? (
          <p className="text-sm text-soft">It is not answered from here: {reach.answer_refused}.</p>
        ) : (
          <div className="flex flex-col items-start gap-2">
            <label className="flex items-start gap-2 text-sm">
              <input type="checkbox" className="mt-1" checked={consent} onChange={() => setConsent(!consent)} />
              <span>
                Answer it from here, with {device.address} and for this MAC alone. A guarded switch may shut our own
                port for it.
                {reach.bootp ? " By BOOTP it keeps the address until it is told otherwise." : " For five minutes."}
              </span>
            </label>
            <Button tone="ink" disabled={!consent || answer.isPending} onClick={() => answer.mutate()}>
              {answer.isPending ? "Asking for servers first, ten seconds…" : "Answer it"}
            </Button>
          </div>
        )
      ) : null}
      {fault ? (
        <p role="alert" className="text-sm text-alarm">
          {fault.message}.
        </p>
      ) : null}
      {reach.address ? (
        <details className="mt-2 text-sm">
          <summary className="cursor-pointer">With a laptop instead</summary>
          <p className="mt-1">
            Give it <Mono>{reach.address}</Mono>, mask <Mono>{reach.mask}</Mono>, and put it back afterwards:
          </p>
          <dl className="mt-1 flex flex-col gap-2">
            {reach.commands.map((one) => (
              <div key={one.system}>
                <dt className="text-soft">{one.system}</dt>
                <dd className="font-mono break-all">{one.do}</dd>
                <dd className="font-mono break-all text-soft">{one.undo}</dd>
              </div>
            ))}
          </dl>
        </details>
      ) : null}
    </Section>
  );
}
