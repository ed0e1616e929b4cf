// What is to be entered into a server by hand, ticked off by what the wire shows of it.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Printer } from "lucide-react";
import { Link } from "react-router";
import { api } from "../../api/client";
import type { DhcpServerView, SheetLine } from "../../api/types";
import { ago, sentence } from "../../lib/format";
import { Button, Mono, Notice } from "../../parts/basics";

const BOXES: Record<SheetLine["tick"], [string, string]> = {
  "in effect": ["☑", "text-fine"],
  entered: ["☑", "text-fine"],
  "not yet": ["☒", "text-alarm"],
  "not shown yet": ["☐", "text-soft"],
  "cannot be seen from here": ["☐", "text-soft"],
};

export function SheetPanel({ server }: { server: DhcpServerView }) {
  const client = useQueryClient();
  const key = ["dhcp", "sheet", server.id];
  const sheet = useQuery({
    queryKey: key,
    queryFn: () => api.get("/api/v1/dhcp/servers/{which}/sheet", { path: { which: server.id } }),
  });
  const look = useMutation({
    mutationFn: () => api.post("/api/v1/dhcp/servers/{which}/sheet/look", { path: { which: server.id } }),
    onSuccess: (found) => client.setQueryData(key, found),
  });
  const found = sheet.data;
  if (!found)
    return sheet.error ? (
      <div className="mt-2">
        <Notice tone="alarm">{sheet.error.message}.</Notice>
      </div>
    ) : null;
  if (!found.handed_out_at)
    return (
      <p className="mt-2 text-sm text-soft">
        Nothing was handed out for it yet: compare and publish gives the sheet to enter.
      </p>
    );
  const open = found.lines.filter((line) => line.tick === "not yet" || line.tick === "not shown yet").length;
  const subnets = [...new Set(found.lines.map((line) => line.subnet.cidr))];
  return (
    <section className="mt-3" aria-label={`Sheet of ${server.name}`}>
      <div className="flex flex-wrap items-center gap-3">
        <p>
          To be entered into {server.name} by hand, handed out {ago(found.handed_out_at)}.{" "}
          {open === 0
            ? "The wire shows all of it that can be seen."
            : `${open} of ${found.lines.length} lines are not shown to be entered.`}{" "}
          {found.asked_at ? `The wire was asked ${ago(found.asked_at)}.` : ""}
        </p>
        <span className="ml-auto flex items-center gap-3">
          <Button disabled={look.isPending} onClick={() => look.mutate()}>
            {look.isPending ? "Asking the wire…" : "Ask the wire"}
          </Button>
          <Link
            className="flex items-center gap-1 underline decoration-rule underline-offset-4 hover:decoration-ink"
            to={`/sheet?server=${server.id}`}
          >
            <Printer className="size-4" aria-hidden /> To print
          </Link>
        </span>
      </div>
      {look.error ? (
        <p role="alert" className="mt-1 text-sm text-alarm">
          {look.error.message}.
        </p>
      ) : null}
      {(look.data?.remarks ?? []).map((note) => (
        <p key={note} className="mt-1 text-sm text-amber">
          {sentence(note)}.
        </p>
      ))}
      {subnets.map((subnet) => (
        <table key={subnet} className="relative mt-2 w-full text-left">
          <caption className="text-left font-semibold">
            <Mono>{subnet}</Mono>
          </caption>
          <thead className="sr-only">
            <tr>
              <th>tick</th>
              <th>what</th>
              <th>value</th>
              <th>what the wire shows</th>
            </tr>
          </thead>
          <tbody>
            {found.lines
              .filter((line) => line.subnet.cidr === subnet)
              .map((line) => {
                const [box, colour] = BOXES[line.tick];
                return (
                  <tr key={line.what + line.value} className="border-t border-rule align-baseline">
                    <td className={`w-7 ${colour}`} aria-hidden>
                      {box}
                    </td>
                    <td className="w-36 text-soft">{line.what}</td>
                    <td className="py-0.5">
                      <Mono>{line.value}</Mono>
                    </td>
                    <td className={`text-sm ${colour}`}>
                      {line.tick}
                      {line.said ? `: ${line.said}` : ""}
                    </td>
                  </tr>
                );
              })}
          </tbody>
        </table>
      ))}
    </section>
  );
}
