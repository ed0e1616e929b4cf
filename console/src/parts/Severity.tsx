// How bad a finding is: shape plus word plus colour.
import type { FindingView } from "../api/types";

const LOOKS: Record<FindingView["severity"], [string, string, string]> = {
  urgent: ["text-alarm", "urgent", "M6 .8 11.2 6 6 11.2.8 6zM6 3.4v3.2M6 8.2v.7"],
  wrong: ["text-amber", "wrong", "M1.5 3.5h9M1.5 8.5h9M8.8 1 3.2 11"],
  notice: ["text-ink", "to decide", "M6 1.2v6M6 9.4v1.2M1.2 11.2h9.6"],
};

const HEARD = "It stands on what was only overheard, which any device on the link can forge";

export function Severity({ severity, heard }: { severity: FindingView["severity"]; heard: boolean }) {
  const [colour, word, path] = LOOKS[severity];
  return (
    <span className={`inline-flex items-center gap-1.5 whitespace-nowrap ${colour}`}>
      <svg
        viewBox="0 0 12 12"
        className="size-3.5 shrink-0"
        fill="none"
        stroke="currentColor"
        strokeWidth="1.5"
        aria-hidden
      >
        <path d={path} />
      </svg>
      {word}
      {heard ? (
        <span className="text-soft" title={HEARD}>
          heard
        </span>
      ) : null}
    </span>
  );
}
