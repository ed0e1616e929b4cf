// Earlier scans, and those that run.
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api } from "../api/client";
import { ago, count, duration, moment } from "../lib/format";
import { Mono, Notice } from "../parts/basics";
import { ScanState } from "./scan/ScanState";

export default function ScansPage() {
  const scans = useQuery({ queryKey: ["scans"], queryFn: () => api.get("/api/v1/scans", { query: { limit: 100 } }) });
  if (scans.error)
    return (
      <div className="p-6">
        <Notice tone="alarm">{scans.error.message}</Notice>
      </div>
    );
  if (scans.data?.items.length === 0)
    return (
      <p className="p-6">
        No scan yet.{" "}
        <Link to="/" className="text-ink underline">
          Scan the subnet you stand on
        </Link>
        .
      </p>
    );
  return (
    <div className="mx-auto max-w-6xl px-5 py-5">
      <h1 className="mb-2 text-2xl font-semibold">Scans</h1>
      <table className="w-full text-left">
        <thead className="text-sm text-soft">
          <tr>
            {["range", "state", "from", "started", "took", "answered", "silent", "foreign"].map((name, i) => (
              <th key={name} className={`py-1 pr-4 font-normal ${i > 3 ? "text-right" : ""}`}>
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {scans.data?.items.map((scan) => (
            <tr key={scan.id} className="border-t border-rule hover:bg-wash">
              <td className="py-1 pr-4">
                <Link to={`/scans/${scan.id}`} className="hover:underline">
                  <Mono>{scan.targets}</Mono>
                </Link>
              </td>
              <td className="pr-4">
                <ScanState state={scan.state} />
              </td>
              <td className="pr-4">{scan.adapter}</td>
              <td className="pr-4" title={moment(scan.started)}>
                {ago(scan.started)}
              </td>
              <td className="pr-4 text-right">{duration(scan.seconds)}</td>
              <td className="pr-4 text-right">{count(scan.answered_count)}</td>
              <td className="pr-4 text-right">{count(scan.silent_count)}</td>
              <td className="pr-4 text-right">{scan.foreign_count || ""}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
