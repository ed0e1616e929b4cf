// Earlier scans, and those that run.
import { Link, useNavigate } from "react-router";
import { api } from "../api/client";
import type { ScanInfo } from "../api/types";
import { ago, count, duration, moment, plural } from "../lib/format";
import { Mono, Notice } from "../parts/basics";
import type { Column } from "../parts/grid/column";
import { Grid } from "../parts/grid/Grid";
import { useStretches } from "../parts/grid/source";
import { TakeOut } from "../parts/grid/TakeOut";
import { ScanState } from "./scan/ScanState";

export default function ScansPage() {
  const go = useNavigate();
  const list = useStretches(["scans"], (cursor, limit, signal) =>
    api.get("/api/v1/scans", { query: { cursor, limit }, signal }),
  );
  return (
    <div className="flex h-full flex-col">
      <div className="flex flex-wrap items-end gap-3 px-4 pt-3 pb-2">
        <h1 className="text-2xl font-semibold">Scans</h1>
        <span className="ml-auto py-1 text-sm text-soft" aria-live="polite">
          {list.loaded ? plural(list.source.total, "scan") : ""}
        </span>
        <TakeOut title="Scans" columns={COLUMNS} all={(signal, told) => api.all("/api/v1/scans", { signal }, told)} />
      </div>
      {list.error ? (
        <div className="px-4 pb-2">
          <Notice tone="alarm">{list.error.message}</Notice>
        </div>
      ) : null}
      <Grid
        label="Scans"
        columns={COLUMNS}
        source={list.source}
        loaded={list.loaded}
        keyOf={(scan) => scan.id}
        onOpen={(scan) => void go(`/scans/${scan.id}`)}
        empty={
          <p>
            No scan yet.{" "}
            <Link to="/" className="text-ink underline">
              Scan the subnet you stand on
            </Link>
            .
          </p>
        }
      />
    </div>
  );
}

const number = (name: string, of: (scan: ScanInfo) => number, blank = false): Column<ScanInfo> => ({
  name,
  width: "6rem",
  right: true,
  text: (scan) => String(of(scan)),
  cell: (scan) => (blank && !of(scan) ? "" : count(of(scan))),
});
const COLUMNS: Column<ScanInfo>[] = [
  {
    name: "range",
    width: "minmax(12rem,2fr)",
    text: (scan) => scan.targets,
    cell: (scan) => <Mono>{scan.targets}</Mono>,
  },
  { name: "state", width: "8rem", text: (scan) => scan.state, cell: (scan) => <ScanState state={scan.state} /> },
  { name: "from", width: "minmax(7rem,1fr)", text: (scan) => scan.adapter, cell: (scan) => scan.adapter },
  {
    name: "started",
    width: "7rem",
    text: (scan) => moment(scan.started),
    cell: (scan) => <span title={moment(scan.started)}>{ago(scan.started)}</span>,
  },
  {
    name: "took",
    width: "6rem",
    right: true,
    text: (scan) => duration(scan.seconds),
    cell: (scan) => duration(scan.seconds),
  },
  number("answered", (scan) => scan.answered_count),
  number("silent", (scan) => scan.silent_count),
  number("foreign", (scan) => scan.foreign_count, true),
];
