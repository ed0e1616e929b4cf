// Where notices of findings go: a webhook, a mail, syslog; each with a test.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { api } from "../../api/client";
import type { RouteView } from "../../api/types";
import { ago } from "../../lib/format";
import { Button, Field, Input, inputLook, Mono, Section } from "../../parts/basics";

export function NoticeRoutes() {
  const routes = useQuery({ queryKey: ["notices"], queryFn: () => api.all("/api/v1/notices") });
  const [adding, setAdding] = useState(false);
  return (
    <Section
      title="Notices"
      aside={
        <Button tone="quiet" onClick={() => setAdding(!adding)}>
          {adding ? "Close" : "Add a route"}
        </Button>
      }
    >
      {routes.data?.length === 0 && !adding ? (
        <p className="text-sm text-soft">
          Findings are shown here only. Add a route to be told elsewhere: when something opens, changes or closes, and
          never twice.
        </p>
      ) : null}
      {adding ? <RouteForm onDone={() => setAdding(false)} /> : null}
      <ul>
        {routes.data?.map((route) => (
          <RouteRow key={route.id} route={route} />
        ))}
      </ul>
    </Section>
  );
}

function RouteRow({ route }: { route: RouteView }) {
  const client = useQueryClient();
  const refresh = () => void client.invalidateQueries({ queryKey: ["notices"] });
  const test = useMutation({
    mutationFn: () => api.post("/api/v1/notices/{identity}/test", { path: { identity: route.id } }),
    onSuccess: refresh,
  });
  const change = useMutation({
    mutationFn: (on: boolean) =>
      api.patch("/api/v1/notices/{identity}", { path: { identity: route.id }, body: { on }, version: route.version }),
    onSuccess: refresh,
  });
  const remove = useMutation({
    mutationFn: () =>
      api.remove("/api/v1/notices/{identity}", { path: { identity: route.id }, version: route.version }),
    onSuccess: refresh,
  });
  return (
    <li className="border-b border-rule py-1.5">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
        <b className="font-semibold">{route.name}</b>
        <span className="text-soft">{route.kind}</span>
        <Mono>{route.to}</Mono>
        <span className="text-sm text-soft">
          from {route.least === "notice" ? "everything" : route.least} on; last sent {ago(route.sent)}
        </span>
        <span className="ml-auto flex gap-2">
          <Button disabled={test.isPending} onClick={() => test.mutate()}>
            Test
          </Button>
          <Button tone="quiet" onClick={() => change.mutate(!route.on)}>
            {route.on ? "Switch off" : "Switch on"}
          </Button>
          <Button tone="quiet" onClick={() => remove.mutate()}>
            Remove
          </Button>
        </span>
      </div>
      {(change.error ?? remove.error) ? (
        <p role="alert" className="text-sm text-alarm">
          {(change.error ?? remove.error)!.message}.
        </p>
      ) : null}
      {test.data ? (
        <p role="status" className={`text-sm ${test.data.ok ? "text-fine" : "text-alarm"}`}>
          {test.data.said}
        </p>
      ) : route.trouble ? (
        <p className="text-sm text-alarm">{route.trouble}</p>
      ) : null}
    </li>
  );
}

const KINDS: Record<RouteView["kind"], [string, string]> = {
  webhook: ["URL", "https://"],
  mail: ["mail address", "office@larkspur.example"],
  syslog: ["HOST:PORT", "logs.larkspur.example:514"],
};

function RouteForm({ onDone }: { onDone(): void }) {
  const client = useQueryClient();
  const [values, setValues] = useState({
    name: "",
    kind: "webhook" as RouteView["kind"],
    to: "",
    least: "wrong" as RouteView["least"],
    secret: "",
    sender: "",
    smtp_server: "",
    user: "",
    tls: "starttls" as RouteView["tls"],
  });
  const set = (name: keyof typeof values) => (event: { target: { value: string } }) =>
    setValues({ ...values, [name]: event.target.value });
  const add = useMutation({
    mutationFn: () =>
      api.post("/api/v1/notices", {
        body:
          values.kind === "mail"
            ? values
            : { name: values.name, kind: values.kind, to: values.to, least: values.least, secret: values.secret },
      }),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["notices"] });
      onDone();
    },
  });
  return (
    <form
      onSubmit={(event: FormEvent) => {
        event.preventDefault();
        add.mutate();
      }}
      className="mb-3 flex flex-wrap items-end gap-3 rounded border border-rule bg-leaf p-3"
    >
      <Field label="kind">
        <select value={values.kind} onChange={set("kind")} className={inputLook}>
          <option value="webhook">webhook</option>
          <option value="mail">mail</option>
          <option value="syslog">syslog</option>
        </select>
      </Field>
      <Field label="name">
        <Input value={values.name} onChange={set("name")} className="w-36" />
      </Field>
      <Field label={KINDS[values.kind][0]}>
        <Input value={values.to} placeholder={KINDS[values.kind][1]} onChange={set("to")} className="w-64" />
      </Field>
      {values.kind === "mail" ? (
        <>
          <Field label="sender">
            <Input value={values.sender} onChange={set("sender")} className="w-48" />
          </Field>
          <Field label="SMTP server">
            <Input value={values.smtp_server} placeholder="HOST:PORT" onChange={set("smtp_server")} className="w-48" />
          </Field>
          <Field label="user">
            <Input value={values.user} onChange={set("user")} className="w-32" />
          </Field>
          <Field label="encryption">
            <select value={values.tls} onChange={set("tls")} className={inputLook}>
              <option value="starttls">STARTTLS</option>
              <option value="tls">TLS</option>
              <option value="none">none</option>
            </select>
          </Field>
        </>
      ) : null}
      {values.kind !== "syslog" ? (
        <Field label={values.kind === "mail" ? "password" : "secret to sign with"}>
          <Input type="password" autoComplete="off" value={values.secret} onChange={set("secret")} className="w-40" />
        </Field>
      ) : null}
      <Field label="from severity">
        <select value={values.least} onChange={set("least")} className={inputLook}>
          <option value="urgent">urgent</option>
          <option value="wrong">wrong</option>
          <option value="notice">everything</option>
        </select>
      </Field>
      <Button type="submit" tone="ink" disabled={add.isPending}>
        Add
      </Button>
      {add.error ? (
        <p role="alert" className="basis-full text-sm text-alarm">
          {add.error.message}
        </p>
      ) : null}
    </form>
  );
}
