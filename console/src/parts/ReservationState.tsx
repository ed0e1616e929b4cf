// Where a reservation stands: shape, word and colour, and the sentence.
import type { ReservationState as Word } from "../api/types";

const LOOKS: Record<Word, [string, string]> = {
  off: ["text-soft", "M2 6h8"],
  "not published": ["text-amber", "M6 10V2M3 5l3-3 3 3"],
  waiting: ["text-amber", "M6 1.5a4.5 4.5 0 1 0 .01 0M6 3.5V6l2 1.5"],
  "in effect": ["text-fine", "M1.5 6.5 4.5 9.5 10.5 2.5"],
  refused: ["text-alarm", "M2 2l8 8M10 2l-8 8"],
};

export function ReservationState({ state }: { state: Word }) {
  const [colour, path] = LOOKS[state];
  return (
    <span className={`inline-flex items-center gap-1.5 ${colour}`}>
      <svg viewBox="0 0 12 12" className="size-3" fill="none" stroke="currentColor" strokeWidth="1.6" aria-hidden>
        <path d={path} />
      </svg>{" "}
      {state}
    </span>
  );
}
