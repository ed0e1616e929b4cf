// The results of a scan: those already stored are fetched page by page, those that come in arrive by events.
import { useCallback, useEffect, useRef, useState } from "react";
import { api } from "../../api/client";
import { useLive } from "../../api/live";
import type { AddressResult, ResultPage } from "../../api/types";
import { addressNumber } from "../../lib/format";

const PAGE = 2000;
const MOST = 65_536;

export function useResults(scan: number): { results: AddressResult[]; error: Error | null } {
  const known = useRef(new Map<string, AddressResult>());
  const [results, setResults] = useState<AddressResult[]>([]);
  const [error, setError] = useState<Error | null>(null);
  const { onScan } = useLive();

  const show = useCallback(() => {
    setResults([...known.current.values()].sort((a, b) => addressNumber(a.address) - addressNumber(b.address)));
  }, []);
  const load = useCallback(
    async (signal: { ended: boolean }) => {
      let cursor: string | null = null;
      do {
        const page: ResultPage = await api.get("/api/v1/scans/{identity}/addresses", {
          path: { identity: scan },
          query: { cursor, limit: PAGE },
        });
        if (signal.ended) return;
        for (const result of page.items) known.current.set(result.address, result);
        show();
        cursor = page.next;
      } while (cursor && known.current.size < MOST);
    },
    [scan, show],
  );

  useEffect(() => {
    const signal = { ended: false };
    let missed = false;
    known.current = new Map();
    const begin = () => void load(signal).catch((fault: Error) => setError(fault));
    const off = onScan((event) => {
      if (event.scan.id !== scan) return;
      for (const result of event.addresses) known.current.set(result.address, result);
      missed ||= event.left_out > 0;
      if (event.addresses.length > 0) show();
      if (event.scan.state !== "running" && missed) begin();
    });
    begin();
    return () => {
      signal.ended = true;
      off();
    };
  }, [scan, load, onScan, show]);
  return { results, error };
}
