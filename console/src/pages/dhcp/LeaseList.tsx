// The leases that run, as the servers told them last; those of known devices can be kept, one or several.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api } from "../../api/client";
import type { LeaseView, SettledRow } from "../../api/types";
import { count, moment, plural, sentence } from "../../lib/format";
import { useOpen } from "../../lib/open";
import { Button, Input, Mono, Notice, Section } from "../../parts/basics";
import type { Column } from "../../parts/grid/column";
import { Grid } from "../../parts/grid/Grid";
import { atHand } from "../../parts/grid/source";
import { TakeOut } from "../../parts/grid/TakeOut";

const NOBODY: ReadonlyMap<string | number, LeaseView> = new Map();

/** What was made of a device's lease. */
function kept(one: SettledRow): string {
  if (one.why_not) return `nothing was changed: ${one.why_not}`;
  if (one.moves)
    return `static ${one.address}, since its role must not depend on a pool; its card says what to type in`;
  return one.kind === "reserved"
    ? `${one.address} is reserved for it; publish it`
    : `${one.address} is static, as it is typed in`;
}

export function LeaseList() {
  const [text, setText] = useState("");
  const [selected, setSelected] = useState(NOBODY);
  const [open, setOpen] = useOpen();
  const leases = useQuery({ queryKey: ["dhcp", "leases"], queryFn: () => api.all("/api/v1/dhcp/leases") });
  const client = useQueryClient();
  const keep = useMutation({
    mutationFn: (devices: number[]) => api.post("/api/v1/assignments/settle", { body: { devices } }),
    onSuccess: () => {
      setSelected(NOBODY);
      for (const key of ["dhcp", "assignments", "assignment", "explain", "plan", "ruler"])
        void client.invalidateQueries({ queryKey: [key] });
    },
  });
  if (leases.error) return <Notice tone="alarm">{leases.error.message}</Notice>;
  if (!leases.data?.length) return null;
  const wanted = text.trim().toLowerCase();
  const found = leases.data.filter((one) => one.active && matches(one, wanted));
  const chosen = [...new Set([...selected.values()].flatMap((one) => (one.device ? [one.device.id] : [])))];
  return (
    <Section
      title={`Leases (${count(found.length)})`}
      aside={
        <span className="flex items-center gap-2">
          {chosen.length > 0 ? (
            <Button tone="ink" disabled={keep.isPending} onClick={() => keep.mutate(chosen)}>
              Keep {plural(chosen.length, "address", "addresses")}
            </Button>
          ) : null}
          <Input
            type="search"
            aria-label="Narrow the leases"
            placeholder="Narrow"
            value={text}
            onChange={(event) => setText(event.target.value)}
            className="w-48"
          />
          <TakeOut title="Leases" columns={COLUMNS} all={() => Promise.resolve(found)} />
        </span>
      }
    >
      {keep.error ? (
        <p role="alert" className="mb-1 text-sm text-alarm">
          {sentence(keep.error.message)}.
        </p>
      ) : null}
      {keep.data?.devices.map((one) => (
        <p key={one.device?.id ?? one.name} role="status" className="mb-1 text-sm">
          {one.name || `device ${one.device?.id}`}: {kept(one)}.
        </p>
      ))}
      <div className="flex max-h-[32rem] flex-col">
        <Grid
          label="Leases"
          columns={[
            ...COLUMNS,
            {
              name: "keep",
              width: "4.5rem",
              text: () => "",
              cell: (one) =>
                one.device ? (
                  <button
                    type="button"
                    disabled={keep.isPending}
                    className="underline decoration-rule underline-offset-4 hover:decoration-ink"
                    title="Make it lasting, as its role wants: reserved, or static outside of the pool"
                    onClick={(event) => {
                      event.stopPropagation();
                      keep.mutate([one.device!.id]);
                    }}
                  >
                    Keep
                  </button>
                ) : null,
            },
          ]}
          source={atHand(found)}
          keyOf={(one) => `${one.server.id}-${one.address}`}
          nameOf={(one) => one.address}
          isOpen={(one) => open?.kind === "address" && open.address === one.address}
          onOpen={(one) => setOpen({ kind: "address", address: one.address })}
          selected={selected}
          onSelected={setSelected}
          maySelect={(one) => one.device !== null}
          empty={<p className="text-sm text-soft">{wanted ? "No lease is like that." : "No lease runs now."}</p>}
        />
      </div>
      <p className="mt-2 text-sm text-soft">
        For servers that are edited by hand:{" "}
        <Link className="underline" to="/sheet">
          a sheet to type from
        </Link>
        .
      </p>
    </Section>
  );
}

const matches = (one: LeaseView, text: string) =>
  !text ||
  [one.address, one.name, one.mac, one.vendor, one.device?.name].some((value) => value?.toLowerCase().includes(text));
const COLUMNS: Column<LeaseView>[] = [
  { name: "address", width: "8.5rem", text: (one) => one.address, cell: (one) => <Mono>{one.address}</Mono> },
  { name: "mac", width: "11rem", text: (one) => one.mac ?? "", cell: (one) => <Mono>{one.mac}</Mono> },
  {
    name: "name",
    width: "minmax(9rem,2fr)",
    text: (one) => one.name || (one.device?.name ?? ""),
    cell: (one) => one.name || one.device?.name,
  },
  {
    name: "vendor",
    width: "minmax(8rem,1fr)",
    text: (one) => one.vendor ?? "",
    cell: (one) => <span className="text-soft">{one.vendor ?? (one.local ? "locally administered" : "")}</span>,
  },
  {
    name: "until",
    width: "11rem",
    text: (one) => (one.expires ? moment(one.expires) : "for ever"),
    cell: (one) => (one.expires ? moment(one.expires) : "for ever"),
  },
  { name: "server", width: "minmax(7rem,1fr)", text: (one) => one.server.name, cell: (one) => one.server.name },
];
