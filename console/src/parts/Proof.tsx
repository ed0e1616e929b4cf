// A proof that an address is free: its grade as shape, word and colour, and the reasons.
import type { Candidate } from "../api/types";
import { Mono } from "./basics";

const GRADES: Record<Candidate["grade"], [string, string]> = {
  clear: ["text-fine", "M1.5 6.5 4.5 9.5 10.5 2.5"],
  doubtful: ["text-amber", "M3.5 4a2.5 2.5 0 1 1 3.4 2.3c-.6.3-.9.7-.9 1.4M6 10v.6"],
  taken: ["text-alarm", "M2 2l8 8M10 2l-8 8"],
};

export function Grade({ grade }: { grade: Candidate["grade"] }) {
  const [colour, path] = GRADES[grade];
  return (
    <span className={`inline-flex items-center gap-1 ${colour}`}>
      <svg viewBox="0 0 12 12" className="size-3.5" fill="none" stroke="currentColor" strokeWidth="2" aria-hidden>
        <path d={path} />
      </svg>{" "}
      {grade}
    </span>
  );
}

export function Proof({ found, children }: { found: Candidate; children?: React.ReactNode }) {
  return (
    <div className="border-b border-rule py-2">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
        <Mono className="font-semibold">{found.address}</Mono> <Grade grade={found.grade} />{" "}
        <span className="text-sm text-soft">{found.band?.name}</span>
        <span className="ml-auto flex gap-2">{children}</span>
      </div>
      <ul className="mt-0.5 list-disc pl-5 text-sm text-soft">
        {found.reasons.map((reason) => (
          <li key={reason}>{reason}</li>
        ))}
      </ul>
    </div>
  );
}
