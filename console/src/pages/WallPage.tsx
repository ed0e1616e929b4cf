// Roll calls on a wall: every line large enough to be read from across the room, told by word, shape and colour, silent ones first.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api } from "../api/client";
import { useLive } from "../api/live";
import type { CallLine, RollCallView } from "../api/types";
import { ago } from "../lib/format";

const ORDER: Record<CallLine["state"], number> = { silent: 0, unknown: 1, here: 2 };
const WORDS: Record<CallLine["state"], string> = { silent: "silent", unknown: "cannot say", here: "here" };
const LOOKS: Record<CallLine["state"], string> = {
  silent: "border-4 border-alarm text-alarm",
  unknown: "border-4 border-dashed border-amber text-amber",
  here: "border border-rule",
};

export default function WallPage() {
  const { connected } = useLive();
  const [ordered, setOrdered] = useState(false);
  const calls = useQuery({
    queryKey: ["calls"],
    queryFn: () => api.all("/api/v1/calls"),
    refetchInterval: 15_000,
  });
  return (
    <div className="fixed inset-0 z-20 overflow-auto bg-paper p-4">
      <p className="flex flex-wrap items-center gap-4 text-sm text-soft">
        <Link to="/calls" className="underline">
          Roll call
        </Link>
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={ordered} onChange={() => setOrdered(!ordered)} /> in the order of the list
        </label>
        <span role="status" className={connected && !calls.error ? "" : "font-semibold text-alarm"}>
          {connected && !calls.error ? "live" : "not connected: what stands here may be old"}
        </span>
      </p>
      {calls.data?.map((call) => (
        <Call key={call.id} call={call} ordered={ordered} />
      ))}
    </div>
  );
}

function Call({ call, ordered }: { call: RollCallView; ordered: boolean }) {
  const lines = useQuery({
    queryKey: ["call-lines", call.id],
    queryFn: ({ signal }) => api.all("/api/v1/calls/{identity}/lines", { path: { identity: call.id }, signal }),
  });
  const shown = [...(lines.data ?? [])];
  if (!ordered) shown.sort((one, other) => ORDER[one.state] - ORDER[other.state]);
  return (
    <section className="mt-3">
      <h1 className="text-3xl font-semibold">
        {call.name}
        <span className="ml-4 text-xl font-normal text-soft">
          {call.here_count} here, {call.silent_count} silent
          {call.unknown_count ? `, ${call.unknown_count} cannot be told` : ""}; asked {ago(call.asked_at)}
        </span>
      </h1>
      <ul className="mt-2 grid gap-2 [grid-template-columns:repeat(auto-fill,minmax(15rem,1fr))]">
        {shown.map((line) => (
          <li key={line.subject} className={`rounded bg-leaf p-3 ${LOOKS[line.state]}`}>
            <p className="truncate text-2xl font-semibold">{line.name || line.device?.name || line.subject}</p>
            <p className="flex justify-between text-lg">
              <span>{WORDS[line.state]}</span>
              <span>{line.state === "here" ? "" : line.since ? ago(line.since) : ""}</span>
            </p>
          </li>
        ))}
      </ul>
    </section>
  );
}
