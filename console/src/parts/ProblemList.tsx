// Mistakes in the plan: how bad, a sentence with the culprit, and what to do.
import type { ProblemView } from "../api/types";
import { sentence } from "../lib/format";

const LOOKS: Record<ProblemView["severity"], [string, string, string]> = {
  refused: ["text-alarm", "cannot be saved", "M2 2l8 8M10 2l-8 8"],
  mistake: ["text-alarm", "mistake", "M6 1 11 10.5H1zM6 4.5v3M6 8.8v.6"],
  advice: ["text-amber", "advice", "M6 1.5a3.4 3.4 0 0 1 1.8 6.2v1.6H4.2V7.7A3.4 3.4 0 0 1 6 1.5M4.6 11h2.8"],
};

export function ProblemList({ problems }: { problems: ProblemView[] }) {
  return (
    <ul className="flex flex-col gap-1.5 text-sm">
      {problems.map((problem) => {
        const [colour, word, path] = LOOKS[problem.severity];
        return (
          <li key={problem.kind + problem.sentence} className="flex gap-2">
            <svg
              viewBox="0 0 12 12"
              className={`mt-1 size-3.5 shrink-0 ${colour}`}
              fill="none"
              stroke="currentColor"
              strokeWidth="1.4"
              aria-hidden
            >
              <path d={path} />
            </svg>
            <span>
              <b className={`font-semibold ${colour}`}>{word}</b> {problem.sentence}.{" "}
              <span className="text-soft">{sentence(problem.remedy)}.</span>
            </span>
          </li>
        );
      })}
    </ul>
  );
}
