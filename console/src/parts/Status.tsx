// Status is shape plus word plus colour, never colour alone.

export type StateWord = "answering" | "seen" | "two" | "self" | "gateway" | "silent" | "foreign" | "planned" | "leased";

const WORDS: Record<StateWord, string> = {
  answering: "answering",
  seen: "seen before",
  two: "claimed by two",
  self: "this machine",
  gateway: "gateway",
  silent: "silent",
  foreign: "foreign address",
  planned: "planned, never seen",
  leased: "leased, never seen",
};
const COLOURS: Record<StateWord, string> = {
  answering: "text-fine",
  seen: "text-soft",
  two: "text-alarm",
  self: "text-ink",
  gateway: "text-ink",
  silent: "text-soft",
  foreign: "text-amber",
  planned: "text-ink",
  leased: "text-soft",
};

/** The shape of a state in a 12×12 box, in the current colour: in lists, in the legend and on the ruler. */
export function ShapePaths({ state }: { state: StateWord }) {
  return (
    <g fill="none" stroke="currentColor" strokeWidth="1.6">
      {state === "answering" && <rect x="2" y="1" width="8" height="10" fill="currentColor" stroke="none" />}
      {state === "seen" && <rect x="2.5" y="4" width="7" height="6.5" />}
      {state === "silent" && <path d="M2 9.5h8" />}
      {state === "two" && <path d="M3.5 1v10M8.5 1v10M1 6h10" />}
      {state === "self" && <path d="M6 1.5 11 10.5H1z" fill="currentColor" stroke="none" />}
      {state === "gateway" && <path d="M1.5 11V3L6 .8 10.5 3v8M4.5 11V7h3v4" />}
      {state === "planned" && <path d="M6 1.5v9M3 10.5h6" />}
      {state === "leased" && <path d="M2 10.5V6h8v4.5" strokeDasharray="2 1.4" />}
      {state === "foreign" && <path d="M1.5 6h6M5 2.5 8.5 6 5 9.5M10.5 1v10" />}
    </g>
  );
}

export function Shape({ state }: { state: StateWord }) {
  return (
    <svg viewBox="0 0 12 12" className="inline-block size-3 shrink-0" aria-hidden>
      <ShapePaths state={state} />
    </svg>
  );
}

export function Status({ state, word = true }: { state: StateWord; word?: boolean }) {
  return (
    <span className={`inline-flex items-center gap-1.5 ${COLOURS[state]}`} title={word ? undefined : WORDS[state]}>
      <Shape state={state} />
      {word ? <span>{WORDS[state]}</span> : <span className="sr-only">{WORDS[state]}</span>}
    </span>
  );
}
