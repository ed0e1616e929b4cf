// Import a spreadsheet: choose it, see what every row would do and why, then take all of it in, or none.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Upload } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { api, Problem } from "../api/client";
import type { ImportReport, ImportRow } from "../api/types";
import { count, plural } from "../lib/format";
import { Button, Input, Mono, Notice, Section } from "../parts/basics";

const FIELDS = ["address", "name", "mac", "kind", "role", "notes", "on", "subnet", "site"];
const LOOKS = {
  add: ["+", "text-fine"],
  change: ["~", "text-amber"],
  refused: ["!", "text-alarm"],
  same: ["=", "text-soft"],
} as const;
const MOST = 500;

export default function ImportPage() {
  const [file, setFile] = useState<File | null>(null);
  const [mapping, setMapping] = useState<Record<string, string>>({});
  const client = useQueryClient();
  const run = useMutation({
    mutationFn: ({ dry, file: chosen, map }: { dry: boolean; file: File; map: Record<string, string> }) => {
      const mapping = Object.entries(map).map(([field, header]) => `${field}=${header}`);
      return api.sheet(new Blob([chosen]), { dry_run: dry, limit: MOST, mapping });
    },
    onSuccess: (report) => {
      if (!report.dry_run) void client.invalidateQueries();
    },
  });
  const undo = useMutation({
    mutationFn: (change: number) => api.post("/api/v1/changes/undo", { body: { change_ids: [change] } }),
    onSuccess: () => {
      run.reset();
      setFile(null);
      void client.invalidateQueries();
    },
  });
  const look = (chosen: File | null, map: Record<string, string>) => {
    setFile(chosen);
    setMapping(map);
    if (chosen) run.mutate({ dry: true, file: chosen, map });
    else run.reset();
  };
  const report = run.data;
  const told = run.error instanceof Problem ? (run.error.headers ?? []) : [];
  const headers = report ? [...Object.values(report.columns), ...report.ignored] : told;
  const sure = Object.entries(report?.columns ?? {}).filter(([field]) => report?.columns_by_values.includes(field));
  // The table below says the same, row by row, where no two are refused for one cause and no mapping would help.
  const groups = report?.causes.some((one) => one.count > 1 || one.remedies.length > 0);
  const ready = report?.dry_run && report.refused_count === 0 && report.added_count + report.changed_count > 0;
  return (
    <div className="mx-auto max-w-6xl px-5 py-5">
      <h1 className="text-2xl font-semibold">Import a spreadsheet</h1>
      <p className="mt-1 max-w-3xl text-soft">
        CSV or XLSX, columns in any order; the first row holds the headers. Nothing is changed until you have seen what
        every row would do. All rows are taken in, or none.
      </p>
      <label
        className="mt-4 flex max-w-xl cursor-pointer items-center gap-3 rounded border border-dashed border-ink bg-leaf px-4 py-3 hover:bg-wash"
        onDragOver={(event) => event.preventDefault()}
        onDrop={(event) => {
          event.preventDefault();
          look(event.dataTransfer.files[0] ?? null, {});
        }}
      >
        <Upload className="size-5" aria-hidden />
        <span>{file ? file.name : "Choose a file, or drop it here"}</span>
        <input
          type="file"
          aria-label="Spreadsheet"
          accept=".csv,.xlsx,.txt,.tsv"
          className="sr-only"
          onChange={(event) => look(event.target.files?.[0] ?? null, {})}
        />
      </label>
      {run.isPending ? (
        <p className="mt-3 text-soft" aria-live="polite">
          Reading the table…
        </p>
      ) : null}
      {run.error ? (
        <div className="mt-3">
          <Notice tone="alarm">{run.error.message}.</Notice>
        </div>
      ) : null}
      {file && (report?.dry_run || run.error) ? (
        <details className="mt-3 text-sm" open={!!run.error}>
          <summary className="cursor-pointer text-soft">
            {report
              ? `Read as ${report.read_as}. Columns: ${Object.entries(report.columns)
                  .map(([field, header]) => (header.toLowerCase() === field ? field : `${header} → ${field}`))
                  .join(", ")}${report.ignored.length ? `. Not used: ${report.ignored.join(", ")}` : ""}.`
              : "Say which column is which"}
          </summary>
          <div className="mt-2 grid max-w-3xl grid-cols-3 gap-2">
            {FIELDS.map((field) => (
              <label key={field} className="block">
                <span className="text-xs text-soft">{field} is the column</span>
                {headers.length ? (
                  <select
                    className="w-full rounded border border-rule bg-leaf px-2 py-1"
                    value={mapping[field] ?? report?.columns[field] ?? ""}
                    onChange={(event) => setMapping({ ...mapping, [field]: event.target.value })}
                  >
                    <option value="">none</option>
                    {headers.map((header) => (
                      <option key={header}>{header}</option>
                    ))}
                  </select>
                ) : (
                  <Input
                    value={mapping[field] ?? ""}
                    onChange={(event) => setMapping({ ...mapping, [field]: event.target.value })}
                  />
                )}
              </label>
            ))}
          </div>
          <Button className="mt-2" onClick={() => look(file, mapping)}>
            Read it again
          </Button>
        </details>
      ) : null}
      {report ? (
        <Section title={report.dry_run ? "What it would do" : "Done"}>
          <p className="mb-2" aria-live="polite">
            <b>{count(report.added_count)}</b> {report.dry_run ? "would be added" : "added"},{" "}
            <b>{count(report.changed_count)}</b> changed, {count(report.same_count)} the same,{" "}
            <b className={report.refused_count ? "text-alarm" : ""}>{count(report.refused_count)}</b> refused.
          </p>
          {sure.length ? (
            <p className="mb-2 max-w-3xl text-sm text-amber">
              {sure.map(([field, header]) => `${header} is taken as the ${field === "mac" ? "MAC" : field}`).join(", ")}
              , by what stands in it: look whether that is so.
            </p>
          ) : null}
          {groups ? <Causes report={report} onMap={(map) => look(file, map)} /> : null}
          <div className="mb-3 flex items-center gap-3">
            {report.dry_run ? (
              <Button
                tone="ink"
                disabled={!ready || run.isPending || !file}
                onClick={() => file && run.mutate({ dry: false, file, map: mapping })}
              >
                Take all of it in
              </Button>
            ) : null}
            {report.dry_run && report.refused_count ? (
              <span className="text-sm text-alarm">Correct the refused rows first: nothing is imported in part.</span>
            ) : null}
            {report.change_id ? <Button onClick={() => undo.mutate(report.change_id!)}>Take it back</Button> : null}
            {report.dry_run ? null : (
              <Link to="/addresses" className="underline decoration-rule underline-offset-4">
                See the addresses
              </Link>
            )}
          </div>
          <table className="w-full table-fixed text-left text-sm">
            <thead className="text-soft">
              <tr>
                <th className="w-16 text-right font-normal">row</th>
                <th className="w-24 pl-4 font-normal">what</th>
                <th className="w-36 font-normal">address</th>
                <th className="font-normal">values, or why not</th>
              </tr>
            </thead>
            <tbody>
              {report.rows.map((row) => (
                <Row key={row.row} row={row} />
              ))}
            </tbody>
          </table>
          {report.added_count + report.changed_count + report.refused_count > report.rows.length ? (
            <p className="mt-1 text-sm text-soft">
              and {count(report.added_count + report.changed_count + report.refused_count - report.rows.length)} rows
              more
            </p>
          ) : null}
        </Section>
      ) : null}
    </div>
  );
}

