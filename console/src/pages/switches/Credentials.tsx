// By what switches are read: communities and users, kept encrypted under a name and never shown again.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { CredentialView } from "../../api/types";
import { plural, sentence } from "../../lib/format";
import { Button, Field, Input, inputLook, Section } from "../../parts/basics";

const AUTHS = ["none", "sha1", "sha224", "sha256", "sha384", "sha512"] as const;
const PRIVACIES = ["none", "aes128", "aes192", "aes256"] as const;

export function Credentials() {
  const client = useQueryClient();
  const [adding, setAdding] = useState(false);
  const credentials = useQuery({
    queryKey: ["credentials"],
    queryFn: ({ signal }) => api.all("/api/v1/credentials", { signal }),
  });
  const again = () => client.invalidateQueries({ queryKey: ["credentials"] });
  const remove = useMutation({
    mutationFn: (one: CredentialView) =>
      api.remove("/api/v1/credentials/{identity}", { path: { identity: one.id }, version: one.version }),
    onSuccess: again,
  });
  const none = credentials.data?.length === 0;
  return (
    <Section
      title="By what switches are read"
      aside={none ? null : <Button onClick={() => setAdding(!adding)}>{adding ? "Close" : "New credential…"}</Button>}
    >
      {remove.error ? (
        <p role="alert" className="text-sm text-alarm">
          {sentence(remove.error.message)}.
        </p>
      ) : null}
      <ul>
        {credentials.data?.map((one) => (
          <li key={one.id} className="flex flex-wrap items-baseline gap-x-3 border-b border-rule py-1">
            <span className="font-semibold">{one.name}</span>
            <span className="text-sm text-soft">
              {one.snmp === "3"
                ? `user ${one.user}, ${one.auth === "none" ? "not authenticated" : one.auth}, ${one.privacy === "none" ? "in clear" : one.privacy}`
                : `community, version ${one.snmp}, in clear`}
              {one.switch_count ? `; ${plural(one.switch_count, "switch is", "switches are")} read by it alone` : ""}
            </span>
            <Button tone="quiet" className="ml-auto" disabled={remove.isPending} onClick={() => remove.mutate(one)}>
              Remove
            </Button>
          </li>
        ))}
      </ul>
      {adding || none ? <CredentialForm onDone={() => setAdding(false)} /> : null}
    </Section>
  );
}

function CredentialForm({ onDone }: { onDone(): void }) {
  const client = useQueryClient();
  const [snmp, setSnmp] = useState<"1" | "2c" | "3">("3");
  const [name, setName] = useState("");
  const [community, setCommunity] = useState("");
  const [user, setUser] = useState("");
  const [auth, setAuth] = useState<(typeof AUTHS)[number]>("sha256");
  const [authPassword, setAuthPassword] = useState("");
  const [privacy, setPrivacy] = useState<(typeof PRIVACIES)[number]>("aes128");
  const [privacyPassword, setPrivacyPassword] = useState("");
  const save = useMutation({
    mutationFn: () =>
      api.post("/api/v1/credentials", {
        body:
          snmp === "3"
            ? {
                name,
                snmp,
                community: "",
                user,
                auth,
                auth_password: auth === "none" ? "" : authPassword,
                privacy,
                privacy_password: privacy === "none" ? "" : privacyPassword,
              }
            : {
                name,
                snmp,
                community,
                user: "",
                auth: "none",
                auth_password: "",
                privacy: "none",
                privacy_password: "",
              },
      }),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ["credentials"] });
      onDone();
    },
  });
  const secret = { type: "password", autoComplete: "off" } as const;
  return (
    <form
      aria-label="New credential"
      className="mt-2 flex flex-wrap items-end gap-3 rounded border border-rule bg-leaf p-3"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      <Field label="Called">
        <Input value={name} onChange={(event) => setName(event.target.value)} maxLength={60} className="w-40" />
      </Field>
      <Field label="SNMP">
        <select value={snmp} onChange={(event) => setSnmp(event.target.value as typeof snmp)} className={inputLook}>
          <option value="3">version 3, a user</option>
          <option value="2c">version 2c, a community in clear</option>
          <option value="1">version 1, a community in clear</option>
        </select>
      </Field>
      {snmp === "3" ? (
        <>
          <Field label="User">
            <Input value={user} onChange={(event) => setUser(event.target.value)} maxLength={32} className="w-36" />
          </Field>
          <Field label="Authenticated by">
            <select value={auth} onChange={(event) => setAuth(event.target.value as typeof auth)} className={inputLook}>
              {AUTHS.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          </Field>
          {auth === "none" ? null : (
            <Field label="with the password">
              <Input
                {...secret}
                value={authPassword}
                onChange={(event) => setAuthPassword(event.target.value)}
                className="w-40"
              />
            </Field>
          )}
          <Field label="Encrypted by">
            <select
              value={privacy}
              onChange={(event) => setPrivacy(event.target.value as typeof privacy)}
              className={inputLook}
            >
              {PRIVACIES.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          </Field>
          {privacy === "none" ? null : (
            <Field label="with its password">
              <Input
                {...secret}
                value={privacyPassword}
                onChange={(event) => setPrivacyPassword(event.target.value)}
                className="w-40"
              />
            </Field>
          )}
        </>
      ) : (
        <Field label="Community">
          <Input
            {...secret}
            value={community}
            onChange={(event) => setCommunity(event.target.value)}
            className="w-40"
          />
        </Field>
      )}
      <Button type="submit" tone="ink" disabled={save.isPending || !name.trim()}>
        Keep it
      </Button>
      {save.error ? (
        <p role="alert" className="basis-full text-sm text-alarm">
          {sentence(save.error.message)}.
        </p>
      ) : null}
    </form>
  );
}
