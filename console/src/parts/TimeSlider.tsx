// Any past moment: a strip as long as the records reach back, with a mark where much changed; drag it or type a time. The
// moment stands in the URL as ?at=…, so that the ruler and the sheet beside it show the same one.
import { useQuery } from "@tanstack/react-query";
import { History } from "lucide-react";
import { useCallback } from "react";
import { useLocation, useSearchParams } from "react-router";
import { api } from "../api/client";
import { ago, moment } from "../lib/format";
import { bucketHeights } from "../lib/slider";
import { Button } from "./basics";

const STEPS = 1000;

export function useMoment(): [string | null, (at: string | null) => void] {
  const [params, setParams] = useSearchParams();
  const set = useCallback(
    (at: string | null) =>
      setParams(
        (before) => {
          const next = new URLSearchParams(before);
          if (at === null) next.delete("at");
          else next.set("at", at);
          return next;
        },
        { replace: true },
      ),
    [setParams],
  );
  const at = params.get("at");
  return [at && !Number.isNaN(Date.parse(at)) ? at : null, set];
}

/** `beside` the page's own slider it only offers to begin: two of them would say the same. */
export interface Span {
  since: string | null;
  until: string;
  begun: number[];
}

interface Props {
  subject: string;
  beside?: boolean;
  /** How far the records of something reach back that is no address or subnet. */
  reach?: () => Promise<Span>;
}

export function TimeSlider({ subject, beside = false, reach }: Props) {
  const [at, setAt] = useMoment();
  const page = useLocation().pathname.startsWith("/subnets/");
  const span = useQuery({
    queryKey: ["span", subject],
    queryFn: (): Promise<Span> => reach?.() ?? api.get("/api/v1/history/span", { query: { subject } }),
    enabled: at !== null,
    staleTime: 60_000,
  });
  if (at === null)
    return (
      <Button tone="quiet" onClick={() => setAt(new Date().toISOString())}>
        <History className="size-4" aria-hidden /> Look back
      </Button>
    );
  if (beside && page) return null;
  const first = span.data?.since ? Date.parse(span.data.since) : Date.parse(at) - 3_600_000;
  const last = span.data ? Date.parse(span.data.until) : Date.now();
  const long = Math.max(last - first, 1);
  const place = Math.round(((Math.min(Math.max(Date.parse(at), first), last) - first) / long) * STEPS);
  const local = moment(at).replace(" ", "T").slice(0, 16);
  return (
    <div className="mt-2 rounded border border-ink bg-leaf px-3 py-2" aria-label="Time">
      <div className="flex flex-wrap items-center gap-3 text-sm">
        <b className="font-semibold">{moment(at)}</b>
        <span className="text-soft">
          {ago(at)}; the records reach back to {span.data?.since ? moment(span.data.since) : "…"}
        </span>
        <input
          type="datetime-local"
          aria-label="Moment"
          value={local}
          onChange={(event) => event.target.value && setAt(new Date(event.target.value).toISOString())}
          className="ml-auto rounded border border-rule bg-paper px-1.5"
        />
        <Button onClick={() => setAt(null)}>Back to now</Button>
      </div>
      <svg viewBox="0 0 120 12" preserveAspectRatio="none" className="mt-2 h-3 w-full" aria-hidden>
        {bucketHeights(span.data?.begun ?? []).map((height, number) =>
          height > 0 ? (
            <rect key={number} x={number} y={12 - 12 * height} width="0.8" height={12 * height} fill="var(--soft)" />
          ) : null,
        )}
      </svg>
      <input
        type="range"
        min={0}
        max={STEPS}
        value={place}
        aria-label="Slide through time"
        aria-valuetext={moment(at)}
        onChange={(event) => setAt(new Date(first + (Number(event.target.value) / STEPS) * long).toISOString())}
        className="block w-full accent-(--ink)"
      />
    </div>
  );
}
