// What the plan has at one address: whose it is, where its reservation stands, who uses it; and what can be done.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, Problem } from "../../api/client";
import type { AssignmentView } from "../../api/types";
import { ago } from "../../lib/format";
import { useOpen } from "../../lib/open";
import { AssignForm } from "../../parts/AssignForm";
import { Button, Facts, Field, Input, Mono, Section } from "../../parts/basics";
import { ProblemList } from "../../parts/ProblemList";
import { Proof } from "../../parts/Proof";
import { ReservationState } from "../../parts/ReservationState";
import { RenewalHelp } from "./RenewalHelp";

export function PlanBlock({
  address,
  one,
  mac,
  name,
}: {
  address: string;
  one: AssignmentView | null;
  mac?: string | undefined;
  name?: string | undefined;
}) {
  return one ? <Assigned one={one} /> : <Free address={address} mac={mac} name={name} />;
}

function Free({ address, mac, name }: { address: string; mac: string | undefined; name: string | undefined }) {
  const [giving, setGiving] = useState(false);
  const prove = useMutation({ mutationFn: () => api.post("/api/v1/prove", { body: { address } }) });
  return (
    <Section title="In the plan">
      <p className="text-soft">Planned for nobody.</p>
      <div className="mt-2 flex flex-wrap items-center gap-2">
        <Button disabled={prove.isPending} onClick={() => prove.mutate()}>
          Is it free?
        </Button>
        <Button onClick={() => setGiving(true)}>{mac ? "Assign it to who holds it…" : "Assign…"}</Button>
        <Link
          to={`/card/${address}`}
          className="text-sm underline decoration-rule underline-offset-4 hover:decoration-ink"
        >
          Card
        </Link>
        <span className="text-sm text-soft" aria-live="polite">
          {prove.isPending ? "Asking the wire, about three seconds…" : ""}
        </span>
      </div>
      {prove.error ? (
        <p role="alert" className="mt-1 text-sm text-alarm">
          {prove.error.message}.
        </p>
      ) : null}
      {prove.data ? <Proof found={prove.data} /> : null}
      {giving ? (
        <AssignForm
          address={address}
          given={{ mac, name: hostname(name) }}
          onDone={() => setGiving(false)}
          onCancel={() => setGiving(false)}
        />
      ) : null}
    </Section>
  );
}

const hostname = (name: string | undefined) =>
  (name ?? "")
    .replace(/\.local$/, "")
    .toLowerCase()
    .replaceAll(/[^a-z0-9.-]+/g, "-")
    .replaceAll(/^-+|-+$/g, "");

