// Every planned pool, who hands it out and how full it is.
import { api } from "../../api/client";
import type { PoolView } from "../../api/types";
import { calledSubnet, count } from "../../lib/format";
import { Mono, Section } from "../../parts/basics";
import type { Column } from "../../parts/grid/column";
import { Grid } from "../../parts/grid/Grid";
import { atHand } from "../../parts/grid/source";
import { TakeOut } from "../../parts/grid/TakeOut";
import { Fill } from "../subnet/Arithmetic";

export function PoolList({ pools }: { pools: PoolView[] }) {
  return (
    <Section
      title="Pools"
      aside={
        <TakeOut
          title="Pools"
          columns={COLUMNS}
          all={(signal, told) => api.all("/api/v1/dhcp/pools", { signal }, told)}
        />
      }
    >
      <div className="flex max-h-96 flex-col">
        <Grid
          label="Pools"
          columns={COLUMNS}
          source={atHand(pools)}
          keyOf={(pool) => pool.band.id ?? 0}
          empty={<p className="text-sm text-soft">No pool is planned yet: draw one on a subnet's ruler.</p>}
        />
      </div>
    </Section>
  );
}

const full = (pool: PoolView) => `${Math.round((1 - pool.left / pool.size) * 100)} % full`;
const number = (name: "size" | "leased" | "reserved"): Column<PoolView> => ({
  name,
  width: "5rem",
  right: true,
  text: (pool) => String(pool[name]),
  cell: (pool) => count(pool[name]),
});
const COLUMNS: Column<PoolView>[] = [
  {
    name: "subnet",
    width: "minmax(7rem,1fr)",
    text: (pool) => calledSubnet(pool.subnet),
    cell: (pool) => calledSubnet(pool.subnet),
  },
  {
    name: "pool",
    width: "minmax(18rem,1fr)",
    text: (pool) => `${pool.first}-${pool.last}`,
    cell: (pool) => (
      <Mono>
        {pool.first} – {pool.last}
      </Mono>
    ),
  },
  {
    name: "handed out by",
    width: "minmax(7rem,1fr)",
    text: (pool) => pool.server?.name ?? "nobody",
    cell: (pool) => pool.server?.name ?? <span className="text-amber">nobody</span>,
  },
  number("size"),
  number("leased"),
  number("reserved"),
  {
    name: "left",
    width: "5rem",
    right: true,
    text: (pool) => String(pool.left),
    cell: (pool) => (
      <span className={`font-semibold ${pool.left * 10 < pool.size ? "text-alarm" : ""}`}>{count(pool.left)}</span>
    ),
  },
  {
    name: "full",
    width: "minmax(7rem,1fr)",
    text: full,
    cell: (pool) => <Fill part={1 - pool.left / pool.size} label={full(pool)} />,
  },
];
