// Put selected devices on a roll call: behind its lines, each by what changes least about it.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { DeviceRow } from "../../api/types";
import { plural } from "../../lib/format";
import { Button, inputLook } from "../../parts/basics";

/** A device as a line of a roll call: its MAC, else its address, and what it is called. */
export function lineOf(device: DeviceRow): string {
  const subject = device.mac ?? device.address ?? String(device.id);
  const name = device.called && device.called !== subject ? device.called : "";
  return name ? `${subject}, ${/[",]/.test(name) ? `"${name.replaceAll('"', '""')}"` : name}` : subject;
}

/** A text with lines behind it that it does not have yet, told apart by whom they name. */
export function withLines(text: string, devices: DeviceRow[]): { text: string; added: number } {
  const there = new Set(text.split("\n").map((line) => (line.split(",")[0] ?? "").trim().toLowerCase()));
  const fresh = devices
    .filter((one) => ![one.mac, one.address, one.called].some((known) => known && there.has(known.toLowerCase())))
    .map(lineOf);
  const head = text && !text.endsWith("\n") ? `${text}\n` : text;
  return { text: fresh.length ? `${head}${fresh.join("\n")}\n` : text, added: fresh.length };
}

export function ToRollCall({ devices }: { devices: DeviceRow[] }) {
  const [chosen, setChosen] = useState("");
  const client = useQueryClient();
  const calls = useQuery({ queryKey: ["calls"], queryFn: () => api.all("/api/v1/calls") });
  const put = useMutation({
    mutationFn: async () => {
      const call = calls.data?.find((one) => String(one.id) === chosen);
      if (!call) {
        const { text, added } = withLines("", devices);
        await api.post("/api/v1/calls", {
          body: {
            name: `From the list, ${new Date().toLocaleString("en-GB")}`,
            every_seconds: 30,
            text,
            warn_minutes: 0,
            quiet: "",
          },
        });
        return added;
      }
      const { text, added } = withLines(call.text, devices);
      if (added)
        await api.patch("/api/v1/calls/{identity}", {
          path: { identity: call.id },
          body: { text },
          version: call.version,
        });
      return added;
    },
    onSuccess: () => client.invalidateQueries({ queryKey: ["calls"] }),
  });
  return (
    <span className="inline-flex flex-wrap items-center gap-1">
      <select
        aria-label="Roll call"
        value={chosen}
        onChange={(event) => setChosen(event.target.value)}
        className={inputLook}
      >
        <option value="">a new roll call</option>
        {calls.data?.map((one) => (
          <option key={one.id} value={one.id}>
            {one.name}
          </option>
        ))}
      </select>
      <Button disabled={put.isPending} onClick={() => put.mutate()}>
        Put on roll call
      </Button>
      <span role="status">
        {put.error ? `${put.error.message}.` : put.isSuccess ? `${plural(put.data, "line")} more.` : ""}
      </span>
    </span>
  );
}
