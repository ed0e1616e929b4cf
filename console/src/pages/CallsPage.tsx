// Roll calls: standing lists of whom to look for again and again, and how each line stands.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api } from "../api/client";
import type { RollCallView } from "../api/types";
import { Button, Notice } from "../parts/basics";
import { CallForm } from "./calls/CallForm";
import { RollCall } from "./calls/RollCall";

export default function CallsPage() {
  const client = useQueryClient();
  const [adding, setAdding] = useState(false);
  const calls = useQuery({ queryKey: ["calls"], queryFn: () => api.all("/api/v1/calls") });
  const add = useMutation({
    mutationFn: (given: { name: string; every_seconds: number; text: string; warn_minutes: number; quiet: string }) =>
      api.post("/api/v1/calls", { body: given }),
    onSuccess: () => {
      setAdding(false);
      return client.invalidateQueries({ queryKey: ["calls"] });
    },
  });
  return (
    <div className="mx-auto max-w-6xl px-5 py-5">
      <div className="flex flex-wrap items-baseline gap-3">
        <h1 className="text-2xl font-semibold">Roll call</h1>
        {calls.data?.length ? (
          <Link to="/calls/wall" className="ml-auto rounded border border-rule px-2.5 py-1 text-sm hover:border-ink">
            On a wall
          </Link>
        ) : null}
        <Button className={calls.data?.length ? "" : "ml-auto"} onClick={() => setAdding(!adding)}>
          {adding ? "Close" : "New roll call…"}
        </Button>
      </div>
      {calls.error ? <Notice tone="alarm">{calls.error.message}.</Notice> : null}
      {adding ? <CallForm saving={add.isPending} error={add.error} onSave={(given) => add.mutate(given)} /> : null}
      {calls.data?.length === 0 && !adding ? (
        <p className="mt-2 max-w-3xl text-soft">
          No roll call yet. It is a list of devices or addresses, in an order of your own, that are looked for again and
          again: by ARP on the link, so that a machine that drops echo is here all the same.
        </p>
      ) : null}
      {calls.data?.map((call: RollCallView) => (
        <RollCall key={call.id} call={call} />
      ))}
    </div>
  );
}
