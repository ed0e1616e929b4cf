// Pools and reservations on a page that prints, for a router with only a web form; MACs in the notation its form wants.
import { useQuery } from "@tanstack/react-query";
import { Printer } from "lucide-react";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api } from "../api/client";
import { Button, inputLook, Notice } from "../parts/basics";

const NOTATIONS: [string, string][] = [
  ["colons", "02:c0:9f:a0"],
  ["COLONS", "02:C0:9F:A0"],
  ["dashes", "02-c0-9f-a0"],
  ["DASHES", "02-C0-9F-A0"],
  ["dots", "02c0.9fa0"],
  ["bare", "02c09fa0"],
  ["BARE", "02C09FA0"],
];

export default function SheetPage() {
  const [notation, setNotation] = useState("colons");
  const server = useSearchParams()[0].get("server");
  const sheet = useQuery({
    queryKey: ["dhcp", "to type from", notation, server],
    queryFn: () => api.get("/api/v1/dhcp/export", { query: { form: "sheet", notation, server } }),
  });
  return (
    <div className="mx-auto max-w-4xl px-5 py-5 print:p-0">
      <div className="flex flex-wrap items-center gap-3 print:hidden">
        <h1 className="text-2xl font-semibold">Sheet to type from</h1>
        <label className="ml-auto text-sm text-soft">
          MACs as{" "}
          <select className={inputLook} value={notation} onChange={(event) => setNotation(event.target.value)}>
            {NOTATIONS.map(([name, shown]) => (
              <option key={name} value={name}>
                {shown}…
              </option>
            ))}
          </select>
        </label>
        <Button tone="ink" onClick={() => print()}>
          <Printer className="size-4" aria-hidden /> Print
        </Button>
      </div>
      {sheet.error ? <Notice tone="alarm">{sheet.error.message}</Notice> : null}
      <pre
        tabIndex={0}
        className="mt-3 overflow-auto rounded border border-rule bg-leaf p-4 font-mono text-sm print:border-0"
      >
        {sheet.data ? sheet.data.text || "No pool is planned yet." : sheet.error ? "" : "Reading…"}
      </pre>
    </div>
  );
}
