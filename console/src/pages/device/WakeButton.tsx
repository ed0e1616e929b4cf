// Wake a sleeping device, and say when it came up.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import { sentence } from "../../lib/format";
import { Button, Input } from "../../parts/basics";

export function WakeButton({ device, kept }: { device: number; kept: boolean }) {
  const client = useQueryClient();
  const [secured, setSecured] = useState(false);
  const [password, setPassword] = useState("");
  const [keeping, setKeeping] = useState(true);
  const which = device;
  const keep = (secret: string) =>
    api.put("/api/v1/wake-passwords/{which}", { path: { which }, body: { password: secret } });
  const read = () => client.invalidateQueries({ queryKey: ["device", which] });
  const send = useMutation({
    mutationFn: async () => {
      if (secured && keeping && password) await keep(password);
      return api.post("/api/v1/wakes", { body: { device, password: secured ? password : "" } });
    },
    onSuccess: () => {
      setPassword("");
      if (secured && keeping) setSecured(false);
      return read();
    },
  });
  const forget = useMutation({ mutationFn: () => keep(""), onSuccess: read });
  const identity = send.data?.id ?? 0;
  const wake = useQuery({
    queryKey: ["wake", identity],
    enabled: identity > 0,
    queryFn: () => api.get("/api/v1/wakes/{identity}", { path: { identity } }),
    refetchInterval: (query) => (query.state.data?.state === "waiting" ? 2000 : false),
  });
  const now = wake.data ?? send.data;
  return (
    <span className="inline-flex flex-wrap items-center gap-2">
      <Button disabled={send.isPending || now?.state === "waiting"} onClick={() => send.mutate()}>
        {send.isPending ? "Sending…" : "Wake it"}
      </Button>
      <label className="flex items-center gap-1 text-sm text-soft">
        <input type="checkbox" checked={secured} onChange={() => setSecured(!secured)} />{" "}
        {kept ? "with another SecureOn password" : "with a SecureOn password"}
      </label>
      {secured ? (
        <>
          <Input
            type="password"
            aria-label="SecureOn password"
            autoComplete="off"
            value={password}
            onChange={(event) => setPassword(event.target.value)}
            className="w-44 font-mono"
            placeholder="01:23:45:67:89:ab"
          />
          <label className="flex items-center gap-1 text-sm text-soft">
            <input type="checkbox" checked={keeping} onChange={() => setKeeping(!keeping)} /> keep it, encrypted
          </label>
        </>
      ) : kept ? (
        <span className="text-sm text-soft">
          its SecureOn password is kept
          <Button tone="quiet" disabled={forget.isPending} onClick={() => forget.mutate()}>
            Forget it
          </Button>
        </span>
      ) : null}
      <span role="status" className="text-sm">
        {(send.error ?? forget.error)
          ? `${(send.error ?? forget.error)?.message}.`
          : now
            ? now.state === "waiting"
              ? "Magic packets were sent; waiting until it is up…"
              : `${sentence(now.said)}.`
            : ""}
      </span>
    </span>
  );
}
