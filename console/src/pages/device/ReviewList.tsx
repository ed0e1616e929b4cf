// Where two records of one device said different things, and expected devices that may have been seen: one press settles each.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api } from "../../api/client";
import type { ReviewCase } from "../../api/types";
import { useOpen } from "../../lib/open";
import { Button } from "../../parts/basics";

export function ReviewList({ cases, named }: { cases: ReviewCase[]; named: boolean }) {
  const client = useQueryClient();
  const [, setOpen] = useOpen();
  const refresh = () => {
    for (const key of ["device", "devices", "reviews", "assignments", "plan"])
      void client.invalidateQueries({ queryKey: [key] });
  };
  const settle = useMutation({
    mutationFn: (one: ReviewCase) =>
      one.other
        ? api
            .post("/api/v1/devices/{which}/join", { path: { which: one.device.id }, body: { devices: [one.other.id] } })
            .then(() => setOpen({ kind: "device", id: one.device.id }))
        : api.remove("/api/v1/reviews/{identity}", { path: { identity: one.id ?? 0 } }),
    onSuccess: refresh,
  });
  if (cases.length === 0) return null;
  return (
    <div className="my-3 rounded border border-amber px-3 py-2">
      <ul className="flex flex-col gap-2">
        {cases.map((one) => (
          <li key={`${one.id}-${one.device.id}-${one.other?.id}`} className="flex items-start gap-2 text-sm">
            <span className="min-w-0 flex-1">
              {named ? (
                <button
                  type="button"
                  className="font-semibold hover:underline"
                  onClick={() => setOpen({ kind: "device", id: one.device.id })}
                >
                  {one.device.name ?? `device ${one.device.id}`}
                </button>
              ) : null}
              {named ? ": " : ""}
              {one.said}
              {one.other
                ? ` That is device ${one.other.id}, ${one.other.name ? `called ${one.other.name}` : "which nobody has named"}.`
                : ""}
            </span>
            <Button tone={one.other ? "ink" : "plain"} disabled={settle.isPending} onClick={() => settle.mutate(one)}>
              {one.other ? "This is it" : "Seen to it"}
            </Button>
          </li>
        ))}
      </ul>
      {settle.error ? (
        <p role="alert" className="mt-1 text-sm text-alarm">
          {settle.error.message}.
        </p>
      ) : null}
    </div>
  );
}
