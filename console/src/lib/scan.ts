// Which of two reports of one scan is the later one: an answer that was on its way may come behind an event that overtook it. Pure.
import type { ScanInfo } from "../api/types";

export function later(one: ScanInfo, other: ScanInfo | undefined): ScanInfo {
  if (!other || other.id !== one.id) return one;
  if ((one.state === "running") !== (other.state === "running")) return one.state === "running" ? other : one;
  return other.seconds > one.seconds ? other : one;
}