function Assigned({ one }: { one: AssignmentView }) {
  const [moving, setMoving] = useState<string | null>(null);
  const [, setOpen] = useOpen();
  const client = useQueryClient();
  const refresh = () => {
    for (const key of ["assignment", "assignments", "device", "devices", "explain", "ruler", "plan"])
      void client.invalidateQueries({ queryKey: [key] });
  };
  const release = useMutation({
    mutationFn: () => api.remove("/api/v1/assignments/{which}", { path: { which: one.id } }),
    onSuccess: refresh,
  });
  const turn = useMutation({
    mutationFn: () =>
      api.patch("/api/v1/assignments/{which}", {
        path: { which: one.id },
        body: { on: !one.on },
        version: one.version,
      }),
    onSuccess: refresh,
  });
  const move = useMutation({
    mutationFn: (anyway: boolean) =>
      api.post("/api/v1/assignments/{which}/move", {
        path: { which: one.id },
        body: { address: moving ?? "", anyway },
        version: one.version,
      }),
    onSuccess: (moved) => {
      refresh();
      setMoving(null);
      setOpen({ kind: "address", address: moved.assignment.address });
    },
  });
  const fault = move.error ?? release.error ?? turn.error;
  const elsewhere = one.seen_at && one.seen_at !== one.address;
  return (
    <Section
      title={one.kind === "reserved" ? "Reserved" : "Assigned"}
      aside={
        <Link
          to={`/card/${one.address}`}
          className="text-sm underline decoration-rule underline-offset-4 hover:decoration-ink"
        >
          Card
        </Link>
      }
    >
      <Facts
        rows={[
          ["for", <b key="n">{one.name || "no name"}</b>],
          [
            "device",
            one.device ? (
              <button
                key="d"
                type="button"
                className="hover:underline"
                onClick={() => setOpen({ kind: "device", id: one.device!.id })}
              >
                {one.device.name ?? `device ${one.device.id}`}
                {one.last_seen ? "" : ", expected"}
              </button>
            ) : null,
          ],
          [
            "MAC",
            one.mac ? (
              <span key="m">
                <Mono>{one.mac}</Mono> {one.vendor}
              </span>
            ) : null,
          ],
          ["role", one.role],
          ["band", one.band?.name],
          ["notes", one.notes],
          ["switched", one.on ? null : "off"],
          [
            "seen",
            one.mac ? (
              <span key="s" className={elsewhere ? "text-alarm" : ""}>
                {one.seen_at ? `${elsewhere ? `at ${one.seen_at}` : "there"}, ${ago(one.last_seen)}` : "never"}
              </span>
            ) : null,
          ],
          [
            "state",
            one.reservation ? (
              <span key="r">
                <ReservationState state={one.reservation.state} />{" "}
                <span className="text-sm">{one.reservation.sentence}</span>
              </span>
            ) : null,
          ],
        ]}
      />
      {one.reservation?.state === "waiting" ? <RenewalHelp one={one} /> : null}
      {one.problems.length > 0 ? (
        <div className="mt-2">
          <ProblemList problems={one.problems} />
        </div>
      ) : null}
      <Uses one={one} />
      <div className="mt-2 flex flex-wrap items-end gap-2">
        {moving === null ? (
          <>
            <Button onClick={() => setMoving("")}>Move…</Button>
            <Button onClick={() => turn.mutate()}>{one.on ? "Switch off" : "Switch on"}</Button>
            <Button tone="alarm" onClick={() => release.mutate()}>
              Release
            </Button>
          </>
        ) : (
          <form
            className="flex flex-wrap items-end gap-2"
            onSubmit={(event) => {
              event.preventDefault();
              move.mutate(false);
            }}
          >
            <Field
              label="New address"
              hint={
                one.uses.length > 0
                  ? `${one.uses.length} others have the old one entered; they are marked to be changed`
                  : undefined
              }
            >
              <Input
                value={moving}
                onChange={(event) => setMoving(event.target.value)}
                className="w-40 font-mono"
                autoFocus
                spellCheck={false}
              />
            </Field>
            <Button tone="ink" type="submit" disabled={!moving.trim() || move.isPending}>
              Move
            </Button>
            {move.error instanceof Problem && move.error.anyway ? (
              <Button tone="alarm" onClick={() => move.mutate(true)}>
                All the same
              </Button>
            ) : null}
            <Button
              tone="quiet"
              onClick={() => {
                setMoving(null);
                move.reset();
              }}
            >
              Cancel
            </Button>
          </form>
        )}
      </div>
      {fault ? (
        <p role="alert" className="mt-1 text-sm text-alarm">
          {fault.message}.
        </p>
      ) : null}
    </Section>
  );
}

/** Who has this address entered, for what; after a move, what must be changed there. */
function Uses({ one }: { one: AssignmentView }) {
  const [adding, setAdding] = useState(false);
  const [user, setUser] = useState("");
  const [purpose, setPurpose] = useState("");
  const client = useQueryClient();
  const refresh = () => {
    setAdding(false);
    setUser("");
    setPurpose("");
    void client.invalidateQueries({ queryKey: ["explain"] });
  };
  const add = useMutation({
    mutationFn: () => api.post("/api/v1/uses", { body: { user, address: one.address, purpose } }),
    onSuccess: refresh,
  });
  const remove = useMutation({
    mutationFn: (id: number) => api.remove("/api/v1/uses/{identity}", { path: { identity: id } }),
    onSuccess: refresh,
  });
  return (
    <div className="mt-2 text-sm">
      <ul>
        {one.uses.map((use) => (
          <li key={use.id} className="flex items-center border-b border-rule py-0.5">
            <span>
              {use.user} uses it for {use.purpose}
            </span>
            <Button
              tone="quiet"
              className="ml-auto"
              aria-label={`Forget that ${use.user} uses it`}
              onClick={() => remove.mutate(use.id)}
            >
              Forget
            </Button>
          </li>
        ))}
      </ul>
      {adding ? (
        <form
          className="mt-1 flex flex-wrap items-end gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            add.mutate();
          }}
        >
          <Field label="Who uses it">
            <Input value={user} onChange={(event) => setUser(event.target.value)} maxLength={120} autoFocus />
          </Field>
          <Field label="For what">
            <Input value={purpose} onChange={(event) => setPurpose(event.target.value)} maxLength={200} />
          </Field>
          <Button tone="ink" type="submit" disabled={!user.trim() || !purpose.trim()}>
            Record
          </Button>
          <Button tone="quiet" onClick={() => setAdding(false)}>
            Cancel
          </Button>
        </form>
      ) : (
        <Button tone="quiet" onClick={() => setAdding(true)}>
          Who else has it entered?
        </Button>
      )}
      {add.error ? (
        <p role="alert" className="text-alarm">
          {add.error.message}.
        </p>
      ) : null}
    </div>
  );
}
