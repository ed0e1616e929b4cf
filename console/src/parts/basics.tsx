// Small pieces every page is made of: buttons, fields, mono text, notices.
import type { ButtonHTMLAttributes, InputHTMLAttributes, ReactNode } from "react";

type Tone = "plain" | "ink" | "quiet" | "alarm";
const TONES: Record<Tone, string> = {
  plain: "border-rule bg-leaf hover:border-ink",
  ink: "border-ink bg-ink text-on-ink hover:opacity-90",
  quiet: "border-transparent hover:bg-wash",
  alarm: "border-alarm text-alarm hover:bg-wash",
};

export function Button({
  tone = "plain",
  className = "",
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { tone?: Tone }) {
  const base =
    "inline-flex items-center gap-1.5 rounded border px-2.5 py-1 text-sm whitespace-nowrap disabled:opacity-50";
  return <button type="button" {...rest} className={`${base} ${TONES[tone]} ${className}`} />;
}

export function Field({
  label,
  hint,
  wrong,
  children,
}: {
  label: string;
  hint?: ReactNode;
  wrong?: ReactNode;
  children: ReactNode;
}) {
  return (
    <label className="block">
      <span className="block text-xs text-soft">{label}</span>
      {children}
      {wrong ? (
        <span role="alert" className="mt-0.5 block text-sm text-alarm">
          {wrong}
        </span>
      ) : null}
      {!wrong && hint ? <span className="mt-0.5 block text-sm text-soft">{hint}</span> : null}
    </label>
  );
}

export const inputLook = "rounded border border-rule bg-leaf px-2 py-1 placeholder:text-soft focus:border-ink";

export function Input({ className = "", ...rest }: InputHTMLAttributes<HTMLInputElement>) {
  return <input {...rest} className={`${inputLook} ${className || "w-full"}`} />;
}

export function Mono({ children, className = "" }: { children: ReactNode; className?: string }) {
  return <span className={`font-mono text-[0.94em] ${className}`}>{children}</span>;
}

export function Notice({ tone = "plain", children }: { tone?: "plain" | "alarm"; children: ReactNode }) {
  const look = tone === "alarm" ? "border-alarm text-alarm" : "border-rule";
  return (
    <div role={tone === "alarm" ? "alert" : undefined} className={`rounded border ${look} bg-leaf px-3 py-2 text-sm`}>
      {children}
    </div>
  );
}

export function Facts({ rows }: { rows: [string, ReactNode][] }) {
  return (
    <dl className="grid grid-cols-[max-content_1fr] gap-x-4 gap-y-0.5">
      {rows
        .filter(([, value]) => value)
        .map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="text-soft">{name}</dt>
            <dd className="min-w-0 break-words">{value}</dd>
          </div>
        ))}
    </dl>
  );
}

export function Section({ title, children, aside }: { title: string; children: ReactNode; aside?: ReactNode }) {
  return (
    <section className="mt-5">
      <div className="mb-1.5 flex flex-wrap items-baseline justify-between gap-x-3 border-b border-rule pb-0.5">
        <h2 className="text-sm font-semibold">{title}</h2>
        {aside}
      </div>
      {children}
    </section>
  );
}
