// Runs before the console's tests: one patience for all waits, which the runner of the tests measures, and what jsdom lacks.
import { cleanup, configure } from "@testing-library/react";
import { afterEach, vi } from "vitest";
import { clearTroubles, mutationCache, queryCache } from "../app/Troubles";

export const PATIENCE_MS = Number(import.meta.env.VITE_TEST_PATIENCE_MS);

// Shorter than a test may take: it is the wait that says what it waited for.
configure({ asyncUtilTimeout: PATIENCE_MS / 3 });

if (typeof window !== "undefined") {
  // jsdom has no layout: every element is as wide and high as a window of 20 rows, and everything is in view.
  Object.defineProperty(HTMLElement.prototype, "clientHeight", { configurable: true, get: () => 640 });
  Object.defineProperty(HTMLElement.prototype, "clientWidth", { configurable: true, get: () => 900 });
  Element.prototype.scrollTo = () => undefined;
  Element.prototype.scrollIntoView = () => undefined;
  Element.prototype.hasPointerCapture = () => false;
  Element.prototype.setPointerCapture = () => undefined;
  Element.prototype.releasePointerCapture = () => undefined;
  globalThis.ResizeObserver = class {
    constructor(private readonly told: ResizeObserverCallback) {}
    observe(target: Element) {
      const contentRect = { width: 900, height: 640 } as DOMRectReadOnly;
      this.told([{ target, contentRect } as ResizeObserverEntry], this as unknown as ResizeObserver);
    }
    unobserve() {}
    disconnect() {}
  };
  globalThis.IntersectionObserver = class {
    constructor(private readonly told: IntersectionObserverCallback) {}
    observe(target: Element) {
      this.told(
        [{ target, isIntersecting: true } as IntersectionObserverEntry],
        this as unknown as IntersectionObserver,
      );
    }
    unobserve() {}
    disconnect() {}
    takeRecords = () => [];
    root = null;
    rootMargin = "";
    thresholds = [];
  } as unknown as typeof IntersectionObserver;
  window.matchMedia = (query: string) =>
    ({ matches: false, media: query, addEventListener() {}, removeEventListener() {} }) as unknown as MediaQueryList;
}

/** What jsdom itself computes, from all its rules and anew for each question, a tenth of the time of all tests. */
export const computedStyle = typeof window === "undefined" ? undefined : window.getComputedStyle.bind(window);
const displays = new Map<string, string>();

if (computedStyle) {
  // No style sheet of the console is loaded here: its tag and its own attributes decide what an element looks like. Not covered: inherited
  // visibility, and the contents of a closed <details>, which count as visible.
  const displayOf = (tag: string) => {
    const known = displays.get(tag) ?? computedStyle(document.createElement(tag)).display;
    displays.set(tag, known);
    return known;
  };
  window.getComputedStyle = (element: Element) => {
    const own = (element as HTMLElement).style;
    const display = element.hasAttribute("hidden") ? "none" : own.display || displayOf(element.localName);
    const words: Record<string, string> = { display, visibility: own.visibility || "visible" };
    const getPropertyValue = (name: string) => words[name] ?? own.getPropertyValue(name);
    return { ...words, pointerEvents: own.pointerEvents, getPropertyValue } as unknown as CSSStyleDeclaration;
  };
}

afterEach(() => {
  cleanup();
  queryCache.clear();
  mutationCache.clear();
  clearTroubles();
  vi.unstubAllGlobals();
  if (typeof localStorage !== "undefined") localStorage.clear();
});
