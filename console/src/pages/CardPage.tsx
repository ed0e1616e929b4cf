// The card of an address: the settings to type into the device, on a page that prints, with snippets for hosts.
import { useQuery } from "@tanstack/react-query";
import { Printer } from "lucide-react";
import { useState } from "react";
import { useParams } from "react-router";
import { api } from "../api/client";
import { useDelayed } from "../lib/delayed";
import { Button, Field, Input, Notice } from "../parts/basics";

const TITLES: Record<string, string> = {
  networkd: "systemd-networkd (.network)",
  netplan: "netplan (.yaml)",
  ifupdown: "ifupdown (interfaces)",
  powershell: "PowerShell, as administrator",
};

export default function CardPage() {
  const { address = "" } = useParams();
  const [adapter, setAdapter] = useState("eth0");
  const [kind, setKind] = useState("networkd");
  const named = useDelayed(adapter, 200) || "eth0";
  const card = useQuery({
    queryKey: ["card", address, named],
    queryFn: () => api.get("/api/v1/cards/{address}", { path: { address }, query: { adapter: named } }),
    retry: false,
  });
  if (card.error)
    return (
      <div className="p-6">
        <Notice tone="alarm">{card.error.message}.</Notice>
      </div>
    );
  if (!card.data) return <p className="p-6 text-soft">Reading…</p>;
  const one = card.data;
  return (
    <div className="mx-auto max-w-3xl px-5 py-6 print:p-0">
      <article className="rounded border-2 border-ink bg-leaf p-6 print:border" aria-label="Card">
        <header className="mb-4 flex items-baseline justify-between border-b border-rule pb-2">
          <h1 className="text-2xl font-semibold">{one.full_name || one.address}</h1>
          <span className="text-soft">
            {one.subnet.name} {one.subnet.cidr}
          </span>
        </header>
        <dl className="grid grid-cols-[max-content_1fr] gap-x-8 gap-y-2 text-lg">
          {one.lines.map((line) => (
            <div key={line.name} className="contents">
              <dt className="text-soft">{line.name}</dt>
              <dd className="font-mono break-words">{line.value}</dd>
            </div>
          ))}
        </dl>
        <p className="mt-6 hidden text-sm print:block">
          □ typed in &nbsp; □ saved in the device &nbsp; □ answers &nbsp; □ answers after a power cycle
        </p>
      </article>
      <div className="mt-4 flex items-center gap-3 print:hidden">
        <Button tone="ink" onClick={() => print()}>
          <Printer className="size-4" aria-hidden /> Print
        </Button>
      </div>
      <section className="mt-6 print:hidden">
        <div className="flex flex-wrap items-end gap-2 border-b border-rule">
          {Object.keys(one.snippets).map((name) => (
            <button
              key={name}
              type="button"
              aria-pressed={name === kind}
              onClick={() => setKind(name)}
              className={`border-b-2 px-2 py-1 text-sm ${name === kind ? "border-ink font-semibold" : "border-transparent text-soft hover:text-text"}`}
            >
              {TITLES[name] ?? name}
            </button>
          ))}
          <span className="ml-auto pb-1">
            <Field label="Adapter there">
              <Input
                value={adapter}
                onChange={(event) => setAdapter(event.target.value)}
                className="w-32 font-mono"
                spellCheck={false}
              />
            </Field>
          </span>
        </div>
        <pre tabIndex={0} className="mt-2 overflow-auto rounded border border-rule bg-leaf p-3 font-mono text-sm">
          {one.snippets[kind]}
        </pre>
        <Button className="mt-2" onClick={() => void navigator.clipboard.writeText(one.snippets[kind] ?? "")}>
          Copy
        </Button>
      </section>
    </div>
  );
}
