import { afterEach, describe, expect, it, vi } from "vitest";
import { api, Problem, query } from "./client";

const answer = (status: number, body: unknown) => vi.stubGlobal("fetch", vi.fn(async () => new Response(body === undefined ? null : JSON.stringify(body), { status })));

afterEach(() => vi.unstubAllGlobals());

describe("query", () => {
  it("leaves out what was not given, and escapes the rest", () =>
    expect(query({ q: "a b&c", role: undefined, owner: "", limit: 0, unknown: false, cursor: null })).toBe("?q=a+b%26c&limit=0&unknown=false"));
  it("is nothing when nothing is given", () => expect(query({})).toBe(""));
});

describe("calls", () => {
  it("give the answer, or nothing where there is none", async () => {
    answer(200, { id: 3 });
    expect(await api.get("/api/v1/scans/3")).toEqual({ id: 3 });
    answer(204, undefined);
    expect(await api.put("/api/v1/ranges/1/name", { name: "Office" })).toBeUndefined();
  });

  it("fail with the service's own sentence and the place of the fault", async () => {
    answer(422, { code: "bad_range", detail: "300 is over 255", field: "targets", start: 9, end: 12 });
    const problem = await api.get("/api/v1/measure", { range: "10.44.10.300" }).catch((error: unknown) => error);
    expect(problem).toBeInstanceOf(Problem);
    expect(problem).toMatchObject({ status: 422, code: "bad_range", message: "300 is over 255", start: 9, end: 12 });
  });

  it("carry the values now when an edit was stale", async () => {
    answer(409, { code: "stale", detail: "changed meanwhile", current: { name: "Theirs" }, version: 4 });
    const problem = await api.patch("/api/v1/devices/1", { version: 3 }).catch((error: unknown) => error);
    expect(problem).toMatchObject({ code: "stale", current: { name: "Theirs" }, version: 4 });
  });

  it("say so when nobody answers, or not in our words", async () => {
    vi.stubGlobal("fetch", vi.fn(async () => Promise.reject(new TypeError("failed"))));
    await expect(api.get("/api/v1/here")).rejects.toMatchObject({ code: "unreachable" });
    vi.stubGlobal("fetch", vi.fn(async () => new Response("<html>", { status: 502 })));
    await expect(api.get("/api/v1/here")).rejects.toMatchObject({ status: 502, message: "The service answered 502." });
  });
});
