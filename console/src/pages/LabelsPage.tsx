// One sheet of labels for the ports of a switch: on paper at its true size, or as a file.
import { useQuery } from "@tanstack/react-query";
import { Download, Printer } from "lucide-react";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { api } from "../api/client";
import { Button, Field, Input, inputLook, Notice } from "../parts/basics";

const SAYS = [
  ["notes", "the note"],
  ["description", "the switch's description"],
  ["hangs", "who hangs there"],
] as const;

export default function LabelsPage() {
  const { id = "" } = useParams();
  const [pitch, setPitch] = useState("16");
  const [height, setHeight] = useState("10");
  const [rows, setRows] = useState("2");
  const [say, setSay] = useState<(typeof SAYS)[number][0]>("notes");
  const given = { switch: id, pitch_mm: Number(pitch), height_mm: Number(height), rows: Number(rows), say };
  const sheet = useQuery({
    queryKey: ["ports", "labels", given],
    queryFn: () => api.get("/api/v1/labels", { query: given }),
    placeholderData: (before) => before,
    retry: false,
  });
  const drawn = sheet.data ? `data:image/svg+xml;charset=utf-8,${encodeURIComponent(sheet.data.svg)}` : "";
  const number = (label: string, value: string, set: (text: string) => void, step = "0.1") => (
    <Field label={label}>
      <Input
        type="number"
        step={step}
        min="1"
        value={value}
        onChange={(event) => set(event.target.value)}
        className="w-24"
      />
    </Field>
  );
  return (
    <div className="mx-auto max-w-6xl px-5 py-5 print:m-0 print:p-0">
      <div className="print:hidden">
        <div className="flex flex-wrap items-center gap-3">
          <h1 className="text-2xl font-semibold">Labels</h1>
          <Link to={`/switches/${id}`} className="text-sm underline decoration-rule underline-offset-4">
            back to the ports
          </Link>
        </div>
        <div className="mt-2 flex flex-wrap items-end gap-3">
          {number("Pitch, mm", pitch, setPitch)}
          {number("Height, mm", height, setHeight)}
          {number("Rows of ports", rows, setRows, "1")}
          <Field label="Say">
            <select className={inputLook} value={say} onChange={(event) => setSay(event.target.value as typeof say)}>
              {SAYS.map(([value, name]) => (
                <option key={value} value={value}>
                  {name}
                </option>
              ))}
            </select>
          </Field>
          <Button tone="ink" onClick={() => print()}>
            <Printer className="size-4" aria-hidden /> Print at 100 %
          </Button>
          <a
            href={drawn}
            download="labels.svg"
            className="inline-flex items-center gap-1.5 rounded border border-rule bg-leaf px-2.5 py-1 text-sm hover:border-ink"
          >
            <Download className="size-4" aria-hidden /> SVG
          </a>
        </div>
        {sheet.error ? <Notice tone="alarm">{sheet.error.message}.</Notice> : null}
      </div>
      {drawn ? (
        <div
          tabIndex={0}
          role="group"
          aria-label="The sheet"
          className="mt-3 w-fit max-w-full overflow-auto rounded border border-rule bg-white p-2 print:border-0 print:p-0"
        >
          <img src={drawn} alt="The sheet of labels" className="max-w-none" />
        </div>
      ) : null}
    </div>
  );
}
