// The step a device is at, as eight marks in a row: height and fill tell what is passed, the word what it is at.
import type { FittedView } from "../../api/types";

const WORDS: Record<FittedView["step"], string> = {
  who: "who is it",
  where: "where to",
  find: "find it",
  reach: "reach it",
  type: "type it in",
  see: "see it",
  keep: "does it keep",
  record: "record it",
  done: "in place",
};

export function Stage({ device }: { device: FittedView }) {
  const word = device.state === "given up" ? "given up" : WORDS[device.step];
  return (
    <span className="inline-flex items-center gap-2 text-sm">
      <span className="inline-flex h-4 items-end gap-0.5" aria-hidden>
        {device.steps.map((one) => (
          <span
            key={one.step}
            className={`w-1 ${
              one.state === "passed"
                ? "h-4 bg-fine"
                : one.state === "now"
                  ? "h-4 border border-ink"
                  : one.state === "not needed"
                    ? "h-1 bg-soft"
                    : "h-1 bg-rule"
            }`}
          />
        ))}
      </span>
      {word}
    </span>
  );
}

export const stepWord = (step: FittedView["step"]) => WORDS[step];
