// How fast somebody answered, hour by hour: a mark an hour, as tall as the mean reply time; a gap where none is certain.
import { millis } from "../lib/format";

export function HourBars({ hours, className = "" }: { hours: (number | null)[]; className?: string }) {
  const most = Math.max(...hours.map((one) => one ?? 0));
  const known = hours.filter((one) => one !== null);
  if (!known.length) return null;
  const told = `mean reply times of the last ${hours.length} hours: ${millis(Math.min(...known))} to ${millis(most)}`;
  return (
    <span className={`inline-flex h-4 items-end gap-px ${className}`} role="img" aria-label={told} title={told}>
      {hours.map((one, number) => (
        <span
          key={number}
          className={`w-[3px] ${one === null ? "" : "bg-ink"}`}
          style={{ height: one === null ? 0 : `${Math.max((one / most) * 100, 8)}%` }}
        />
      ))}
    </span>
  );
}
