// One address: everything known about it, in sentences first.
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api } from "../api/client";
import { ago } from "../lib/format";
import { FindingsAbout } from "../parts/Attention";
import { Notice, Section } from "../parts/basics";
import { Status } from "../parts/Status";
import { useMoment, TimeSlider } from "../parts/TimeSlider";
import { Where } from "../parts/Where";
import { AtMoment } from "./address/AtMoment";
import { PlanBlock } from "./address/PlanBlock";
import { ReplyTimes } from "./address/ReplyTimes";
import { WhySilent } from "./address/WhySilent";
import { StayList } from "./device/StayList";

export default function AddressSheetView({ address }: { address: string }) {
  const told = useQuery({
    queryKey: ["explain", address],
    queryFn: () => api.get("/api/v1/explain/{subject}", { path: { subject: address } }),
  });
  const [at] = useMoment();
  if (told.error) return <Notice tone="alarm">{told.error.message}</Notice>;
  if (!told.data) return <p className="text-soft">Reading…</p>;
  const { sentences, stays, names, scans } = told.data;
  return (
    <>
      <h2 className="font-mono text-xl font-semibold">{told.data.subject}</h2>
      {at ? <AtMoment subject={told.data.subject} at={at} /> : null}
      {at ? <p className="mt-3 text-sm text-soft">And now:</p> : null}
      <FindingsAbout subject={told.data.subject} />
      <div className="mt-2 flex flex-col gap-1">
        {sentences.map((sentence) => (
          <p key={sentence}>{sentence}</p>
        ))}
      </div>
      {told.data.kind === "address" ? (
        <div className="mt-1">
          <TimeSlider subject={told.data.subject} beside />
        </div>
      ) : null}
      {told.data.kind === "address" ? <Where what={address} at={at} /> : null}
      <PlanBlock
        key={address}
        address={address}
        one={told.data.assignment}
        mac={stays[0]?.mac ?? undefined}
        name={stays[0]?.device?.name ?? names[0]?.name}
      />
      {told.data.kind === "address" ? <WhySilent key={`why-${address}`} address={address} /> : null}
      {told.data.kind === "address" ? <ReplyTimes address={address} /> : null}
      {stays.length > 0 ? (
        <Section title="Who held it">
          <StayList stays={stays} show="holder" />
        </Section>
      ) : null}
      {names.length > 0 ? (
        <Section title="Names heard there">
          <ul>
            {names.map((name) => (
              <li key={`${name.name}-${name.source}`} className="flex gap-3 border-b border-rule py-0.5">
                <span className="min-w-0 flex-1 truncate">{name.name}</span>
                <span className="text-soft">{name.source}</span>
              </li>
            ))}
          </ul>
        </Section>
      ) : null}
      {scans.length > 0 ? (
        <Section title="Scans that asked for it">
          <ul>
            {scans.map((scan) => (
              <li key={scan.scan_id} className="flex items-center gap-3 border-b border-rule py-0.5">
                <Status state={scan.answered ? (scan.macs.length > 1 ? "two" : "answering") : "silent"} />
                <Link to={`/scans/${scan.scan_id}`} className="ml-auto text-soft hover:underline">
                  scan {scan.scan_id}, {ago(scan.at)}
                </Link>
              </li>
            ))}
          </ul>
        </Section>
      ) : null}
    </>
  );
}
