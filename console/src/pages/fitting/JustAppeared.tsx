// Devices that turned up on the link in the last minutes, to be picked by the last digits of the label.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import { ago } from "../../lib/format";
import { Button, Input, Mono } from "../../parts/basics";

const MINUTES = 15;

export function JustAppeared({ chosen, onChoose }: { chosen: string[]; onChoose(mac: string): void }) {
  const [open, setOpen] = useState(false);
  const [digits, setDigits] = useState("");
  const found = useQuery({
    queryKey: ["devices", "just appeared"],
    enabled: open,
    refetchInterval: 2000,
    queryFn: () =>
      api.get("/api/v1/devices", { query: { sort: "first_seen", descending: true, limit: 50, total: false } }),
  });
  const bare = digits.replaceAll(/[^0-9a-f]/gi, "").toLowerCase();
  const shown = (found.data?.items ?? []).filter(
    (one) =>
      one.mac &&
      one.first_seen &&
      Date.now() - Date.parse(one.first_seen) < MINUTES * 60_000 &&
      one.mac.replaceAll(":", "").endsWith(bare) &&
      !chosen.includes(one.mac),
  );
  if (!open)
    return (
      <div>
        <Button onClick={() => setOpen(true)}>It just appeared…</Button>
      </div>
    );
  return (
    <div className="rounded border border-rule p-2">
      <label className="flex flex-wrap items-center gap-2 text-sm">
        The last digits of the label
        <Input
          value={digits}
          onChange={(event) => setDigits(event.target.value)}
          className="w-24 font-mono"
          spellCheck={false}
          autoCapitalize="off"
          placeholder="0c01"
        />
      </label>
      {shown.length === 0 ? (
        <p className="mt-1 text-sm text-soft">
          Nothing new {bare ? "that ends so " : ""}in the last {MINUTES} minutes. Give the device power; it is listened
          for.
        </p>
      ) : (
        <ul className="mt-1 max-h-56 overflow-auto">
          {shown.map((one) => (
            <li key={one.id}>
              <button
                type="button"
                onClick={() => onChoose(one.mac ?? "")}
                className="flex w-full flex-wrap items-baseline gap-x-3 rounded px-1 py-1.5 text-left text-sm hover:bg-wash"
              >
                <Mono>{one.mac}</Mono>
                <span>{one.vendor || "vendor not known"}</span>
                <Mono className="text-soft">{one.address}</Mono>
                <span className="text-soft">{ago(one.first_seen)}</span>
              </button>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
