// The plan as a whole: subnets with what is left in them, the mistakes, and a way to enter the next subnet.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api } from "../api/client";
import { count } from "../lib/format";
import { Button, Mono, Notice, Section } from "../parts/basics";
import { ProblemList } from "../parts/ProblemList";
import { Fill } from "./subnet/Arithmetic";
import { Roles, Sites } from "./plan/SitesAndRoles";
import { PlanForm } from "./subnet/PlanForm";

export default function PlanPage() {
  const subnets = useQuery({ queryKey: ["plan", "subnets"], queryFn: () => api.all("/api/v1/plan/subnets") });
  const problems = useQuery({ queryKey: ["plan", "problems"], queryFn: () => api.get("/api/v1/plan/problems") });
  if (subnets.error)
    return (
      <div className="p-6">
        <Notice tone="alarm">{subnets.error.message}</Notice>
      </div>
    );
  if (!subnets.data) return <p className="p-6 text-soft">Reading the plan…</p>;
  const several = new Set(subnets.data.map((one) => one.site.id)).size > 1;
  return (
    <div className="mx-auto max-w-6xl px-5 py-5">
      <div className="flex flex-wrap items-baseline gap-x-5">
        <h1 className="text-2xl font-semibold">
          {subnets.data.length === 0 ? "Nothing is planned yet" : several ? "The plan" : subnets.data[0]!.site.name}
        </h1>
        <span className="ml-auto flex gap-4 text-sm">
          <Link to="/import" className="underline decoration-rule underline-offset-4 hover:decoration-ink">
            Import a spreadsheet
          </Link>
          <a
            href="/api/v1/sheets/export?form=xlsx"
            className="underline decoration-rule underline-offset-4 hover:decoration-ink"
          >
            Export as XLSX
          </a>
          <a
            href="/api/v1/sheets/export?form=csv"
            className="underline decoration-rule underline-offset-4 hover:decoration-ink"
          >
            as CSV
          </a>
        </span>
      </div>
      {subnets.data.length === 0 ? (
        <p className="mt-2 max-w-3xl">
          Begin with the subnet you stand on: its range, its gateway. Then draw bands on its ruler, and ask for a free
          address: you get one with proof. What a DHCP server hands out already can be taken over under{" "}
          <Link to="/dhcp" className="underline">
            DHCP
          </Link>
          , and a spreadsheet imported.
        </p>
      ) : (
        <table className="mt-3 w-full text-left">
          <thead className="text-sm text-soft">
            <tr>
              {several ? <th className="font-normal">site</th> : null}
              <th className="font-normal">subnet</th>
              <th className="font-normal">called</th>
              <th className="text-right font-normal">VLAN</th>
              <th className="pl-6 font-normal">gateway</th>
              <th className="text-right font-normal">usable</th>
              <th className="text-right font-normal">in pools</th>
              <th className="text-right font-normal">taken</th>
              <th className="text-right font-normal">left</th>
              <td className="w-36" />
            </tr>
          </thead>
          <tbody>
            {subnets.data.map((one) => (
              <tr key={one.id} className="border-t border-rule">
                {several ? <td className="text-soft">{one.site.name}</td> : null}
                <td className="py-1">
                  <Link to={`/subnets/${one.cidr}`} className="hover:underline">
                    <Mono>{one.cidr}</Mono>
                  </Link>
                </td>
                <td>
                  {one.name}
                  {one.supernet ? <span className="text-soft"> supernet</span> : null}
                </td>
                <td className="text-right">{one.vlan}</td>
                <td className="pl-6">
                  <Mono>{one.gateway}</Mono>
                </td>
                <td className="text-right">{count(one.shares.usable)}</td>
                <td className="text-right">{count(one.shares.pooled)}</td>
                <td className="text-right">{count(one.shares.taken)}</td>
                <td className="text-right font-semibold">{count(one.shares.left)}</td>
                <td className="pl-4">
                  <Fill
                    part={1 - one.shares.left / Math.max(one.shares.usable, 1)}
                    label={`${count(one.shares.left)} of ${count(one.shares.usable)} left`}
                  />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <Section title="Mistakes and advice">
        {problems.data?.items.length ? (
          <ProblemList problems={problems.data.items} />
        ) : (
          <p className="text-sm text-soft">{problems.data ? "None." : "Checking…"}</p>
        )}
      </Section>
      <Moved />
      <Section title="Plan another subnet">
        <PlanForm />
      </Section>
      <Sites />
      <Roles />
    </div>
  );
}

/** After moves: what still has the old address entered, to be changed there and ticked off. */
function Moved() {
  const client = useQueryClient();
  const uses = useQuery({ queryKey: ["plan", "uses"], queryFn: () => api.all("/api/v1/uses") });
  const done = useMutation({
    mutationFn: (id: number) => api.post("/api/v1/uses/{identity}/done", { path: { identity: id } }),
    onSuccess: () => void client.invalidateQueries({ queryKey: ["plan"] }),
  });
  const open = uses.data?.filter((use) => use.moved_to) ?? [];
  if (open.length === 0) return null;
  return (
    <Section title="Moved, but still entered elsewhere">
      <ul>
        {open.map((use) => (
          <li key={use.id} className="flex items-center gap-3 border-b border-rule py-1">
            <span>
              {use.user} uses <Mono>{use.address}</Mono> for {use.purpose}: enter <Mono>{use.moved_to}</Mono> there.
            </span>
            <Button className="ml-auto" onClick={() => done.mutate(use.id)}>
              Done
            </Button>
          </li>
        ))}
      </ul>
    </Section>
  );
}
