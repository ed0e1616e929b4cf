// Why is it silent: asks the network and says what was checked, what it found, and what only a person can check.
import { useMutation } from "@tanstack/react-query";
import { api } from "../../api/client";
import type { Why } from "../../api/types";
import { Button, Section } from "../../parts/basics";

const MARKS: Record<Why["checks"][number]["state"], [string, string, string]> = {
  well: ["text-fine", "well", "M2 6.5 5 9.5 10.5 2.5"],
  bad: ["text-alarm", "bad", "M2.5 2.5l7 7M9.5 2.5l-7 7"],
  open: ["text-soft", "open", "M3 6h6"],
};

export function WhySilent({ address }: { address: string }) {
  const ask = useMutation({ mutationFn: () => api.get("/api/v1/why/{address}", { path: { address } }) });
  return (
    <Section
      title="Is it there?"
      aside={
        <Button tone="quiet" disabled={ask.isPending} onClick={() => ask.mutate()}>
          {ask.isPending ? "Asking…" : "Check now"}
        </Button>
      }
    >
      {ask.error ? (
        <p role="alert" className="text-sm text-alarm">
          {ask.error.message}
        </p>
      ) : null}
      {ask.data ? (
        <>
          <p className="font-semibold">{ask.data.verdict}</p>
          <ul className="mt-1 text-sm">
            {ask.data.checks.map((check) => {
              const [colour, word, path] = MARKS[check.state];
              return (
                <li key={check.what + check.found} className="flex gap-2 py-0.5">
                  <svg
                    viewBox="0 0 12 12"
                    className={`mt-1 size-3 shrink-0 ${colour}`}
                    fill="none"
                    stroke="currentColor"
                    strokeWidth="1.8"
                    role="img"
                    aria-label={word}
                  >
                    <path d={path} />
                  </svg>
                  <span className="w-24 shrink-0 text-soft">{check.what}</span>
                  <span>{check.found}</span>
                </li>
              );
            })}
          </ul>
          {ask.data.by_hand.length > 0 ? (
            <>
              <p className="mt-2 text-sm font-semibold">What only a person can check</p>
              <ul className="list-disc pl-5 text-sm">
                {ask.data.by_hand.map((one) => (
                  <li key={one}>{one}</li>
                ))}
              </ul>
            </>
          ) : null}
        </>
      ) : !ask.isPending ? (
        <p className="text-sm text-soft">Asks by ARP, echo and connects, and looks at plan, lease and history.</p>
      ) : null}
    </Section>
  );
}
