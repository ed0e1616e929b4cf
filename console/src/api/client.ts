// Calls of the service's API, typed by its description: a path, what goes into it and what comes back belong together. Every failure
// is a Problem (RFC 9457) with a sentence to show.
import type { paths } from "./schema";

export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    detail: string,
    readonly field?: string,
    readonly start?: number,
    readonly end?: number,
    readonly current?: Record<string, string>,
    readonly version?: number,
    readonly anyway?: boolean,
    readonly headers?: string[],
  ) {
    super(detail);
  }
}

type Method = "get" | "post" | "patch" | "put" | "delete";
type PathsOf<M extends Method> = {
  [P in keyof paths]: paths[P] extends Record<M, { responses: unknown }> ? P : never;
}[keyof paths];
type Operation<P extends keyof paths, M extends Method> = M extends keyof paths[P] ? NonNullable<paths[P][M]> : never;
type Given<T> = { [K in keyof T]?: T[K] | null };
type Json<T> = T extends { content: { "application/json": infer J } } ? J : never;

type PathPart<O> = O extends { parameters: { path: infer V } }
  ? { path: { [K in keyof V]: string | number } }
  : { path?: undefined };
type QueryPart<O> = O extends { parameters: { query?: infer Q } }
  ? { query?: Given<NonNullable<Q>> }
  : { query?: undefined };
type BodyPart<O> = O extends { requestBody: infer B } ? { body: Json<B> } : { body?: undefined };
type Input<O> = PathPart<O> & QueryPart<O> & BodyPart<O> & { version?: number; signal?: AbortSignal };
/** What an operation answers when it goes well. */
type Output<O> = O extends { responses: infer R }
  ? R extends { 200: infer A }
    ? Json<A>
    : R extends { 201: infer A }
      ? Json<A>
      : undefined
  : never;
type Rest<O> = Record<never, never> extends Input<O> ? [input?: Input<O>] : [input: Input<O>];

export type Answer<P extends PathsOf<"get">> = Output<Operation<P, "get">>;
type ListPath = {
  [P in PathsOf<"get">]: Answer<P> extends { items: unknown[]; next: string | null } ? P : never;
}[PathsOf<"get">];
type Item<P extends ListPath> = Answer<P> extends { items: (infer I)[] } ? I : never;

type Loose = {
  path?: Record<string, string | number>;
  query?: object;
  body?: unknown;
  version?: number;
  signal?: AbortSignal;
};
const PAGE = 2000;

/** A path with its parts and parameters filled in. Parameters that are null, undefined or empty are left out. */
export function address(path: string, parts: Record<string, string | number> = {}, query: object = {}): string {
  const filled = path.replace(/\{(\w+)\}/g, (_, name: string) => encodeURIComponent(String(parts[name])));
  const pairs = Object.entries(query).flatMap(([name, value]) =>
    (Array.isArray(value) ? value : [value]).map((one: unknown) => [name, one] as const),
  );
  const given = pairs.filter(([, value]) => value !== null && value !== undefined && value !== "");
  const text = new URLSearchParams(given.map(([name, value]) => [name, String(value)])).toString();
  return text ? `${filled}?${text}` : filled;
}

async function send<T>(method: string, path: string, input: Loose = {}): Promise<T> {
  const headers: Record<string, string> = {};
  const file = input.body instanceof Blob;
  if (input.body !== undefined && !file) headers["Content-Type"] = "application/json";
  if (input.version !== undefined) headers["If-Match"] = `"${input.version}"`;
  let response: Response;
  try {
    response = await fetch(address(path, input.path, input.query), {
      method,
      signal: input.signal,
      headers,
      body: input.body === undefined ? undefined : input.body instanceof Blob ? input.body : JSON.stringify(input.body),
    });
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new Problem(0, "unreachable", "The service does not answer. Is it still running?");
  }
  if (!response.ok) throw await problemOf(response);
  return (response.status === 204 ? undefined : await response.json()) as T;
}

/** A file that the service makes of what it is given. */
async function made(path: string, body: unknown, signal?: AbortSignal): Promise<Blob> {
  const response = await fetch(path, {
    method: "POST",
    signal,
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify(body),
  });
  if (!response.ok) throw await problemOf(response);
  return response.blob();
}

async function problemOf(response: Response): Promise<Problem> {
  try {
    const p = await response.json();
    const { code, detail, field, start, end, current, version, anyway, headers } = p;
    return new Problem(response.status, code, detail, field, start, end, current, version, anyway, headers);
  } catch {
    return new Problem(response.status, "http", `The service answered ${response.status}.`);
  }
}

/** How far a list is read that is read whole: how many of how many, where that is known. */
export type Told = (read: number, total: number | null) => void;

/** Every item of a list, page after page, until it is stopped by its signal. */
async function all<P extends ListPath>(
  path: P,
  input?: PathPart<Operation<P, "get">> & QueryPart<Operation<P, "get">> & { signal?: AbortSignal },
  told?: Told,
): Promise<Item<P>[]> {
  const found: Item<P>[] = [];
  let cursor: string | null = null;
  do {
    const page: { items: Item<P>[]; next: string | null; total?: number | null } = await send("GET", path, {
      ...input,
      query: { ...input?.query, cursor, limit: PAGE },
    });
    found.push(...page.items);
    told?.(found.length, page.total ?? null);
    cursor = page.next;
  } while (cursor !== null);
  return found;
}

export const api = {
  all,
  get: <P extends PathsOf<"get">>(path: P, ...[input]: Rest<Operation<P, "get">>) =>
    send<Answer<P>>("GET", path, input),
  post: <P extends PathsOf<"post">>(path: P, ...[input]: Rest<Operation<P, "post">>) =>
    send<Output<Operation<P, "post">>>("POST", path, input),
  patch: <P extends PathsOf<"patch">>(path: P, ...[input]: Rest<Operation<P, "patch">>) =>
    send<Output<Operation<P, "patch">>>("PATCH", path, input),
  put: <P extends PathsOf<"put">>(path: P, ...[input]: Rest<Operation<P, "put">>) =>
    send<Output<Operation<P, "put">>>("PUT", path, input),
  remove: <P extends PathsOf<"delete">>(path: P, ...[input]: Rest<Operation<P, "delete">>) =>
    send<Output<Operation<P, "delete">>>("DELETE", path, input),
  /** A workbook with one table. */
  workbook: (body: BodyPart<Operation<"/api/v1/sheets/workbook", "post">>["body"], signal?: AbortSignal) =>
    made("/api/v1/sheets/workbook", body, signal),
  /** A spreadsheet as it is, to be read by the service. */
  sheet: (file: Blob, query: { dry_run: boolean; limit: number; mapping?: string[] }) =>
    send<Output<Operation<"/api/v1/sheets/import", "post">>>("POST", "/api/v1/sheets/import", { query, body: file }),
};
