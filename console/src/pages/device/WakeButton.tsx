// Wake a sleeping device, and say when it came up.
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import { sentence } from "../../lib/format";
import { Button, Input } from "../../parts/basics";

export function WakeButton({ device }: { device: number }) {
  const [secured, setSecured] = useState(false);
  const [password, setPassword] = useState("");
  const send = useMutation({ mutationFn: () => api.post("/api/v1/wakes", { body: { device, password } }) });
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
        <input type="checkbox" checked={secured} onChange={() => setSecured(!secured)} /> with a SecureOn password
      </label>
      {secured ? (
        <Input
          type="password"
          aria-label="SecureOn password"
          autoComplete="off"
          value={password}
          onChange={(event) => setPassword(event.target.value)}
          className="w-44 font-mono"
          placeholder="01:23:45:67:89:ab"
        />
      ) : null}
      <span role="status" className="text-sm">
        {send.error
          ? `${send.error.message}.`
          : now
            ? now.state === "waiting"
              ? "Magic packets were sent; waiting until it is up…"
              : `${sentence(now.said)}.`
            : ""}
      </span>
    </span>
  );
}
