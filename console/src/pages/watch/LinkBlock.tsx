// One link that is listened on: counts, the switch port behind the cable, and what is heard, live.
import { useEffect, useState } from "react";
import { useLive } from "../../api/live";
import type { HeardLine, ListeningView } from "../../api/types";
import { count, moment } from "../../lib/format";
import { useOpen } from "../../lib/open";
import { Button, Mono } from "../../parts/basics";
import { OnlyHeard } from "./OnlyHeard";

const MOST = 200;

export function LinkBlock({ link }: { link: ListeningView }) {
  const { onHeard } = useLive();
  const [, setOpen] = useOpen();
  const [lines, setLines] = useState<HeardLine[]>(link.lines);
  const [frames, setFrames] = useState({ total: link.frames, rate: link.per_second, unread: link.unread });
  const [paused, setPaused] = useState(false);
  useEffect(
    () =>
      onHeard((event) => {
        if (event.adapter !== link.adapter) return;
        setFrames((before) => ({
          total: before.total + event.frames,
          rate: event.per_second,
          unread: before.unread + event.unread,
        }));
        if (paused || event.lines.length === 0) return;
        const at = new Date().toISOString();
        const fresh = event.lines.map((line) => ({ at, ...line }));
        setLines((before) => [...fresh.reverse(), ...before].slice(0, MOST));
      }),
    [onHeard, link.adapter, paused],
  );
  return (
    <section className="mt-4">
      <div className="flex flex-wrap items-baseline gap-x-5 gap-y-1 border-b border-rule pb-1">
        <h2 className="text-lg font-semibold">{link.adapter}</h2>
        {link.listening ? (
          <span className="text-fine">listening</span>
        ) : (
          <span className="text-amber">not listened to: {link.why_not}</span>
        )}
        {link.listening ? (
          <span>
            {count(frames.total)} frames, {count(frames.rate)} a second
          </span>
        ) : null}
        {frames.unread || link.lost ? (
          <span className="text-amber">
            {count(frames.unread)} left out in a storm, {count(link.lost)} lost
          </span>
        ) : null}
        <span className={`text-sm ${link.verdict === "elsewhere" ? "text-alarm" : "text-soft"}`}>{link.place}</span>
        {link.listening ? (
          <Button tone="quiet" className="ml-auto" onClick={() => setPaused(!paused)}>
            {paused ? "Go on" : "Hold still"}
          </Button>
        ) : null}
      </div>
      {link.trouble ? (
        <p role="alert" className="mt-1 text-sm text-alarm">
          {link.trouble}.
        </p>
      ) : null}
      {link.unforeseen ? (
        <p role="alert" className="mt-1 text-sm text-alarm">
          A frame could not be read, which should not be: {link.unforeseen}.
        </p>
      ) : null}
      <OnlyHeard link={link} />
      {link.neighbours.map((one) => (
        <p key={one.chassis + one.port} className="mt-1 text-sm">
          Plugged into <b className="font-semibold">{one.switch}</b>, port <b className="font-semibold">{one.port}</b>
          {one.port_text ? ` (${one.port_text})` : ""}
          {one.vlan ? `, VLAN ${one.vlan}` : ""}
          {one.address ? (
            <>
              , at <Mono>{one.address}</Mono>
            </>
          ) : null}
          .
        </p>
      ))}
      {link.listening ? (
        <div
          className="mt-2 h-40 overflow-auto rounded border border-rule bg-leaf"
          role="log"
          aria-label={`What is heard on ${link.adapter}`}
          aria-live="off"
        >
          <table className="w-full text-left text-sm">
            <tbody>
              {lines.map((line, number) => (
                <tr key={`${line.at}-${line.mac}-${line.said}-${number}`} className="border-b border-rule/60">
                  <td className="w-20 px-2 whitespace-nowrap text-soft">{moment(line.at).slice(11)}</td>
                  <td className="w-14 text-ink">{line.protocol}</td>
                  <td className="w-40">
                    <button
                      type="button"
                      className="hover:underline"
                      onClick={() => setOpen({ kind: "address", address: line.mac })}
                    >
                      <Mono>{line.mac}</Mono>
                    </button>
                  </td>
                  <td className="truncate">{line.said}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {lines.length === 0 ? <p className="p-2 text-soft">Nothing heard yet.</p> : null}
        </div>
      ) : null}
    </section>
  );
}
