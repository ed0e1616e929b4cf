// What is open in the side sheet stands in the URL as ?open=device:12, ?open=address:10.44.10.41 or ?open=finding:3,
// ?open=port:7.
import { useCallback } from "react";
import { useSearchParams } from "react-router";

export type Open =
  | { kind: "device"; id: number }
  | { kind: "finding"; id: number }
  | { kind: "port"; id: number }
  | { kind: "address"; address: string };

export function parseOpen(text: string | null): Open | null {
  const [kind, rest] = text?.split(/:(.*)/s) ?? [];
  if ((kind === "device" || kind === "finding" || kind === "port") && rest && /^\d+$/.test(rest))
    return { kind, id: Number(rest) };
  if (kind === "address" && rest) return { kind, address: rest };
  return null;
}

export function useOpen(): [Open | null, (what: Open | null) => void] {
  const [params, setParams] = useSearchParams();
  const open = parseOpen(params.get("open"));
  const setOpen = useCallback(
    (what: Open | null) =>
      setParams((before) => {
        const next = new URLSearchParams(before);
        if (what === null) next.delete("open");
        else next.set("open", what.kind === "address" ? `address:${what.address}` : `${what.kind}:${what.id}`);
        return next;
      }),
    [setParams],
  );
  return [open, setOpen];
}
