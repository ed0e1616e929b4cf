// One subnet: its ruler as the planning tool, its arithmetic, its mistakes, free addresses, and a scan of it.
import { useQuery } from "@tanstack/react-query";
import { PencilRuler } from "lucide-react";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { api } from "../api/client";
import type { BandView, Ruler as RulerData, SubnetPlan } from "../api/types";
import { addressNumber, addressText, count } from "../lib/format";
import { useOpen } from "../lib/open";
import type { Stretch } from "../lib/ruler";
import { Button, Facts, Mono, Notice, Section } from "../parts/basics";
import { ProblemList } from "../parts/ProblemList";
import { Ruler } from "../parts/Ruler";
import { ScanForm } from "../parts/ScanForm";
import { TimeSlider, useMoment } from "../parts/TimeSlider";
import { Arithmetic } from "./subnet/Arithmetic";
import { BandForm } from "./subnet/BandForm";
import { FreeFinder } from "./subnet/FreeFinder";
import { PlanForm } from "./subnet/PlanForm";
import { SettingsForm } from "./subnet/SettingsForm";

export default function SubnetPage() {
  const { base, prefix } = useParams();
  const subnet = `${base}/${prefix}`;
  const sums = useQuery({
    queryKey: ["measure", subnet],
    queryFn: () => api.get("/api/v1/measure", { query: { range: subnet } }),
  });
  const here = useQuery({ queryKey: ["here"], queryFn: () => api.get("/api/v1/here") });
  const [at] = useMoment();
  const ruler = useQuery({
    queryKey: ["ruler", subnet, at],
    queryFn: () => api.get("/api/v1/ruler", { query: { range: subnet, at } }),
    placeholderData: (before) => (before?.subnet.cidr === subnet ? before : undefined),
  });
  const id = ruler.data?.subnet.id;
  const plan = useQuery({
    queryKey: ["plan", "subnet", id],
    queryFn: () => api.get("/api/v1/plan/subnets/{which}", { path: { which: id ?? 0 } }),
    enabled: !!id,
  });
  const [, setOpen] = useOpen();
  if (sums.error)
    return (
      <div className="p-6">
        <Notice tone="alarm">{sums.error.message}</Notice>
      </div>
    );
  const one = sums.data?.sums[0];
  const planned = id ? plan.data : null;
  const unplanned = ruler.data && !id;
  return (
    <div key={subnet} className="mx-auto max-w-6xl px-5 py-5">
      <div className="mb-3 flex flex-wrap items-baseline gap-x-5">
        <h1 className="text-2xl font-semibold">
          {planned?.subnet.name ? `${planned.subnet.name} ` : ""}
          <Mono className="font-normal">{subnet}</Mono>
        </h1>
        {planned ? (
          <span className="text-soft">
            {planned.subnet.vlan ? `VLAN ${planned.subnet.vlan}, ` : ""}gateway {planned.subnet.gateway ?? "none"}
            {planned.subnet.supernet ? ", a supernet" : ""}
          </span>
        ) : null}
        {planned ? (
          <Link
            to={`/addresses?subnet=${planned.subnet.id}`}
            className="ml-auto text-sm underline decoration-rule underline-offset-4 hover:decoration-ink"
          >
            {count(planned.subnet.assignment_count)} assigned addresses
          </Link>
        ) : null}
      </div>
      {ruler.error ? <Notice tone="alarm">{ruler.error.message}</Notice> : null}
      {ruler.data ? <PlanningRuler data={ruler.data} plan={at ? null : (planned ?? null)} /> : null}
      <TimeSlider subject={subnet} />
      {at ? <p className="mt-3 text-sm text-soft">Below, everything is as it is now.</p> : null}
      {planned ? (
        <>
          <Section title="Arithmetic">
            <Arithmetic subnet={planned.subnet} />
          </Section>
          {planned.free_blocks.length > 0 ? (
            <p className="mt-2 text-sm">
              No subnet holds <Mono>{planned.free_blocks.join(", ")}</Mono>.
            </p>
          ) : null}
          {planned.problems.length > 0 ? (
            <Section title="Mistakes and advice">
              <ProblemList problems={planned.problems} />
            </Section>
          ) : null}
          {planned.subnet.supernet ? null : (
            <Section title="Free addresses">
              <FreeFinder where={subnet} onShow={(address) => setOpen({ kind: "address", address })} />
            </Section>
          )}
        </>
      ) : null}
      {planned ? (
        <Section title="Settings">
          <SettingsForm key={planned.subnet.version} subnet={planned.subnet} />
        </Section>
      ) : null}
      {unplanned ? (
        <Section title="Plan it">
          <p className="mb-2 text-sm text-soft">
            This subnet is not in the plan yet. Enter it, then draw its bands on the ruler: what is typed into devices,
            what DHCP hands out, what is kept free.
          </p>
          <PlanForm key={subnet} range={subnet} gateway={ruler.data?.gateway ?? ""} />
        </Section>
      ) : null}
      {one ? (
        <Section title="Sums">
          <div className="grid gap-x-10 gap-y-1 md:grid-cols-3">
            <Facts
              rows={[
                ["usable", `${count(one.hosts)} addresses`],
                ["from", <Mono key="f">{one.first_usable}</Mono>],
                ["to", <Mono key="t">{one.last_usable}</Mono>],
              ]}
            />
            <Facts
              rows={[
                ["mask", <Mono key="m">{one.mask}</Mono>],
                ["inverse mask", <Mono key="i">{one.inverse_mask}</Mono>],
                ["broadcast", <Mono key="b">{one.broadcast ?? "none"}</Mono>],
              ]}
            />
            <Facts
              rows={[
                ["kind", sums.data?.kind],
                ["DNS", planned?.subnet.dns.join(", ")],
                ["domain", planned?.subnet.domain],
                ["reverse zone", <Mono key="r">{one.reverse_zone}</Mono>],
              ]}
            />
          </div>
        </Section>
      ) : null}
      {here.data ? (
        <Section title="Scan">
          <ScanForm key={subnet} initial={subnet} here={here.data} />
        </Section>
      ) : null}
    </div>
  );
}

