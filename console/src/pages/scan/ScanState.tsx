// How a scan stands: shape, word and colour.
const LOOK: Record<string, { word: string; colour: string; path: string }> = {
  running: { word: "running", colour: "text-ink", path: "M1 6h10M7 2l4 4-4 4" },
  done: { word: "done", colour: "text-fine", path: "M1.5 6.5 4.5 10 10.5 2" },
  stopped: { word: "stopped by hand", colour: "text-soft", path: "M3 1.5v9M9 1.5v9" },
  interrupted: { word: "interrupted", colour: "text-amber", path: "M1 6h3M8 6h3M5 2l2 8" },
  failed: { word: "failed", colour: "text-alarm", path: "M2 2l8 8M10 2l-8 8" },
};

export function ScanState({ state }: { state: string }) {
  const look = LOOK[state] ?? LOOK.done!;
  return (
    <span className={`inline-flex items-center gap-1.5 ${look.colour}`}>
      <svg viewBox="0 0 12 12" className="size-3" fill="none" stroke="currentColor" strokeWidth="1.8" aria-hidden>
        <path d={look.path} />
      </svg>
      {look.word}
    </span>
  );
}
