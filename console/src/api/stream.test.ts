import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { listen } from "./stream";

/** Two tabs of one browser: a channel that reaches all others, a lock that one holds, and a stream that can be counted. */
class Channel {
  static all = new Set<Channel>();
  onmessage: ((message: { data: unknown }) => void) | null = null;
  constructor() {
    Channel.all.add(this);
  }
  postMessage(data: unknown) {
    for (const one of Channel.all) if (one !== this) one.onmessage?.({ data });
  }
  close() {
    Channel.all.delete(this);
  }
}
class Stream extends EventTarget {
  static OPEN = 1;
  static opened: Stream[] = [];
  readyState = 1;
  constructor(readonly url: string) {
    super();
    Stream.opened.push(this);
  }
  close() {
    this.readyState = 2;
  }
  say(kind: string, id: string, data: unknown) {
    this.dispatchEvent(Object.assign(new Event(kind), { lastEventId: id, data: JSON.stringify(data) }));
  }
}

let waiting: (() => Promise<void>)[] = [];
let held = false;
const next = async () => {
  const hold = held ? undefined : waiting.shift();
  if (!hold) return;
  held = true;
  await hold();
  held = false;
  await next();
};

beforeEach(() => {
  Channel.all.clear();
  Stream.opened = [];
  waiting = [];
  held = false;
  vi.stubGlobal("BroadcastChannel", Channel);
  vi.stubGlobal("EventSource", Stream);
  vi.stubGlobal("addEventListener", () => undefined);
  vi.stubGlobal("navigator", {
    locks: {
      request: (_: string, __: object, hold: () => Promise<void>) => {
        waiting.push(hold);
        void next();
        return Promise.resolve();
      },
    },
  });
});
afterEach(() => vi.unstubAllGlobals());

it("opens one stream for two tabs, and both hear every event once", () => {
  const heard: [string, string, unknown][] = [];
  listen(
    () => undefined,
    ({ kind, data }) => {
      heard.push(["one", kind, data]);
    },
  );
  listen(
    () => undefined,
    ({ kind, data }) => {
      heard.push(["two", kind, data]);
    },
  );
  expect(Stream.opened).toHaveLength(1);
  Stream.opened[0]!.say("scan", "e-1", { n: 1 });
  expect(heard.toSorted()).toEqual([
    ["one", "scan", { n: 1 }],
    ["two", "scan", { n: 1 }],
  ]);
});

it("hands the stream to the other tab behind the last event when a tab closes", async () => {
  const heard: unknown[] = [];
  const close = listen(
    () => undefined,
    () => undefined,
  );
  listen(
    () => undefined,
    ({ data }) => {
      heard.push(data);
    },
  );
  Stream.opened[0]!.say("devices", "e-7", { ids: [1] });
  close();
  await vi.waitFor(() => expect(Stream.opened).toHaveLength(2));
  expect(Stream.opened[0]!.readyState).toBe(2);
  expect(Stream.opened[1]!.url).toBe("/api/v1/events?after=e-7");
  Stream.opened[1]!.say("devices", "e-8", { ids: [2] });
  expect(heard).toEqual([{ ids: [1] }, { ids: [2] }]);
});

it("tells every tab whether the stream stands", () => {
  const states: boolean[] = [];
  listen(
    () => undefined,
    () => undefined,
  );
  listen(
    (connected) => states.push(connected),
    () => undefined,
  );
  Stream.opened[0]!.dispatchEvent(new Event("error"));
  Stream.opened[0]!.dispatchEvent(new Event("open"));
  expect(states).toEqual([true, false, true]);
});
