// The event stream: one connection for the whole console. It refreshes what changed and hands scan events to whoever asks.
import { useQueryClient, type QueryClient } from "@tanstack/react-query";
import { createContext, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from "react";
import { listen } from "./stream";
import type { HeardEvent, ScanEvent, ScanInfo } from "./types";

type Listener = (event: ScanEvent) => void;
type HeardListener = (event: HeardEvent) => void;

interface Live {
  connected: boolean;
  onScan(listener: Listener): () => void;
  onHeard(listener: HeardListener): () => void;
}

const LiveContext = createContext<Live>({
  connected: false,
  onScan: () => () => undefined,
  onHeard: () => () => undefined,
});
const REFRESH_MS = 700;

export const useLive = () => useContext(LiveContext);

export function LiveProvider({ children }: { children: ReactNode }) {
  const client = useQueryClient();
  const listeners = useRef(new Set<Listener>());
  const hearing = useRef(new Set<HeardListener>());
  const [connected, setConnected] = useState(false);

  useEffect(() => {
    const refresh = throttledRefresh(client);
    return listen(setConnected, (happening) => {
      if (happening.kind === "scan") {
        const event = happening.data;
        client.setQueryData<ScanInfo>(["scan", event.scan.id], event.scan);
        for (const listener of listeners.current) listener(event);
        if (event.scan.state !== "running")
          refresh(["scans", "subnets", "ruler", "here", "explain", "devices", "device"]);
      } else if (happening.kind === "devices") {
        const event = happening.data;
        refresh(["devices", "here", "subnets", "ruler", "explain"]);
        if (event.edited) refresh(["changes"]); // what is only seen is no edit, and comes by the second
        if (event.ids === null) refresh(["device"]);
        else for (const id of event.ids) void client.invalidateQueries({ queryKey: ["device", id] });
      } else if (happening.kind === "plan")
        refresh(["plan", "ruler", "explain", "assignments", "assignment", "bands", "dhcp", "card", "changes"]);
      else if (happening.kind === "dhcp")
        refresh(["dhcp", "findings", "assignments", "assignment", "plan", "ruler", "changes"]);
      else if (happening.kind === "ranges") refresh(["ranges", "here", "subnets", "ruler", "changes"]);
      else if (happening.kind === "findings") refresh(["findings"]);
      else if (happening.kind === "listen") for (const listener of hearing.current) listener(happening.data);
      else if (happening.kind === "watch") refresh(["watches", "listening", "changes"]);
      else if (happening.kind === "switch")
        refresh([
          "switches",
          "ports",
          "port",
          "where",
          "pairs",
          "credentials",
          "changes",
          "links",
          "map",
          "path",
          "port-orders",
        ]);
      else if (happening.kind === "chase") refresh(["chases", "chase"]);
      else if (happening.kind === "call") refresh(["calls", "call-lines", "changes"]);
      else if (happening.kind === "fitting") refresh(["fittings", "fitting", "changes"]);
      else if (happening.kind === "wake") refresh(["wake"]);
      else if (happening.kind === "kinds") refresh(["kinds", "fitting", "changes"]);
      else if (happening.kind === "routes") refresh(["notices", "changes"]);
      else if (happening.kind === "reset") void client.invalidateQueries();
    });
  }, [client]);

  const live = useMemo<Live>(
    () => ({
      connected,
      onScan(listener) {
        listeners.current.add(listener);
        return () => listeners.current.delete(listener);
      },
      onHeard(listener) {
        hearing.current.add(listener);
        return () => hearing.current.delete(listener);
      },
    }),
    [connected],
  );
  return <LiveContext.Provider value={live}>{children}</LiveContext.Provider>;
}

/** Collects what is to be fetched again and does so at most every REFRESH_MS, so that a busy scan does not flood us. */
function throttledRefresh(client: QueryClient): (keys: string[]) => void {
  const due = new Set<string>();
  let timer: ReturnType<typeof setTimeout> | undefined;
  return (keys) => {
    for (const key of keys) due.add(key);
    timer ??= setTimeout(() => {
      timer = undefined;
      for (const key of due) void client.invalidateQueries({ queryKey: [key] });
      due.clear();
    }, REFRESH_MS);
  };
}
