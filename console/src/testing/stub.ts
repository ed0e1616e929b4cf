// A stubbed service for the console's tests. It answers as the demo site's service did (answers.json, recorded by a tool), except
// where a test says otherwise, and notes what it was asked. It never reaches a network.
import { vi } from "vitest";
import recorded from "./answers.json";

export interface Asked {
  method: string;
  path: string;
  query: URLSearchParams;
  body: unknown;
  /** The version that an edit was based on (If-Match), without its quotes. */
  version: string | undefined;
}
type Answerer = (asked: Asked) => unknown;

const RECORDED = new Map<string, unknown>(Object.entries(recorded));
/** What the frame around all pages reads. */
const FRAME = new Set(["/api/v1/here", "/api/v1/findings"]);
const NO_SUCH = { code: "not_found", detail: "there is no such thing in the stub" };

/** A problem document (RFC 9457) as the service sends it. */
export function problem(status: number, detail: string, more: Record<string, unknown> = {}): Response {
  return new Response(JSON.stringify({ status, code: "refused", detail, ...more }), { status });
}

export class StubbedService {
  readonly asked: Asked[] = [];
  /** True: nothing answers, as when the service has ended. */
  offline = false;
  /** How many reads wait since `holdReads`. */
  waiting = 0;
  private holding = false;
  private readonly answers = new Map<string, Answerer>();
  private readonly held: { key: string; release: () => void; gone: Promise<void> }[] = [];
  private readonly streams = new Set<StubbedStream>();

  /** What is answered to a method and path, such as "GET /api/v1/sites": a value, a Response, or a function of what was asked. */
  on(key: string, answer: unknown): this {
    this.answers.set(key, typeof answer === "function" ? (answer as Answerer) : () => answer);
    return this;
  }

  /** Refuse a method and path with a problem. */
  refuse(key: string, detail: string, status = 403, more: Record<string, unknown> = {}): this {
    return this.on(key, () => problem(status, detail, more));
  }

  /** Refuse every read but those of the frame around all pages. */
  refuseReads(detail: string, status = 500): this {
    for (const key of this.answers.keys()) if (key.startsWith("GET ")) this.answers.delete(key);
    return this.on("GET *", () => problem(status, detail));
  }

  /** Let answers to a method and path wait until the returned function is called. */
  hold(key: string): () => void {
    let release = () => undefined as void;
    const gone = new Promise<void>((resolve) => (release = resolve));
    this.held.push({ key, release, gone });
    return release;
  }

  /** Let every read wait, but those of the frame around all pages. */
  holdReads(): void {
    this.holding = true;
  }

  /** Every list is empty. */
  empty(): this {
    for (const [path, answer] of RECORDED)
      if (isPage(answer)) this.on(`GET ${path}`, () => ({ ...answer, items: [], next: null, total: 0 }));
    return this;
  }

  /** Tell every page of something that happened, as the service does over its stream of events. */
  tell(kind: string, data: object): void {
    for (const stream of this.streams) stream.say(kind, data);
  }

  /** What was asked to change something, the earliest first. */
  get edits(): Asked[] {
    return this.asked.filter((one) => one.method !== "GET");
  }

  /** Put the stub in the place of fetch and EventSource. */
  install(): this {
    vi.stubGlobal("fetch", (path: string, init?: RequestInit) => this.fetch(path, init));
    const streams = this.streams;
    vi.stubGlobal(
      "EventSource",
      class extends StubbedStream {
        constructor() {
          super();
          streams.add(this);
        }
        override close() {
          streams.delete(this);
        }
      },
    );
    return this;
  }

  private async fetch(address: string, init: RequestInit = {}): Promise<Response> {
    const [path, query] = address.split("?");
    const headers = (init.headers ?? {}) as Record<string, string>;
    const asked: Asked = {
      method: init.method ?? "GET",
      path: decodeURIComponent(path!),
      query: new URLSearchParams(query),
      body: typeof init.body === "string" ? JSON.parse(init.body) : init.body,
      version: headers["If-Match"]?.replaceAll('"', ""),
    };
    this.asked.push(asked);
    if (this.offline) throw new TypeError("fetch failed");
    const key = `${asked.method} ${asked.path}`;
    if (this.holding && asked.method === "GET" && !FRAME.has(asked.path)) {
      this.waiting += 1;
      await new Promise(() => undefined);
    }
    await Promise.all(this.held.filter((one) => one.key === key).map((one) => one.gone));
    const answer = this.answerOf(key, asked);
    return answer instanceof Response ? answer.clone() : new Response(JSON.stringify(answer));
  }

  private answerOf(key: string, asked: Asked): unknown {
    const told = this.answers.get(key);
    if (told) return told(asked);
    if (asked.method === "GET") {
      const every = this.answers.get("GET *");
      if (every && !FRAME.has(asked.path)) return every(asked);
      if (RECORDED.has(asked.path)) return RECORDED.get(asked.path);
      const alike = [...RECORDED].find(([path]) => shape(path) === shape(asked.path));
      return alike ? alike[1] : problem(404, NO_SUCH.detail, NO_SUCH);
    }
    return {};
  }
}

/** The answer of the demo site to a read, for a test that changes a part of it. */
export function answered<T>(path: string): T {
  if (!RECORDED.has(path)) throw new Error(`${path} was not recorded`);
  return structuredClone(RECORDED.get(path)) as T;
}

/** A path without its numbers, addresses and names of things. */
const shape = (path: string) => path.replace(/\/(\d[^/]*|10\.[\d./]+)(?=\/|$)/g, "/*");

function isPage(answer: unknown): answer is { items: unknown[] } {
  return typeof answer === "object" && answer !== null && Array.isArray((answer as { items?: unknown }).items);
}

class StubbedStream extends EventTarget {
  static readonly OPEN = 1;
  readyState = 1;
  constructor() {
    super();
    queueMicrotask(() => this.dispatchEvent(new Event("open")));
  }
  say(kind: string, data: object): void {
    this.dispatchEvent(Object.assign(new Event(kind), { data: JSON.stringify(data), lastEventId: "1" }));
  }
  close(): void {}
}
