// How a device that waits for its reservation comes to it: when it asks by itself, what has it ask at once, and ending its old lease.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api } from "../../api/client";
import type { AssignmentView } from "../../api/types";
import { moment, sentence } from "../../lib/format";
import { Button, Facts, Mono } from "../../parts/basics";

export function RenewalHelp({ one }: { one: AssignmentView }) {
  const client = useQueryClient();
  const help = useQuery({
    queryKey: ["assignment", "renewal", one.id],
    queryFn: () => api.get("/api/v1/dhcp/renewals/{assignment}", { path: { assignment: one.id } }),
  });
  const end = useMutation({
    mutationFn: () => api.post("/api/v1/dhcp/renewals/{assignment}/end", { path: { assignment: one.id } }),
    onSuccess: () => {
      for (const key of ["assignment", "assignments", "explain", "ruler", "dhcp"])
        void client.invalidateQueries({ queryKey: [key] });
    },
  });
  if (end.data)
    return (
      <p role="status" className="mt-2 text-sm">
        {sentence(end.data.said)}: the lease was ended at {end.data.server?.name}. The device gets {one.address} when it
        asks the next time.
      </p>
    );
  const found = help.data;
  if (!found) return null;
  return (
    <div className="mt-2 rounded border border-rule p-2" aria-label="Until it is in effect">
      <Facts
        rows={[
          [
            "holds",
            <span key="h">
              <Mono>{found.address}</Mono>, leased by {found.server?.name}
            </span>,
          ],
          ["asks again by itself", found.renews ? moment(found.renews) : null],
          ["asks any server", found.rebinds ? moment(found.rebinds) : null],
          ["its lease ends", found.ends ? moment(found.ends) : "never: it has to be made to ask"],
        ]}
      />
      <details className="mt-1">
        <summary className="cursor-pointer text-sm">To have it ask at once</summary>
        <ul className="mt-1 list-disc pl-5 text-sm">
          {found.how.map((way) => (
            <li key={way}>{way}</li>
          ))}
        </ul>
      </details>
      {found.can_end ? (
        <div className="mt-2 flex flex-wrap items-center gap-2">
          <Button disabled={end.isPending} onClick={() => end.mutate()}>
            {end.isPending ? "Asking its old address…" : "End its old lease"}
          </Button>
          <span className="text-sm text-soft">Only if {found.address}, asked now, is silent.</span>
        </div>
      ) : null}
      {end.error ? (
        <p role="alert" className="mt-1 text-sm text-alarm">
          {sentence(end.error.message)}.
        </p>
      ) : null}
    </div>
  );
}
