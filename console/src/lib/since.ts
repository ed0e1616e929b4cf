// Since when, as people say it: by the clock today, by the weekday this week, else by the date. Pure, tested on its own.
const DAY = 86_400_000;

const clock = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit" });
const weekday = new Intl.DateTimeFormat("en-GB", { weekday: "long" });
const date = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "long" });
const year = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "long", year: "numeric" });

export function when(iso: string, now = new Date()): string {
  const at = new Date(iso);
  const midnight = new Date(now.getFullYear(), now.getMonth(), now.getDate()).getTime();
  if (at.getTime() >= midnight) return clock.format(at);
  if (at.getTime() >= midnight - 6 * DAY) return weekday.format(at);
  return (at.getFullYear() === now.getFullYear() ? date : year).format(at);
}