/** The ruler, and while a band is drawn or changed the form of it below. */
function PlanningRuler({ data, plan }: { data: RulerData; plan: SubnetPlan | null }) {
  const [open, setOpen] = useOpen();
  const [editing, setEditing] = useState<{ band: BandView | null; range: string } | null>(null);
  const [wrong, setWrong] = useState(false);
  const begin = (band: BandView | null) => {
    setWrong(false);
    setEditing({ band, range: band ? `${band.first}-${band.last}` : "" });
  };
  const stretch = editing ? stretchOf(editing.range) : null;
  const drawing = editing
    ? {
        id: editing.band?.id ?? null,
        stretch,
        wrong,
        onDraw: (drawn: Stretch) =>
          setEditing({ ...editing, range: `${addressText(drawn.first)}-${addressText(drawn.last)}` }),
      }
    : null;
  return (
    <div>
      <Ruler
        data={data}
        selected={open?.kind === "address" ? open.address : null}
        onSelect={(address) => setOpen({ kind: "address", address })}
        drawing={drawing}
        onBand={(id) => {
          const band = plan?.bands.find((one) => one.id === id);
          if (band) begin(band);
        }}
      />
      {plan && !plan.subnet.supernet && !editing ? (
        <div className="mt-1 flex flex-wrap items-center gap-2 text-sm">
          <Button onClick={() => begin(null)}>
            <PencilRuler className="size-4" aria-hidden /> Draw a band
          </Button>
          {plan.bands.length > 0 ? (
            <span className="text-soft">Click a band to change it:</span>
          ) : (
            <span className="text-soft">No band is drawn yet.</span>
          )}
          {plan.bands.map((band) => (
            <Button key={band.id} tone="quiet" onClick={() => begin(band)}>
              {band.name || `${band.kind} ${band.first.split(".").at(-1)}–${band.last.split(".").at(-1)}`}
            </Button>
          ))}
        </div>
      ) : null}
      {plan && editing ? (
        <BandForm
          key={editing.band?.id ?? "new"}
          subnet={plan.subnet.id}
          band={editing.band}
          range={editing.range}
          onRange={(range) => setEditing({ ...editing, range })}
          onWrong={setWrong}
          onClose={() => setEditing(null)}
        />
      ) : null}
    </div>
  );
}

const ADDRESS = /^\d{1,3}(\.\d{1,3}){3}$/;

function stretchOf(range: string): Stretch | null {
  const [first = "", last = ""] = range.split("-").map((part) => part.trim());
  if (!ADDRESS.test(first) || !ADDRESS.test(last)) return null;
  const [from, to] = [addressNumber(first), addressNumber(last)];
  return from <= to ? { first: from, last: to } : null;
}
