// Give each of a list of MACs a free address of a subnet, one after the other; what was given stays when it is stopped.
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api } from "../../api/client";
import { plural, sentence } from "../../lib/format";
import { Button, Mono } from "../../parts/basics";

interface Given {
  line: string;
  address: string | null;
  said: string;
}
type Kind = "static" | "reserved";
const MOST = 200;

/** A MAC and the hostname that may stand behind it, of each line that says something. */
export function devicesOf(text: string): { mac: string; name: string }[] {
  return text
    .split("\n")
    .map((line) => line.replaceAll(/[,;\t]/g, " ").trim())
    .filter(Boolean)
    .map((line) => {
      const [mac = "", ...name] = line.split(/\s+/);
      return { mac, name: name.join(" ") };
    });
}

export function GiveSeveral({ where, role, onClose }: { where: string; role: string; onClose(): void }) {
  const [text, setText] = useState("");
  const [kind, setKind] = useState<Kind>("reserved");
  const [done, setDone] = useState<Given[]>([]);
  const [running, setRunning] = useState(0);
  const stopping = useRef<AbortController>(null);
  const client = useQueryClient();
  useEffect(() => () => stopping.current?.abort(), []);
  const devices = devicesOf(text);
  const give = async () => {
    const { signal } = (stopping.current = new AbortController());
    setDone([]);
    setRunning(devices.length);
    for (const { mac, name } of devices) {
      if (signal.aborted) break;
      const line = `${mac} ${name}`.trim();
      let given: Given;
      try {
        const made = await api.post("/api/v1/assignments", { body: { where, kind, mac, name, role } });
        given = { line, address: made.address, said: kind === "reserved" ? "reserved" : "static, to be typed in" };
      } catch (error) {
        given = { line, address: null, said: (error as Error).message };
      }
      setDone((before) => [...before, given]);
    }
    setRunning(0);
    for (const key of ["assignments", "devices", "ruler", "plan", "dhcp"])
      void client.invalidateQueries({ queryKey: [key] });
  };
  const got = done.filter((one) => one.address).length;
  return (
    <form
      aria-label="Give several at once"
      className="mt-2 flex flex-col gap-2 rounded border border-rule bg-leaf p-3"
      onSubmit={(event) => {
        event.preventDefault();
        void give();
      }}
    >
      <label className="block">
        <span className="block text-xs text-soft">
          One MAC a line, in any notation; behind it the hostname, if it has one. Each gets a free address here
          {role ? ` for a ${role}` : ""}.
        </span>
        <textarea
          rows={5}
          value={text}
          onChange={(event) => setText(event.target.value)}
          spellCheck={false}
          className="w-full rounded border border-rule bg-leaf px-2 py-1 font-mono focus:border-ink"
          placeholder={"02:c0:44:00:88:01 press-1\n02:c0:44:00:88:02 press-2"}
        />
      </label>
      <div className="flex flex-wrap items-center gap-4 text-sm">
        {(["reserved", "static"] as const).map((one) => (
          <label key={one} className="flex items-center gap-1.5">
            <input type="radio" name="several" checked={kind === one} onChange={() => setKind(one)} />{" "}
            {one === "static" ? "static: typed into them" : "reserved: by the DHCP server"}
          </label>
        ))}
        {running ? (
          <>
            <span role="status">
              {done.length} of {running}…
            </span>
            <Button onClick={() => stopping.current?.abort()}>Stop</Button>
          </>
        ) : (
          <>
            <Button tone="ink" type="submit" disabled={devices.length === 0 || devices.length > MOST}>
              {devices.length === 1 ? "Give it an address" : `Give ${plural(devices.length, "device")} an address each`}
            </Button>
            <Button tone="quiet" onClick={onClose}>
              Close
            </Button>
          </>
        )}
        {devices.length > MOST ? <span className="text-alarm">{MOST} at most at once.</span> : null}
      </div>
      {done.length > 0 ? (
        <ul className="text-sm">
          {done.map((one, number) => (
            <li key={number} className={one.address ? "" : "text-alarm"}>
              <Mono>{one.line}</Mono>:{" "}
              {one.address ? (
                <>
                  <Mono>{one.address}</Mono>, {one.said}
                </>
              ) : (
                sentence(one.said)
              )}
              .
            </li>
          ))}
        </ul>
      ) : null}
      {done.length > 0 && !running ? (
        <p role="status" className="text-sm">
          {plural(got, "device")} got an address{got < done.length ? `, ${done.length - got} did not` : ""}.
          {got > 0 && kind === "reserved" ? " The reservations are to be published to the DHCP server." : ""}
        </p>
      ) : null}
    </form>
  );
}
