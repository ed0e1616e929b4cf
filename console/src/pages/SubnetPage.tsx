// One subnet: its ruler, its sums, and a scan of it.
import { useQuery } from "@tanstack/react-query";
import { useParams } from "react-router";
import { api } from "../api/client";
import type { Here, MeasureView } from "../api/types";
import { count } from "../lib/format";
import { Facts, Mono, Notice, Section } from "../parts/basics";
import { ScanForm } from "../parts/ScanForm";
import { SubnetRuler } from "./HerePage";

export default function SubnetPage() {
  const { base, prefix } = useParams();
  const subnet = `${base}/${prefix}`;
  const sums = useQuery({ queryKey: ["measure", subnet], queryFn: () => api.get<MeasureView>("/api/measure", { range: subnet }) });
  const here = useQuery({ queryKey: ["here"], queryFn: () => api.get<Here>("/api/here") });
  if (sums.error) return <div className="p-6"><Notice tone="alarm">{sums.error.message}</Notice></div>;
  const one = sums.data?.subnets[0];
  return (
    <div className="mx-auto max-w-6xl px-5 py-5">
      <h1 className="mb-3 text-2xl font-semibold"><Mono>{subnet}</Mono></h1>
      <SubnetRuler subnet={subnet} />
      {one ? (
        <Section title="Sums">
          <div className="grid gap-x-10 gap-y-1 md:grid-cols-3">
            <Facts rows={[["usable", `${count(one.hosts)} addresses`], ["from", <Mono key="f">{one.first_usable}</Mono>], ["to", <Mono key="t">{one.last_usable}</Mono>]]} />
            <Facts rows={[["mask", <Mono key="m">{one.mask}</Mono>], ["inverse mask", <Mono key="i">{one.inverse_mask}</Mono>], ["broadcast", <Mono key="b">{one.broadcast ?? "none"}</Mono>]]} />
            <Facts rows={[["kind", sums.data?.kind], ["reverse zone", <Mono key="r">{one.reverse_zone}</Mono>]]} />
          </div>
        </Section>
      ) : null}
      {here.data ? <Section title="Scan"><ScanForm key={subnet} initial={subnet} here={here.data} /></Section> : null}
    </div>
  );
}
