// What people changed, and a way back.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api } from "../../api/client";
import type { ChangeRow } from "../../api/types";
import { what } from "../../lib/changes";
import { ago, moment } from "../../lib/format";
import { Button } from "../../parts/basics";

export function ChangeList({ changes }: { changes: ChangeRow[] }) {
  const client = useQueryClient();
  const undo = useMutation({
    mutationFn: (id: number) => api.post("/api/v1/changes/undo", { body: { change_ids: [id] } }),
    onSuccess: () => {
      for (const key of ["device", "devices", "assignments", "explain", "plan", "reviews"])
        void client.invalidateQueries({ queryKey: [key] });
    },
  });
  return (
    <>
      <ul>
        {changes.map((change, index) => (
          <li key={change.id} className="flex items-start gap-2 border-b border-rule py-1 text-sm">
            <span className="min-w-0 flex-1 break-words">
              {what(change)}
              <span className="block text-soft" title={moment(change.at)}>
                {change.who}, {ago(change.at)}
              </span>
            </span>
            {change.taken_back_by ? (
              <span className="text-soft">taken back</span>
            ) : index === 0 && change.action !== "undo" ? (
              <Button tone="quiet" onClick={() => undo.mutate(change.id)}>
                Undo
              </Button>
            ) : null}
          </li>
        ))}
      </ul>
      {undo.error ? (
        <p role="alert" className="mt-1 text-sm text-alarm">
          {undo.error.message}.
        </p>
      ) : null}
    </>
  );
}
