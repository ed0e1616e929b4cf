// Times, numbers and addresses as people read them. Pure, tested on its own.

const MINUTE = 60,
  HOUR = 3600,
  DAY = 86400;

export function ago(iso: string | null | undefined, now = Date.now()): string {
  if (!iso) return "never";
  const seconds = Math.max(0, (now - Date.parse(iso)) / 1000);
  if (seconds < 10) return "just now";
  if (seconds < 90) return `${Math.round(seconds)} s ago`;
  if (seconds < 90 * MINUTE) return `${Math.round(seconds / MINUTE)} min ago`;
  if (seconds < 36 * HOUR) return `${Math.round(seconds / HOUR)} h ago`;
  if (seconds < 14 * DAY) return `${Math.round(seconds / DAY)} d ago`;
  return moment(iso).slice(0, 10);
}

export function moment(iso: string | null | undefined): string {
  if (!iso) return "–";
  const at = new Date(iso);
  const two = (value: number) => String(value).padStart(2, "0");
  const day = `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())}`;
  return `${day} ${two(at.getHours())}:${two(at.getMinutes())}:${two(at.getSeconds())}`;
}

export function duration(seconds: number | null | undefined): string {
  if (seconds === null || seconds === undefined) return "";
  if (seconds < 10) return `${seconds.toFixed(1)} s`;
  if (seconds < 90) return `${Math.round(seconds)} s`;
  if (seconds < 90 * MINUTE) return `${Math.round(seconds / MINUTE)} min`;
  const hours = Math.floor(seconds / HOUR);
  return `${hours} h ${Math.round((seconds % HOUR) / MINUTE)} min`;
}

/** A reply time in milliseconds. */
export const millis = (ms: number) => (ms < 10 ? `${ms.toFixed(2)} ms` : `${Math.round(ms)} ms`);

/** A text as the beginning of a sentence: its first letter large. */
export const sentence = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

const grouped = new Intl.NumberFormat("en-GB");
export const count = (value: number) => grouped.format(value);
export const plural = (value: number, one: string, many = `${one}s`) => `${count(value)} ${value === 1 ? one : many}`;

export function addressNumber(text: string): number {
  return text.split(".").reduce((total, part) => total * 256 + Number(part), 0);
}

export function addressText(value: number): string {
  return [24, 16, 8, 0].map((shift) => Math.floor(value / 2 ** shift) % 256).join(".");
}

/** A subnet by its own name, or by what it spans. */
export const calledSubnet = (subnet: { name: string; cidr: string }) => subnet.name || subnet.cidr;

/** First address and size of a subnet written as CIDR. */
export function subnetBounds(cidr: string): { first: number; size: number } {
  const [base = "0.0.0.0", prefix = "32"] = cidr.split("/");
  return { first: addressNumber(base), size: 2 ** (32 - Number(prefix)) };
}
