// What is planned for a device: its addresses, with what can be done to each; or that nothing is, with a way to give it one.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { calledSubnet } from "../../lib/format";
import { api } from "../../api/client";
import type { AssignmentRow, DeviceSheet } from "../../api/types";
import { useOpen } from "../../lib/open";
import { Button, Field, Input, Mono, Section } from "../../parts/basics";
import { ReservationState } from "../../parts/ReservationState";

const KEYS = ["device", "devices", "assignment", "assignments", "explain", "ruler", "plan", "reviews"];

export function PlannedBlock({ sheet }: { sheet: DeviceSheet }) {
  const { device, assignments } = sheet;
  const mac = sheet.adapters[0]?.mac;
  return (
    <Section
      title="In the plan"
      aside={
        mac ? (
          <Link
            className="text-sm underline decoration-rule underline-offset-4 hover:decoration-ink"
            to={`/assignments?assign=${mac}&role=${device.role}`}
          >
            Give it an address
          </Link>
        ) : undefined
      }
    >
      {assignments.length === 0 ? (
        <p className="text-soft">No address is planned for it.</p>
      ) : (
        <ul>
          {assignments.map((one) => (
            <Planned key={one.id} one={one} />
          ))}
        </ul>
      )}
    </Section>
  );
}

function Planned({ one }: { one: AssignmentRow }) {
  const [, setOpen] = useOpen();
  const [name, setName] = useState<string | null>(null);
  const client = useQueryClient();
  const refresh = () => {
    setName(null);
    for (const key of KEYS) void client.invalidateQueries({ queryKey: [key] });
  };
  const rename = useMutation({
    mutationFn: () =>
      api.patch("/api/v1/assignments/{which}", { path: { which: one.id }, body: { name }, version: one.version }),
    onSuccess: refresh,
  });
  const release = useMutation({
    mutationFn: () => api.remove("/api/v1/assignments/{which}", { path: { which: one.id } }),
    onSuccess: refresh,
  });
  const fault = rename.error ?? release.error;
  return (
    <li className="border-b border-rule py-1">
      <div className="flex flex-wrap items-center gap-x-3">
        <button
          type="button"
          className="hover:underline"
          onClick={() => setOpen({ kind: "address", address: one.address })}
        >
          <Mono>{one.address}</Mono>
        </button>
        <span className="min-w-0 truncate font-semibold">{one.name || "no hostname"}</span>
        <span className="text-soft">
          {one.kind}
          {one.on ? "" : ", switched off"}, {calledSubnet(one.subnet)}
        </span>
        {name === null ? (
          <span className="ml-auto">
            <Button tone="quiet" onClick={() => setName(one.name)}>
              Hostname…
            </Button>
            <Button tone="quiet" onClick={() => release.mutate()}>
              Release
            </Button>
          </span>
        ) : null}
      </div>
      {one.reservation ? (
        <p className="text-sm text-soft">
          <ReservationState state={one.reservation.state} /> {one.reservation.sentence}
        </p>
      ) : null}
      {name === null ? null : (
        <form
          className="mt-1 flex flex-wrap items-end gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            rename.mutate();
          }}
        >
          <Field label="Planned hostname">
            <Input
              value={name}
              onChange={(event) => setName(event.target.value)}
              className="w-48"
              maxLength={120}
              autoFocus
              spellCheck={false}
            />
          </Field>
          <Button tone="ink" type="submit" disabled={rename.isPending || name === one.name}>
            Save hostname
          </Button>
          <Button
            tone="quiet"
            onClick={() => {
              setName(null);
              rename.reset();
            }}
          >
            Cancel
          </Button>
        </form>
      )}
      {fault ? (
        <p role="alert" className="text-sm text-alarm">
          {fault.message}.
        </p>
      ) : null}
    </li>
  );
}
