// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import { devicesOf, GiveSeveral } from "./GiveSeveral";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("a list of MACs", () => {
  it("is read in any notation, with names behind them, whatever stands between", () =>
    expect(devicesOf("02:c0:44:00:88:01 press-1\n\n 02-C0-44-00-88-02,press-2\r\n02c044008803\tpress 3\n")).toEqual([
      { mac: "02:c0:44:00:88:01", name: "press-1" },
      { mac: "02-C0-44-00-88-02", name: "press-2" },
      { mac: "02c044008803", name: "press 3" },
    ]));

  const show = (answer: (body: { mac: string; name: string }) => Promise<Response>) => {
    const asked = vi.fn<(path: string, init: RequestInit) => Promise<Response>>((_, init) =>
      answer(JSON.parse(String(init.body)) as { mac: string; name: string }),
    );
    vi.stubGlobal("fetch", asked);
    render(
      <QueryClientProvider client={new QueryClient()}>
        <GiveSeveral where="10.44.50.0/24" role="printer" onClose={() => undefined} />
      </QueryClientProvider>,
    );
    return asked;
  };
  const json = (status: number, body: object) => new Response(JSON.stringify(body), { status });

  it("is given addresses one after the other, and who gets none is told with the reason", async () => {
    const user = userEvent.setup();
    const asked = show(async ({ mac }) =>
      mac.endsWith("02")
        ? json(422, { code: "bad_input", detail: "it is no MAC", field: "mac" })
        : json(201, { address: `10.44.50.1${mac.slice(-2)}` }),
    );
    await user.type(screen.getByRole("textbox"), "02:c0:44:00:88:01 press-1{Enter}nonsense-02{Enter}02:c0:44:00:88:03");
    await user.click(screen.getByRole("button", { name: "Give 3 devices an address each" }));
    await waitFor(() =>
      expect(screen.getByRole("status").textContent).toContain("2 devices got an address, 1 did not"),
    );
    expect(screen.getAllByRole("listitem").map((one) => one.textContent)).toEqual([
      "02:c0:44:00:88:01 press-1: 10.44.50.101, reserved.",
      "nonsense-02: It is no MAC.",
      "02:c0:44:00:88:03: 10.44.50.103, reserved.",
    ]);
    expect(JSON.parse(String(asked.mock.calls[0]![1].body))).toEqual({
      where: "10.44.50.0/24",
      kind: "reserved",
      mac: "02:c0:44:00:88:01",
      name: "press-1",
      role: "printer",
    });
  });

  it("is stopped between two of them", async () => {
    const user = userEvent.setup();
    let go: (value: Response) => void = () => undefined;
    const asked = show(() => new Promise((resolve) => (go = resolve)));
    await user.type(screen.getByRole("textbox"), "02:c0:44:00:88:01{Enter}02:c0:44:00:88:02");
    await user.click(screen.getByRole("button", { name: "Give 2 devices an address each" }));
    await user.click(await screen.findByRole("button", { name: "Stop" }));
    go(json(201, { address: "10.44.50.101" }));
    await waitFor(() => expect(screen.getByRole("status").textContent).toContain("1 device got an address"));
    expect(asked).toHaveBeenCalledOnce();
  });
});