function Causes({ report, onMap }: { report: ImportReport; onMap: (map: Record<string, string>) => void }) {
  return (
    <ul className="mb-3 rounded border border-alarm bg-leaf px-4 py-2 text-sm" aria-label="Why rows are refused">
      {report.causes.map((one) => (
        <li key={`${one.column} ${one.cause}`} className="flex flex-wrap items-baseline gap-x-3 py-1">
          <span className="min-w-0 flex-1 break-words">
            <b>{plural(one.count, "row")}</b>
            {one.column ? <>, {one.column}</> : null}: {one.cause}.{" "}
            <span className="text-soft">
              {one.count === 1
                ? `Row ${one.rows[0]}: `
                : `Rows ${one.rows.join(", ")}${one.count > one.rows.length ? " …" : ""}; such as: `}
              {one.example}.
            </span>
          </span>
          {report.dry_run
            ? one.remedies.map((remedy) => (
                <Button key={remedy.said} onClick={() => onMap(asMap(remedy.mapping))}>
                  {remedy.said}
                </Button>
              ))
            : null}
        </li>
      ))}
    </ul>
  );
}

/** Pairs field=HEADER as a mapping; a header may hold equals signs of its own. */
function asMap(pairs: string[]): Record<string, string> {
  return Object.fromEntries(pairs.map((pair) => [pair.slice(0, pair.indexOf("=")), pair.slice(pair.indexOf("=") + 1)]));
}

function Row({ row }: { row: ImportRow }) {
  const [mark, colour] = LOOKS[row.action];
  return (
    <tr className="border-t border-rule align-top">
      <td className="py-0.5 text-right text-soft">{row.row}</td>
      <td className={`pl-4 ${colour}`}>
        <b>{mark}</b> {row.action}
      </td>
      <td>
        <Mono>{row.address}</Mono>
      </td>
      <td className="break-words">
        {row.action === "refused" ? (
          <>
            {row.column ? <b>{row.column}: </b> : null}
            {row.reason}
          </>
        ) : (
          Object.entries(row.after).map(([name, value]) => (
            <span key={name} className="mr-3">
              <span className="text-soft">{name}</span>{" "}
              {row.action === "change" ? `${row.before[name] || "nothing"} → ${value}` : value}
            </span>
          ))
        )}
        {row.warning ? <span className="block text-amber">but {row.warning}</span> : null}
      </td>
    </tr>
  );
}
