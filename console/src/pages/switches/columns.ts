// The columns of a list of ports when it is taken out: the trade's own.
import type { KeptPort } from "../../api/types";
import { moment } from "../../lib/format";
import type { Column } from "../../parts/grid/column";

const column = (name: string, text: (port: KeptPort) => string): Column<KeptPort> => ({
  name,
  width: "8rem",
  cell: text,
  text,
});

export const COLUMNS: Column<KeptPort>[] = [
  column("Switch", (port) => port.switch.name),
  column("Port", (port) => port.name),
  column("Description", (port) => port.alias),
  column("Note", (port) => port.notes),
  column("Mark", (port) => port.mark ?? ""),
  column("Admin", (port) => port.wanted),
  column("Link", (port) => port.link),
  column("Speed, Mbit/s", (port) => (port.speed ? String(port.speed / 1e6) : "")),
  column("Duplex", (port) => port.duplex),
  column("VLAN", (port) => (port.vlan === null ? "" : String(port.vlan))),
  column("Tagged VLANs", (port) => port.vlans.join(" ")),
  column("Spanning tree", (port) => port.tree),
  column("Uplink", (port) => (port.uplink ? "yes" : "")),
  column("Neighbour", (port) => port.neighbours.map((one) => one.name || one.chassis).join(", ")),
  column("MACs", (port) => String(port.behind_count)),
  column("Devices", (port) => port.behind.map((one) => one.device?.name ?? one.mac).join(", ")),
  column("MAC addresses", (port) => port.behind.map((one) => one.mac).join(" ")),
  column("IP addresses", (port) =>
    port.behind
      .map((one) => one.address ?? "")
      .filter(Boolean)
      .join(" "),
  ),
  column("Last change", (port) => (port.since ? moment(port.since) : "")),
];
