// Opens a page of the console in a test as the browser would: with its frame, its stream of events and its queries.
import { QueryClientProvider } from "@tanstack/react-query";
import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import axe from "axe-core";
import { MemoryRouter, useLocation } from "react-router";
import { LiveProvider } from "../api/live";
import { Pages } from "../app/Pages";
import { newQueryClient } from "../app/queries";
import { Shell } from "../app/Shell";
import { computedStyle } from "./setup";
import { StubbedService } from "./stub";

let at = "";
function Place() {
  const { pathname, search } = useLocation();
  at = pathname + search;
  return null;
}

/** Open a path on a stubbed service; gives the service, the person's hands, and the page. */
export function openPage(path: string, service = new StubbedService()) {
  service.install();
  const client = newQueryClient();
  const options = client.getDefaultOptions();
  client.setDefaultOptions({ ...options, queries: { ...options.queries, retryDelay: 0 } });
  const { container } = render(
    <QueryClientProvider client={client}>
      <MemoryRouter initialEntries={[path]}>
        <Place />
        <LiveProvider>
          <Shell>
            <Pages />
          </Shell>
        </LiveProvider>
      </MemoryRouter>
    </QueryClientProvider>,
  );
  return { service, user: userEvent.setup(), container, client, where: () => at };
}

/** The rows of a list, without its head. */
export const rows = () => within(screen.getByRole("grid")).getAllByRole("row").slice(1);

/** All that a page says, with single spaces. */
export const text = () => (document.body.textContent ?? "").replace(/\s+/g, " ");

/** What a screen reader would stumble over. Contrasts need colours, which jsdom does not compute. */
export async function faults(): Promise<string[]> {
  const quick = window.getComputedStyle;
  window.getComputedStyle = computedStyle!;
  const found = await axe
    .run(document.body, { rules: { region: { enabled: false }, "color-contrast": { enabled: false } } })
    .finally(() => (window.getComputedStyle = quick));
  return found.violations.map((one) => `${one.id}: ${one.nodes.map((node) => node.html.slice(0, 160)).join(" | ")}`);
}

/** Put text into a field at once, behind what stands there: typed key by key it would be drawn anew for each. */
export async function write(
  user: ReturnType<typeof userEvent.setup>,
  field: HTMLElement,
  words: string,
): Promise<void> {
  await user.click(field);
  await user.paste(words);
}
