// Who was only heard on a link. Anybody can send such frames, so none of them is a device until it answers, or a person says so.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api } from "../../api/client";
import type { ListeningView } from "../../api/types";
import { count, moment } from "../../lib/format";
import { useOpen } from "../../lib/open";
import { Button, Mono } from "../../parts/basics";

export function OnlyHeard({ link }: { link: ListeningView }) {
  const client = useQueryClient();
  const [, setOpen] = useOpen();
  const enter = useMutation({
    mutationFn: (mac: string) => api.post("/api/v1/devices", { body: { mac } }),
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: ["listening"] });
      setOpen({ kind: "device", id: made.device.id });
    },
  });
  if (link.heard_only.length === 0 && link.held_back === 0) return null;
  return (
    <details className="mt-1 text-sm">
      <summary className="cursor-pointer text-soft">
        Only heard, not yet a device because no question was answered: {count(link.heard_only.length)}
        {link.held_back ? `; answered, but too many an hour: ${count(link.held_back)}` : ""}
      </summary>
      <ul className="max-h-40 overflow-auto">
        {link.heard_only.map((one) => (
          <li key={one.mac} className="flex flex-wrap items-center gap-x-2 border-b border-rule/60 py-0.5">
            <Mono>{one.mac}</Mono> at <Mono>{one.address}</Mono>
            <span className="text-soft">
              {one.vendor ?? (one.local ? "locally administered" : "")}, last {moment(one.last_seen)}
            </span>
            <Button
              tone="quiet"
              className="ml-auto"
              disabled={enter.isPending}
              aria-label={`Make ${one.mac} a device`}
              onClick={() => enter.mutate(one.mac)}
            >
              Make it a device
            </Button>
          </li>
        ))}
      </ul>
    </details>
  );
}
