// Who hands out addresses here: one DISCOVER, all offers, held against the plan. No lease is taken.
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { OfferView } from "../../api/types";
import { sentence } from "../../lib/format";
import { Button, Facts, inputLook, Mono } from "../../parts/basics";

export function AskPanel() {
  const here = useQuery({ queryKey: ["here"], queryFn: () => api.get("/api/v1/here") });
  const adapters = here.data?.adapters.filter((one) => one.medium !== "loopback" && one.addresses.length > 0) ?? [];
  const [adapter, setAdapter] = useState("");
  const ask = useMutation({ mutationFn: () => api.post("/api/v1/dhcp/ask", { body: { adapter: adapter || null } }) });
  return (
    <div>
      <div className="flex flex-wrap items-center gap-2">
        <select
          aria-label="On which adapter"
          value={adapter || here.data?.chosen || ""}
          onChange={(event) => setAdapter(event.target.value)}
          className={inputLook}
        >
          {adapters.map((one) => (
            <option key={one.name} value={one.name}>
              {one.name}, {one.addresses[0]?.subnet.cidr}
            </option>
          ))}
        </select>
        <Button disabled={ask.isPending} onClick={() => ask.mutate()}>
          {ask.isPending ? "Asking for four seconds…" : "Ask who answers"}
        </Button>
        <span className="text-sm text-soft">One DISCOVER with a made-up MAC; no lease is taken.</span>
      </div>
      {ask.error ? (
        <p role="alert" className="mt-1 text-sm text-alarm">
          {ask.error.message}.
        </p>
      ) : null}
      {ask.data ? (
        <p role="status" className={`mt-2 font-semibold ${ask.data.well ? "text-fine" : "text-alarm"}`}>
          {sentence(ask.data.verdict)}.
        </p>
      ) : null}
      <div className="mt-2 grid gap-4 lg:grid-cols-2">
        {ask.data?.offers.map((offer) => (
          <Offer key={offer.server_address + offer.address} offer={offer} />
        ))}
      </div>
    </div>
  );
}

function Offer({ offer }: { offer: OfferView }) {
  return (
    <div className="rounded border border-rule bg-leaf p-3 text-sm">
      <p className="font-semibold">
        <Mono>{offer.server_address}</Mono>{" "}
        {offer.server ? `${offer.server.name}, planned` : <span className="text-alarm">not in the plan</span>}{" "}
        <span className="font-normal text-soft">after {Math.round(offer.after_ms)} ms</span>
      </p>
      <Facts
        rows={[
          [
            "sender",
            <span key="m">
              <Mono>{offer.mac}</Mono> {offer.vendor}
            </span>,
          ],
          ["relay", offer.relay],
          ["offers", <Mono key="a">{offer.address}</Mono>],
          ["mask", <Mono key="k">{offer.mask}</Mono>],
          ["gateway", <Mono key="g">{offer.gateway}</Mono>],
          ["DNS", <Mono key="d">{offer.dns.join(", ")}</Mono>],
          ["domain", offer.domain],
          ["lease", offer.lease_seconds ? `${offer.lease_seconds} s` : null],
        ]}
      />
      {offer.differences.map((one) => (
        <p key={one} className="mt-1 text-amber">
          {sentence(one)}.
        </p>
      ))}
      <details className="mt-1">
        <summary className="cursor-pointer text-soft">all {offer.options.length} options</summary>
        <ul>
          {offer.options.map((one) => (
            <li key={one.code}>
              <span className="inline-block w-8 text-right text-soft">{one.code}</span> {one.name}:{" "}
              <Mono>{one.value}</Mono> <span className="text-soft">{one.source}</span>
            </li>
          ))}
        </ul>
      </details>
    </div>
  );
}
