// One event stream for all tabs of a browser: it allows a service only six connections, so one tab holds the stream and
// tells the others. When that tab closes, another takes over behind the last event it heard, so nothing is missed.
import type { Events } from "./types";

/** One event with the data of its kind; `reset` says that too much was missed. */
export type Happening =
  { [K in keyof Events]: { kind: K; data: Events[K] } }[keyof Events] | { kind: "reset"; data: object };
type Hear = (happening: Happening) => void;
type Message =
  { type: "event"; id: string; happening: Happening } | { type: "connected"; connected: boolean } | { type: "ask" };

const NAME = "roster-events";
// Every kind there is: one that is left out here would never be heard, and the compiler says so.
const KINDS = Object.keys({
  scan: 1,
  devices: 1,
  ranges: 1,
  plan: 1,
  dhcp: 1,
  findings: 1,
  listen: 1,
  watch: 1,
  routes: 1,
  call: 1,
  switch: 1,
  chase: 1,
  fitting: 1,
  kinds: 1,
  wake: 1,
  proof: 1,
  names: 1,
  reset: 1,
} satisfies Record<Happening["kind"], 1>) as Happening["kind"][];

export function listen(onConnected: (connected: boolean) => void, hear: Hear): () => void {
  const channel = new BroadcastChannel(NAME);
  const ending = new AbortController();
  let lastId = "",
    source: EventSource | null = null;

  const tell = (message: Message) => channel.postMessage(message);
  const take = (message: Message) => {
    if (message.type === "ask") {
      if (source) tell({ type: "connected", connected: source.readyState === EventSource.OPEN });
    } else if (message.type === "connected") onConnected(message.connected);
    else {
      lastId = message.id;
      hear(message.happening);
    }
  };
  const both = (message: Message) => {
    tell(message);
    take(message);
  };
  channel.onmessage = (message: MessageEvent<Message>) => take(message.data);

  const open = () => {
    source = new EventSource(`/api/v1/events${lastId ? `?after=${lastId}` : ""}`);
    source.addEventListener("open", () => both({ type: "connected", connected: true }));
    source.addEventListener("error", () => both({ type: "connected", connected: false }));
    source.addEventListener("hello", (event) => {
      lastId = event.lastEventId;
    });
    for (const kind of KINDS)
      source.addEventListener(kind, (event) =>
        both({ type: "event", id: event.lastEventId, happening: { kind, data: JSON.parse(event.data) } as Happening }),
      );
  };
  const hold = () =>
    new Promise<void>((resolve) => {
      open();
      ending.signal.addEventListener("abort", () => {
        source?.close();
        resolve();
      });
    });
  const end = () => {
    ending.abort();
    channel.close();
  };

  tell({ type: "ask" });
  // Locks exist where the page is trusted (TLS, or this machine); elsewhere every tab has a stream of its own.
  if (navigator.locks) navigator.locks.request(NAME, { signal: ending.signal }, hold).catch(() => undefined);
  else void hold();
  addEventListener("pagehide", end, { once: true });
  addEventListener(
    "pageshow",
    (event) => {
      if (event.persisted) location.reload();
    },
    { once: true },
  );
  return end;
}
