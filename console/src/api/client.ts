// Calls of the service's API. Every failure is a Problem (RFC 9457) with a sentence to show.

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
  ) {
    super(detail);
  }
}

type Param = string | number | boolean | null | undefined;
type Params = Record<string, Param | Param[]>;

export function query(params: Params): string {
  const pairs = Object.entries(params).flatMap(([name, value]) => (Array.isArray(value) ? value : [value]).map((one) => [name, one] as const));
  const given = pairs.filter(([, value]) => value !== null && value !== undefined && value !== "");
  const text = new URLSearchParams(given.map(([name, value]) => [name, String(value)])).toString();
  return text ? `?${text}` : "";
}

async function send<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  let response: Response;
  try {
    response = await fetch(path, {
      method,
      signal,
      headers: body === undefined || body instanceof Blob ? {} : { "Content-Type": "application/json" },
      body: body === undefined ? undefined : body instanceof Blob ? body : JSON.stringify(body),
    });
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new Problem(0, "unreachable", "The service does not answer. Is it still running?");
  }
  if (!response.ok) throw await problemOf(response);
  return (response.status === 204 ? undefined : await response.json()) as T;
}

async function problemOf(response: Response): Promise<Problem> {
  try {
    const p = await response.json();
    return new Problem(response.status, p.code, p.detail, p.field, p.start, p.end, p.current, p.version, p.anyway);
  } catch {
    return new Problem(response.status, "http", `The service answered ${response.status}.`);
  }
}

export const api = {
  get: <T>(path: string, params: Params = {}, signal?: AbortSignal) => send<T>("GET", path + query(params), undefined, signal),
  post: <T>(path: string, body: unknown = {}, signal?: AbortSignal) => send<T>("POST", path, body, signal),
  patch: <T>(path: string, body: unknown) => send<T>("PATCH", path, body),
  put: <T>(path: string, body: unknown) => send<T>("PUT", path, body),
  remove: <T>(path: string) => send<T>("DELETE", path),
};
