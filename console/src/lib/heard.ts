// Whether something was overheard after its last answer: anybody can send in its name, so it is told apart.

interface Seen {
  last_seen: string | null;
  heard_at: string | null;
}

const SLACK_MS = 60_000;

export function heardSince(one: Seen): boolean {
  if (!one.heard_at) return false;
  return !one.last_seen || Date.parse(one.heard_at) - Date.parse(one.last_seen) > SLACK_MS;
}
