// What the strip of a switch draws of a port, and how its line ends. Pure, tested on its own.
import type { KeptPort } from "../api/types";
import { when } from "./since";

export type PortLook = "off" | "none" | "quiet" | "edge" | "uplink" | "blocked";

export function look(port: KeptPort): PortLook {
  if (port.wanted === "down") return "off";
  if (port.link !== "up") return "none";
  if (/block|discard|alternate|backup/.test(port.tree)) return "blocked";
  if (port.uplink) return "uplink";
  return port.behind_count ? "edge" : "quiet";
}

/** How high a mark stands, 0 to 1: by the doublings of how many hang there; all of many hundred fill it. */
export function height(port: KeptPort): number {
  const drawn = look(port);
  if (drawn === "off" || drawn === "none") return 0.12;
  if (drawn === "quiet") return 0.22;
  return Math.min(0.34 + 0.11 * Math.log2(Math.max(port.behind_count, 1)), 1);
}

/** What was so when its switch was read first may have been so for longer. */
export const since = (atLeast: boolean) => (atLeast ? "at least since" : "since");

/** Since when it is as it is: who hangs there, or that nobody does any more. */
export function sinceSaid(port: KeptPort, now = new Date()): string {
  const first = [...port.behind].sort((a, b) => a.first_seen.localeCompare(b.first_seen))[0];
  if (port.behind_count && !port.uplink && first) return `${since(first.at_least)} ${when(first.first_seen, now)}`;
  if (port.link !== "up" && port.last_seen) return `since ${when(port.last_seen, now)}`;
  if (port.link !== "up") return "and nobody was seen there yet";
  return port.since ? `${since(port.at_least)} ${when(port.since, now)}` : "";
}

export const LOOKS: [PortLook, string][] = [
  ["edge", "somebody hangs there"],
  ["uplink", "leads to other switches"],
  ["blocked", "kept shut"],
  ["quiet", "a link, nobody spoke"],
  ["none", "no link"],
  ["off", "switched off"],
];
