// Begin to bring devices in: whose MACs stand on the labels, what they are, where they are to go.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, Problem } from "../../api/client";
import { calledSubnet, plural } from "../../lib/format";
import { Button, Field, Input, inputLook } from "../../parts/basics";
import { RoleSelect } from "../../parts/RoleSelect";
import { JustAppeared } from "./JustAppeared";

/** The MACs of a text: one a line, or with commas between; what stands behind a MAC in its line is left out. */
export const macsOf = (text: string) =>
  text
    .split(/[\n,;]/)
    .map((line) => line.trim())
    .filter(Boolean);

export function NewFitting() {
  const [text, setText] = useState("");
  const [kind, setKind] = useState("");
  const [role, setRole] = useState("");
  const [where, setWhere] = useState("");
  const [name, setName] = useState("");
  const [address, setAddress] = useState("");
  const [policy, setPolicy] = useState<"" | "static" | "reserved">("");
  const client = useQueryClient();
  const go = useNavigate();
  const kinds = useQuery({ queryKey: ["kinds"], queryFn: () => api.all("/api/v1/kinds") });
  const subnets = useQuery({ queryKey: ["plan", "subnets"], queryFn: () => api.all("/api/v1/plan/subnets") });
  const macs = macsOf(text);
  const begin = useMutation({
    mutationFn: (anyway: boolean) =>
      api.post("/api/v1/fittings", {
        body: { macs, kind: kind || null, role, where, name, address, policy: policy || null, anyway },
      }),
    onSuccess: (made) => {
      client.setQueryData(["fitting", made.id], made);
      void client.invalidateQueries({ queryKey: ["fittings"] });
      void go(`/fittings/${made.id}`);
    },
  });
  const of = (field: string) =>
    begin.error instanceof Problem && begin.error.field === field ? `${begin.error.message}.` : null;
  const fields = ["macs", "mac", "kind", "role", "where", "name", "address"];
  const elsewhere = begin.error && !fields.some((field) => of(field)) ? begin.error : null;
  const choose = (named: string) => {
    setKind(named);
    const known = kinds.data?.find((one) => one.name === named);
    if (known?.role && !role) setRole(known.role);
  };
  return (
    <form
      aria-label="New device"
      className="mt-3 flex flex-col gap-3 rounded border border-rule bg-leaf p-3"
      onSubmit={(event) => {
        event.preventDefault();
        begin.mutate(false);
      }}
    >
      <Field
        label="The MAC on its label; for several of one kind one a line"
        wrong={of("macs") ?? of("mac")}
        hint={macs.length > 1 ? plural(macs.length, "device") : "any notation"}
      >
        <textarea
          rows={macs.length > 2 ? 6 : 2}
          value={text}
          onChange={(event) => setText(event.target.value)}
          spellCheck={false}
          autoCapitalize="off"
          className={`${inputLook} w-full font-mono`}
          placeholder="02-C0-44-0C-00-01"
        />
      </Field>
      <JustAppeared
        chosen={macs}
        onChoose={(mac) => setText((before) => (before.trim() ? `${before.trim()}\n${mac}` : mac))}
      />
      <div className="grid gap-3 sm:grid-cols-2 lg:grid-cols-3">
        <Field label="Kind" wrong={of("kind")} hint={kinds.data?.length ? null : "none is known yet"}>
          <select value={kind} onChange={(event) => choose(event.target.value)} className={`${inputLook} w-full`}>
            <option value="">not said</option>
            {kinds.data?.map((one) => (
              <option key={one.id}>{one.name}</option>
            ))}
          </select>
        </Field>
        <Field label="Role" wrong={of("role")}>
          <RoleSelect value={role} onChange={setRole} />
        </Field>
        <Field label="Subnet or band" wrong={of("where")}>
          <Input
            value={where}
            onChange={(event) => setWhere(event.target.value)}
            list="fitting-subnets"
            placeholder="Office"
          />
          <datalist id="fitting-subnets">
            {subnets.data?.map((one) => (
              <option key={one.id} value={calledSubnet(one)} />
            ))}
          </datalist>
        </Field>
        <Field
          label="Hostname"
          wrong={of("name")}
          hint={macs.length > 1 ? "with {n} for the number: camera-{n:02}" : null}
        >
          <Input
            value={name}
            onChange={(event) => setName(event.target.value)}
            spellCheck={false}
            autoCapitalize="off"
            placeholder={macs.length > 1 ? "camera-{n:02}" : "printer-5"}
          />
        </Field>
        {macs.length < 2 ? (
          <Field label="Address" wrong={of("address")} hint="left empty, a free one is chosen and proven">
            <Input
              value={address}
              onChange={(event) => setAddress(event.target.value)}
              inputMode="decimal"
              className="w-full font-mono"
            />
          </Field>
        ) : null}
        <Field label="How it gets it">
          <select
            value={policy}
            onChange={(event) => setPolicy(event.target.value as typeof policy)}
            className={`${inputLook} w-full`}
          >
            <option value="">as its role wants it</option>
            <option value="static">static: typed into it</option>
            <option value="reserved">reserved: by the DHCP server</option>
          </select>
        </Field>
      </div>
      {elsewhere ? (
        <p role="alert" className="text-sm text-alarm">
          {elsewhere.message}.
        </p>
      ) : null}
      <div>
        <Button tone="ink" type="submit" disabled={begin.isPending || macs.length === 0} className="px-4 py-2">
          {begin.isPending ? "Asking the wire for free addresses…" : "Begin"}
        </Button>
        {begin.error instanceof Problem && begin.error.anyway ? (
          <Button tone="alarm" className="ml-2" onClick={() => begin.mutate(true)}>
            Begin all the same
          </Button>
        ) : null}
      </div>
    </form>
  );
}
