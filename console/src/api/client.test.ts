import { afterEach, describe, expect, it, vi } from "vitest";
import { address, api, Problem } from "./client";

const answer = (status: number, body: unknown) =>
  vi.stubGlobal(
    "fetch",
    vi.fn(async () => new Response(body === undefined ? null : JSON.stringify(body), { status })),
  );

afterEach(() => vi.unstubAllGlobals());

describe("addresses", () => {
  it("leave out what was not given, and escape the rest", () => {
    expect(
      address(
        "/api/v1/devices",
        {},
        { q: "a b&c", role: undefined, owner: "", limit: 0, unknown: false, cursor: null },
      ),
    ).toBe("/api/v1/devices?q=a+b%26c&limit=0&unknown=false");
    expect(address("/api/v1/devices/{which}/retire", { which: "a/b" })).toBe("/api/v1/devices/a%2Fb/retire");
    expect(address("/sheet", {}, { mapping: ["a=x", "b=y"] })).toBe("/sheet?mapping=a%3Dx&mapping=b%3Dy");
  });
});

describe("calls", () => {
  it("give the answer, or nothing where there is none", async () => {
    answer(200, { id: 3 });
    expect(await api.get("/api/v1/scans/{identity}", { path: { identity: 3 } })).toEqual({ id: 3 });
    answer(204, undefined);
    expect(
      await api.put("/api/v1/ranges/{identity}/name", { path: { identity: 1 }, body: { name: "Office" } }),
    ).toBeUndefined();
  });

  it("fail with the service's own sentence and the place of the fault", async () => {
    answer(422, { code: "bad_range", detail: "300 is over 255", field: "targets", start: 9, end: 12 });
    const problem = await api
      .get("/api/v1/measure", { query: { range: "10.44.10.300" } })
      .catch((error: unknown) => error);
    expect(problem).toBeInstanceOf(Problem);
    expect(problem).toMatchObject({ status: 422, code: "bad_range", message: "300 is over 255", start: 9, end: 12 });
  });

  it("carry the values now when an edit was stale", async () => {
    answer(412, { code: "stale", detail: "changed meanwhile", current: { name: "Theirs" }, version: 4 });
    const problem = await api
      .patch("/api/v1/devices/{which}", { path: { which: 1 }, body: { name: "Mine" }, version: 3 })
      .catch((error: unknown) => error);
    const [, sent] = vi.mocked(fetch).mock.calls[0] ?? [];
    expect(sent?.headers).toMatchObject({ "If-Match": '"3"' });
    expect(problem).toMatchObject({ code: "stale", current: { name: "Theirs" }, version: 4 });
  });

  it("go through a list page after page", async () => {
    const pages = [
      { items: [{ id: 1 }, { id: 2 }], next: "x", total: 3 },
      { items: [{ id: 3 }], next: null, total: 3 },
    ];
    vi.stubGlobal(
      "fetch",
      vi.fn(async () => new Response(JSON.stringify(pages.shift()))),
    );
    expect(await api.all("/api/v1/sites")).toEqual([{ id: 1 }, { id: 2 }, { id: 3 }]);
    expect(vi.mocked(fetch).mock.calls.map(([path]) => path)).toEqual([
      "/api/v1/sites?limit=2000",
      "/api/v1/sites?cursor=x&limit=2000",
    ]);
  });

  it("say so when nobody answers, or not in our words", async () => {
    vi.stubGlobal(
      "fetch",
      vi.fn(async () => Promise.reject(new TypeError("failed"))),
    );
    await expect(api.get("/api/v1/here")).rejects.toMatchObject({ code: "unreachable" });
    vi.stubGlobal(
      "fetch",
      vi.fn(async () => new Response("<html>", { status: 502 })),
    );
    await expect(api.get("/api/v1/here")).rejects.toMatchObject({ status: 502, message: "The service answered 502." });
  });
});
