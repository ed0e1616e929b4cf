// The columns of the device list: how each is shown, sorted, and copied as text.
import { ExternalLink } from "lucide-react";
import type { DeviceRow, DeviceSort } from "../../api/types";
import { ago, moment } from "../../lib/format";
import { Mono } from "../../parts/basics";
import type { Column } from "../../parts/grid/column";

export const COLUMN_NAMES = [
  "address",
  "name",
  "role",
  "mac",
  "vendor",
  "owner",
  "place",
  "last seen",
  "first seen",
  "ports",
  "web",
  "notes",
] as const;
export type ColumnName = (typeof COLUMN_NAMES)[number];
export const USUAL: readonly ColumnName[] = ["address", "name", "role", "mac", "vendor", "owner", "last seen"];

export const COLUMNS: Record<ColumnName, Omit<Column<DeviceRow, DeviceSort>, "name">> = {
  address: {
    width: "8.5rem",
    sort: "address",
    text: (d) => d.address ?? "",
    cell: (d) => <Mono>{d.address ?? "–"}</Mono>,
  },
  name: {
    width: "minmax(11rem, 2fr)",
    sort: "name",
    text: (d) => d.called,
    cell: (d) =>
      d.name ? (
        <span className="font-semibold">{d.name}</span>
      ) : (
        <span className="text-soft">{d.called || "unknown"}</span>
      ),
  },
  role: { width: "7rem", sort: "role", text: (d) => d.role, cell: (d) => d.role },
  mac: {
    width: "11.5rem",
    sort: "mac",
    text: (d) => d.mac ?? "",
    cell: (d) => (
      <Mono>
        {d.mac}
        {d.adapter_count > 1 ? <span className="text-soft"> +{d.adapter_count - 1}</span> : null}
      </Mono>
    ),
  },
  vendor: {
    width: "minmax(10.5rem, 1fr)",
    sort: "vendor",
    text: (d) => d.vendor ?? "",
    cell: (d) => d.vendor || (d.local ? <span className="text-soft">locally administered</span> : ""),
  },
  owner: { width: "8rem", sort: "owner", text: (d) => d.owner, cell: (d) => d.owner },
  place: { width: "8rem", text: (d) => d.place, cell: (d) => d.place },
  "last seen": {
    width: "6.5rem",
    sort: "last_seen",
    text: (d) => (d.expected ? "expected" : moment(d.last_seen)),
    cell: (d) =>
      d.expected ? (
        <span className="text-soft" title="planned, never seen">
          expected
        </span>
      ) : (
        <span title={moment(d.last_seen)}>{ago(d.last_seen)}</span>
      ),
  },
  "first seen": {
    width: "6.5rem",
    sort: "first_seen",
    text: (d) => moment(d.first_seen),
    cell: (d) => <span title={moment(d.first_seen)}>{ago(d.first_seen)}</span>,
  },
  ports: { width: "8rem", text: (d) => d.ports.join(" "), cell: (d) => <Mono>{d.ports.join(" ")}</Mono> },
  web: {
    width: "4rem",
    text: (d) => d.web ?? "",
    cell: (d) =>
      d.web ? (
        <a
          href={d.web}
          target="_blank"
          rel="noreferrer"
          onClick={(event) => event.stopPropagation()}
          className="inline-flex items-center gap-1 text-ink hover:underline"
        >
          page <ExternalLink className="size-3.5" />
        </a>
      ) : null,
  },
  notes: { width: "minmax(8rem, 1fr)", text: (d) => d.notes.replaceAll("\n", " / "), cell: (d) => d.notes },
};

/** Those of some names, in their order. */
export const columnsOf = (names: readonly ColumnName[]): Column<DeviceRow, DeviceSort>[] =>
  names.map((name) => ({ name, ...COLUMNS[name] }));
