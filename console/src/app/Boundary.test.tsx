// A page that fails takes neither the frame nor the other pages with it.
import { render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { lazy, Suspense } from "react";
import { MemoryRouter, Link, Route, Routes, useLocation } from "react-router";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { Boundary } from "./Boundary";

const Unfetched = lazy(() => Promise.reject(new TypeError("Failed to fetch dynamically imported module")));
function Broken(): never {
  throw new Error("no ruler");
}
function Frame() {
  const { pathname } = useLocation();
  return (
    <>
      <Link to="/whole">another page</Link>
      <Boundary place={pathname}>
        <Suspense fallback="Opening…">
          <Routes>
            <Route path="/unfetched" element={<Unfetched />} />
            <Route path="/broken" element={<Broken />} />
            <Route path="/whole" element={<p>a whole page</p>} />
          </Routes>
        </Suspense>
      </Boundary>
    </>
  );
}
const at = (path: string) =>
  render(
    <MemoryRouter initialEntries={[path]}>
      <Frame />
    </MemoryRouter>,
  );

beforeEach(() => void vi.spyOn(console, "error").mockImplementation(() => undefined));
afterEach(() => void vi.restoreAllMocks());

it("says that a page could not be fetched, and what that means", async () => {
  at("/unfetched");
  expect((await screen.findByRole("alert")).textContent).toContain("the service does not answer, or it was updated");
  expect(screen.getByRole("button", { name: "Load it again" })).toBeTruthy();
});

it("says what went wrong in a page, and lets others be opened", async () => {
  at("/broken");
  expect((await screen.findByRole("alert")).textContent).toContain("Something went wrong in it: no ruler.");
  await userEvent.click(screen.getByRole("link", { name: "another page" }));
  await waitFor(() => expect(screen.getByText("a whole page")).toBeTruthy());
  expect(screen.queryByRole("alert")).toBeNull();
});
