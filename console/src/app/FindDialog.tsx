// Find anything, from any page: a dialog with one field and the best matches, keyboard all the way.
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { ExternalLink } from "lucide-react";
import { Dialog } from "radix-ui";
import { useEffect, useState, type KeyboardEvent } from "react";
import { useNavigate } from "react-router";
import { api } from "../api/client";
import type { Found } from "../api/types";
import { useDelayed } from "../lib/delayed";
import { ago } from "../lib/format";
import { Mono } from "../parts/basics";

export function FindDialog({ open, onOpenChange }: { open: boolean; onOpenChange(open: boolean): void }) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[8vh] left-1/2 z-30 flex max-h-[80vh] w-[min(54rem,94vw)] -translate-x-1/2 flex-col rounded-md border border-rule bg-leaf shadow-xl"
        >
          <Dialog.Title className="sr-only">Find anything</Dialog.Title>
          <Finder close={() => onOpenChange(false)} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Finder({ close }: { close(): void }) {
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const wanted = useDelayed(text.trim(), 120);
  const navigate = useNavigate();
  const answer = useQuery({
    queryKey: ["find", wanted],
    queryFn: ({ signal }) => api.get("/api/v1/find", { query: { text: wanted, limit: 30 }, signal }),
    enabled: wanted.length > 0,
    placeholderData: keepPreviousData,
  });
  const found = wanted ? (answer.data?.items ?? []) : [];
  useEffect(() => setAt(0), [wanted]);

  const go = (hit: Found) => {
    close();
    void navigate(hit.link);
  };
  const onKey = (event: KeyboardEvent) => {
    const hit = found[at];
    if (event.key === "ArrowDown") setAt((now) => Math.min(now + 1, found.length - 1));
    else if (event.key === "ArrowUp") setAt((now) => Math.max(now - 1, 0));
    else if (event.key === "Enter" && event.ctrlKey && hit?.web) open(hit.web, "_blank", "noreferrer");
    else if (event.key === "Enter" && hit) go(hit);
    else return;
    event.preventDefault();
  };
  return (
    <>
      <input
        autoFocus
        value={text}
        onChange={(event) => setText(event.target.value)}
        onKeyDown={onKey}
        spellCheck={false}
        role="combobox"
        aria-expanded={found.length > 0}
        aria-controls="find-results"
        aria-label="Find"
        aria-activedescendant={found.length > 0 ? `find-${at}` : undefined}
        placeholder="Part of a name, address, MAC in any notation, vendor or note"
        className="border-b border-rule bg-transparent px-4 py-3 text-lg outline-none placeholder:text-soft"
      />
      <ul id="find-results" role="listbox" className="min-h-0 overflow-auto">
        {found.map((hit, index) => (
          <li
            key={`${hit.link}-${index}`}
            id={`find-${index}`}
            role="option"
            aria-selected={index === at}
            onMouseMove={() => setAt(index)}
            onClick={() => go(hit)}
            className={`flex cursor-pointer items-baseline gap-3 border-b border-rule px-4 py-1.5 ${index === at ? "bg-wash" : ""}`}
          >
            <span className="min-w-0 flex-1 truncate font-semibold">{hit.title}</span>
            <Mono className="min-w-0 flex-[2] truncate text-soft">{hit.detail}</Mono>
            <span className="w-24 text-right text-xs text-soft">
              {hit.device ? ago(hit.device.last_seen) : hit.kind}
            </span>
            {hit.web ? (
              // An option holds nothing that has a focus of its own: the keyboard opens the page with Ctrl-Enter.
              <span
                aria-hidden
                title={`Web page of ${hit.title}`}
                onClick={(event) => {
                  event.stopPropagation();
                  open(hit.web!, "_blank", "noreferrer");
                }}
              >
                <ExternalLink className="size-4 text-ink" />
              </span>
            ) : (
              <span className="w-4" />
            )}
          </li>
        ))}
      </ul>
      <p className="px-4 py-2 text-sm text-soft">
        {!wanted
          ? "Words can be combined: “printer stage” finds what contains both."
          : found.length === 0 && !answer.isFetching
            ? `Nothing contains “${wanted}”.`
            : "↑ ↓ to choose, Enter to open, Ctrl-Enter for its own web page, Esc to close"}
        {answer.data?.more && wanted ? " There is more: another word narrows it." : ""}
      </p>
    </>
  );
}
