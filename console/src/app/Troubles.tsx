// What goes wrong where no form tells it: fetching again in the background, a press whose error nobody shows, a fault of ours.
import { MutationCache, QueryCache } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useSyncExternalStore } from "react";
import { Problem } from "../api/client";
import { sentence } from "../lib/format";

let told: readonly string[] = [];
const listeners = new Set<() => void>();
const MOST = 3;
/** How long a form has to show an error itself, in milliseconds. */
const PATIENCE = 150;

function change(next: readonly string[]): void {
  told = next;
  for (const listener of listeners) listener();
}

const waiting = new Set<ReturnType<typeof setTimeout>>();

/** How many errors wait for a part of the page to show them: for tests. */
export const troublesWaiting = () => waiting.size;

/** Put away all that is told, and what is about to be: for tests, which share a document. */
export function clearTroubles(): void {
  for (const timer of waiting) clearTimeout(timer);
  waiting.clear();
  change([]);
}

export function tell(message: string): void {
  if (!told.includes(message)) change([...told, message].slice(-MOST));
}

/** An error that no part of the page shows by then is told here. */
function tellUnlessShown(error: Error): void {
  const timer = setTimeout(() => {
    waiting.delete(timer);
    const message = error.message.toLowerCase().replace(/\.$/, "");
    // An alert that tells it in words of its own says so in `data-told`.
    const shown = [...document.querySelectorAll<HTMLElement>("[role=alert]")].some((one) =>
      `${one.textContent} ${one.dataset.told ?? ""}`.toLowerCase().includes(message),
    );
    if (!shown) tell(sentence(error.message));
  }, PATIENCE);
  waiting.add(timer);
}

const signedOut = (error: Error) => error instanceof Problem && error.status === 401;

export const queryCache = new QueryCache({
  onError: (error, query) => {
    if (signedOut(error)) return;
    if (query.state.data !== undefined) tell(`What is shown may be old: ${error.message}`);
    else tellUnlessShown(error);
  },
  onSuccess: () => {
    if (told.some((one) => one.startsWith("What is shown may be old")))
      change(told.filter((one) => !one.startsWith("What is shown may be old")));
  },
});

export const mutationCache = new MutationCache({ onError: (error) => tellUnlessShown(error) });

export function watchFaults(): void {
  addEventListener("unhandledrejection", (event) => {
    if (event.reason instanceof Error && event.reason.name !== "AbortError") tellUnlessShown(event.reason);
  });
}

export function Troubles() {
  const messages = useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => told,
  );
  if (messages.length === 0) return null;
  return (
    <ul className="border-b border-alarm bg-leaf px-4 py-1 text-sm text-alarm print:hidden">
      {messages.map((message) => (
        <li key={message} role="alert" className="flex items-center gap-2">
          {message.replace(/\.$/, "")}.
          <button
            type="button"
            aria-label={`Put away: ${message}`}
            className="rounded p-0.5 hover:bg-wash"
            onClick={() => change(told.filter((one) => one !== message))}
          >
            <X className="size-4" aria-hidden />
          </button>
        </li>
      ))}
    </ul>
  );
}
