// Start a scan: a range checked while it is typed, by the service's own rules, and how to ask.
import { useMutation, useQuery } from "@tanstack/react-query";
import { Radar } from "lucide-react";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, Problem } from "../api/client";
import type { Here, MeasureView, ScanRequest } from "../api/types";
import { useDelayed } from "../lib/delayed";
import { count, duration } from "../lib/format";
import { Button, Field, Input, inputLook } from "./basics";

export function ScanForm({ initial, here, onStarted }: { initial: string; here: Here; onStarted?: () => void }) {
  const [range, setRange] = useState(initial);
  const [adapter, setAdapter] = useState("");
  const [pace, setPace] = useState("1000");
  const [names, setNames] = useState(true);
  const [confirm, setConfirm] = useState(false);
  const navigate = useNavigate();
  const wanted = useDelayed(range.trim(), 200);
  const sums = useQuery({
    queryKey: ["measure", wanted],
    queryFn: ({ signal }) => api.get("/api/v1/measure", { query: { range: wanted }, signal }),
    enabled: wanted !== "",
  });
  const start = useMutation({
    mutationFn: (request: Partial<ScanRequest>) => api.post("/api/v1/scans", { body: request }),
    onSuccess: (scan) => {
      onStarted?.();
      navigate(`/scans/${scan.id}`);
    },
  });
  const wrong = sums.error ?? start.error;
  const refused = sums.data?.why_not;
  const paceNumber = Number(pace) || 0;
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        start.mutate({
          targets: wanted ? [range.trim()] : [],
          adapter: adapter || null,
          pace: paceNumber,
          with_names: names,
          confirm,
        });
      }}
    >
      <div className="grid gap-3 sm:grid-cols-[minmax(0,2fr)_minmax(0,1fr)_6rem]">
        <Field
          label="Range"
          wrong={refused ?? (wrong ? <RangeFault text={range} fault={wrong} /> : null)}
          hint={
            sums.data ? (
              <Size sums={sums.data} pace={paceNumber} />
            ) : (
              "10.44.10.0/24, 10.44.10.20-60, a name; “except” leaves out"
            )
          }
        >
          <Input
            value={range}
            onChange={(event) => {
              setRange(event.target.value);
              start.reset();
            }}
            spellCheck={false}
            className="w-full font-mono"
          />
        </Field>
        <Field label="From adapter">
          <select
            value={adapter}
            onChange={(event) => setAdapter(event.target.value)}
            className={`${inputLook} w-full`}
          >
            <option value="">the one that fits</option>
            {here.adapters
              .filter((one) => one.addresses.length > 0)
              .map((one) => (
                <option key={one.name}>{one.name}</option>
              ))}
          </select>
        </Field>
        <Field label="Probes a second">
          <Input
            value={pace}
            onChange={(event) => setPace(event.target.value)}
            inputMode="numeric"
            className="w-full text-right"
          />
        </Field>
      </div>
      <div className="flex flex-wrap items-center gap-4">
        <Button
          tone="ink"
          type="submit"
          disabled={
            start.isPending || !!refused || !!sums.error || paceNumber <= 0 || (sums.data?.needs_confirm && !confirm)
          }
        >
          <Radar className="size-4" aria-hidden /> Scan
        </Button>
        <label className="flex items-center gap-1.5 text-sm">
          <input type="checkbox" checked={names} onChange={(event) => setNames(event.target.checked)} /> ask for names
        </label>
        {sums.data?.needs_confirm ? (
          <label className="flex items-center gap-1.5 text-sm text-amber">
            <input type="checkbox" checked={confirm} onChange={(event) => setConfirm(event.target.checked)} />
            yes, scan {count(sums.data.count)} addresses
          </label>
        ) : null}
      </div>
    </form>
  );
}

function Size({ sums, pace }: { sums: MeasureView; pace: number }) {
  const seconds = pace > 0 ? (sums.count * 3) / pace + 1.5 : 0;
  const one = sums.sums[0];
  const edges =
    sums.sums.length === 1 && one && sums.spans.length === 1 && one.cidr === sums.spans[0] && one.broadcast ? 2 : 0;
  return (
    <>
      {count(sums.count - edges)} addresses, {sums.kind}, at most about {duration(seconds)}
    </>
  );
}

/** What is wrong with the range, and the very place of it. */
function RangeFault({ text, fault }: { text: string; fault: Error }) {
  const at = fault instanceof Problem && fault.code === "bad_range" ? fault : null;
  return (
    <>
      {fault.message}.
      {at && at.start !== undefined && at.end !== undefined && at.end <= text.length ? (
        <span className="block font-mono text-soft">
          {text.slice(0, at.start)}
          <mark className="bg-transparent text-alarm underline decoration-2">{text.slice(at.start, at.end)}</mark>
          {text.slice(at.end)}
        </span>
      ) : null}
    </>
  );
}
