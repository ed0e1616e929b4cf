// Signing in by a press of a button, and out again.
import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import { inside } from "../lib/inside";
import { faults, openPage } from "../testing/page";
import { problem, StubbedService } from "../testing/stub";
import { SignIn } from "./SignIn";

const done = () => new Response(null, { status: 204 });

function opened(query: string, service: StubbedService) {
  service.install();
  const go = vi.fn();
  render(<SignIn given={new URLSearchParams(query)} go={go} />);
  return { go, user: userEvent.setup() };
}

describe("the page of a sign-in", () => {
  it("uses nothing up by being opened, and signs in by a press", async () => {
    const service = new StubbedService().on("POST /api/v1/sign-in", done);
    const { go, user } = opened("ticket=abc&to=/fittings/3", service);
    expect(await faults()).toEqual([]);
    expect(service.asked).toEqual([]);
    await user.click(screen.getByRole("button", { name: "Sign in" }));
    await vi.waitFor(() => expect(go).toHaveBeenCalledWith("/fittings/3"));
    expect(service.edits.map((one) => one.body)).toEqual([{ ticket: "abc" }]);
  });

  it("says why it does not work, and can be pressed again", async () => {
    const service = new StubbedService().refuse("POST /api/v1/sign-in", "that sign-in was used already");
    const { go, user } = opened("ticket=abc", service);
    await user.click(screen.getByRole("button", { name: "Sign in" }));
    expect((await screen.findByRole("alert")).textContent).toBe("That sign-in was used already.");
    service.on("POST /api/v1/sign-in", done);
    await user.click(screen.getByRole("button", { name: "Sign in" }));
    await vi.waitFor(() => expect(go).toHaveBeenCalledWith("/"));
  });

  it("says so where the ticket was cut off", () => {
    opened("", new StubbedService());
    expect(screen.queryByRole("button")).toBeNull();
    expect(document.body.textContent).toContain("its ticket is missing");
  });

  it("leads to pages of this console alone", () => {
    for (const wanted of ["//evil.example", "https://evil.example", "/\\evil.example", "javascript:1", "", "/a\r\nb", null])
      expect(inside(wanted)).toBe("/");
    expect(inside("/fittings/3?device=1")).toBe("/fittings/3?device=1");
  });
});

describe("signing out", () => {
  it("ends the session and shows nothing any more", async () => {
    const service = new StubbedService();
    service.on("DELETE /api/v1/session", () => {
      service.on("GET /api/v1/here", () => problem(401, "sign in"));
      return done();
    });
    const { user } = openPage("/devices", service);
    await user.click(await screen.findByRole("button", { name: "Sign out" }));
    await screen.findByRole("heading", { name: "You are not signed in" });
    expect(service.edits.map((one) => one.method)).toEqual(["DELETE"]);
    expect(screen.queryByRole("grid")).toBeNull();
  });
});
