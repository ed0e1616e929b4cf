// One device: who it is, what people say of it, where it was. Edits carry a version; a stale one shows both sides.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { ExternalLink } from "lucide-react";
import { Link } from "react-router";
import { api } from "../api/client";
import { ago, moment } from "../lib/format";
import { heardSince } from "../lib/heard";
import { useOpen } from "../lib/open";
import { FindingsAbout } from "../parts/Attention";
import { Button, Facts, Mono, Notice, Section } from "../parts/basics";
import { TimeSlider, useMoment } from "../parts/TimeSlider";
import { Where } from "../parts/Where";
import { AtMoment } from "./address/AtMoment";
import { WhySilent } from "./address/WhySilent";
import { ChangeList } from "./device/ChangeList";
import { EditForm } from "./device/EditForm";
import { PlannedBlock } from "./device/PlannedBlock";
import { WakeButton } from "./device/WakeButton";
import { ReplaceForm } from "./device/ReplaceForm";
import { ReviewList } from "./device/ReviewList";
import { StayList } from "./device/StayList";

export default function DeviceSheetView({ id }: { id: number }) {
  const client = useQueryClient();
  const [, setOpen] = useOpen();
  const [at] = useMoment();
  const sheet = useQuery({
    queryKey: ["device", id],
    queryFn: () => api.get("/api/v1/devices/{which}", { path: { which: id } }),
  });
  const act = useMutation({
    mutationFn: (how: (path: { which: number }) => Promise<unknown>) => how({ which: id }),
    onSuccess: () => {
      for (const key of ["devices", "device", "assignments", "explain", "plan", "reviews"])
        void client.invalidateQueries({ queryKey: [key] });
    },
  });
  if (sheet.error) return <Notice tone="alarm">{sheet.error.message}</Notice>;
  if (!sheet.data) return <p className="text-soft">Reading…</p>;
  const { device, adapters, assignments, reviews, names, stays, changes, hints } = sheet.data;
  const title = device.called || "Nobody has named this device";
  return (
    <>
      <h2 className="pr-8 text-xl font-semibold break-words">{title}</h2>
      {adapters[0] ? (
        <div className="mt-1">
          <TimeSlider subject={adapters[0].mac} beside />
        </div>
      ) : null}
      {at && adapters[0] ? <AtMoment subject={adapters[0].mac} at={at} /> : null}
      <Where what={String(id)} at={at} />
      <ReviewList cases={reviews} named={false} />
      {adapters.map((adapter) => (
        <FindingsAbout key={adapter.mac} subject={adapter.mac} />
      ))}
      <div className="mt-2 mb-4">
        <Facts
          rows={[
            [
              "address",
              device.address ? (
                <button
                  type="button"
                  key="a"
                  className="hover:underline"
                  onClick={() => setOpen({ kind: "address", address: device.address! })}
                >
                  <Mono>{device.address}</Mono>
                </button>
              ) : (
                "none seen"
              ),
            ],
            [
              "web page",
              device.web ? (
                <a
                  key="w"
                  href={device.web}
                  target="_blank"
                  rel="noreferrer"
                  className="inline-flex items-center gap-1 text-ink underline"
                >
                  {device.web} <ExternalLink className="size-3.5" />
                </a>
              ) : null,
            ],
            ["open ports", device.ports.length ? <Mono key="p">{device.ports.join(" ")}</Mono> : null],
            [
              "last seen",
              device.expected ? "never: it is expected" : `${moment(device.last_seen)}, ${ago(device.last_seen)}`,
            ],
            ["heard, no answer", heardSince(device) ? `${moment(device.heard_at)}, ${ago(device.heard_at)}` : null],
            ["first seen", device.expected ? null : moment(device.first_seen)],
          ]}
        />
      </div>
      <EditForm device={device} hostnames={[...new Set(assignments.map((one) => one.name).filter(Boolean))]} />
      <PlannedBlock sheet={sheet.data} />
      {device.address ? <WhySilent key={`why-${device.address}`} address={device.address} /> : null}
      <div className="mt-3 flex flex-wrap items-center gap-3">
        {adapters.length ? (
          <WakeButton key={`wake-${device.id}`} device={device.id} kept={sheet.data.wake_password} />
        ) : null}
        {assignments.length === 1 ? (
          <Link to={`/fittings?over=${device.id}`} className="text-sm underline">
            Move or replace it, step by step
          </Link>
        ) : null}
      </div>
      <Section title="Adapters">
        {adapters.length === 0 ? <p className="text-soft">No MAC is known yet.</p> : null}
        <ul>
          {adapters.map((adapter) => (
            <li key={adapter.mac} className="flex flex-wrap items-center gap-x-3 border-b border-rule py-1">
              <Mono>{adapter.mac}</Mono>
              <span className="text-soft">
                {adapter.vendor ?? (adapter.local ? "locally administered" : "vendor not known")}
              </span>
              {adapters.length > 1 ? (
                <Button
                  tone="quiet"
                  className="ml-auto"
                  onClick={() =>
                    act.mutate((path) =>
                      api.post("/api/v1/devices/{which}/split", { path, body: { macs: [adapter.mac] } }),
                    )
                  }
                >
                  Split off
                </Button>
              ) : null}
            </li>
          ))}
        </ul>
        {hints.map((hint) => (
          <div key={hint.name} className="mt-2 text-sm text-soft">
            {hint.reason}.{" "}
            {hint.devices.map((other) => (
              <Button
                key={other.id}
                className="mt-1 mr-1"
                onClick={() =>
                  act.mutate((path) =>
                    api.post("/api/v1/devices/{which}/join", { path, body: { devices: [other.id] } }),
                  )
                }
              >
                Join with {other.name ?? "device"} ({other.id})
              </Button>
            ))}
          </div>
        ))}
      </Section>
      {names.length > 0 ? (
        <Section title="Names heard">
          <ul>
            {names.map((name) => (
              <li
                key={`${name.name}-${name.source}-${name.address}`}
                className="flex gap-3 border-b border-rule py-0.5"
              >
                <span className="min-w-0 flex-1 truncate" title={name.name}>
                  {name.name}
                </span>
                <span className="text-soft">{name.source}</span>
                <span className="w-20 text-right text-soft">{ago(name.last_seen)}</span>
              </li>
            ))}
          </ul>
        </Section>
      ) : null}
      <Section title="Addresses held">
        <StayList stays={stays} show="address" />
      </Section>
      {changes.length > 0 ? (
        <Section title="Changes">
          <ChangeList changes={changes} />
        </Section>
      ) : null}
      <div className="mt-6 flex flex-wrap items-end gap-2">
        {device.retired ? null : (
          <ReplaceForm
            key={adapters.map((adapter) => adapter.mac).join()}
            macs={adapters.map((adapter) => adapter.mac)}
            busy={act.isPending}
            onReplace={(mac, old) =>
              act.mutate((path) => api.post("/api/v1/devices/{which}/replace", { path, body: { mac, old } }))
            }
          />
        )}
        <Button
          tone={device.retired ? "plain" : "alarm"}
          onClick={() =>
            act.mutate((path) =>
              api.post("/api/v1/devices/{which}/retire", {
                path,
                body: { retired: !device.retired, release: true },
                version: device.version,
              }),
            )
          }
        >
          {device.retired
            ? "Bring back into the lists"
            : assignments.length > 0
              ? `Retire it and release ${assignments.length === 1 ? "its address" : `its ${assignments.length} addresses`}`
              : "Retire this device"}
        </Button>
        {act.error ? (
          <p role="alert" className="mt-2 text-sm text-alarm">
            {act.error.message}.
          </p>
        ) : null}
      </div>
    </>
  );
}
