// Where this machine stands: its adapters, their subnets as rulers, and a scan. On an empty roster it teaches.
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api } from "../api/client";
import type { AdapterHere, Here } from "../api/types";
import { ago, count, plural } from "../lib/format";
import { useOpen } from "../lib/open";
import { Facts, Mono, Notice } from "../parts/basics";
import { Ruler } from "../parts/Ruler";
import { ScanForm } from "../parts/ScanForm";

export function HerePage() {
  const here = useQuery({ queryKey: ["here"], queryFn: () => api.get("/api/v1/here") });
  if (here.error)
    return (
      <div className="p-6">
        <Notice tone="alarm">{here.error.message}</Notice>
      </div>
    );
  if (!here.data) return <p className="p-6 text-soft">Reading this machine's adapters…</p>;
  const adapters = here.data.adapters.filter(
    (adapter) => adapter.medium !== "loopback" && adapter.addresses.length > 0,
  );
  const chosen = adapters.find((adapter) => adapter.chosen);
  return (
    <div className="mx-auto max-w-6xl px-5 py-5">
      {!here.data.scanned ? <FirstRun here={here.data} chosen={chosen} /> : <Summary here={here.data} />}
      <div className="mt-4">
        <ScanForm initial={chosen?.addresses[0]?.subnet.cidr ?? ""} here={here.data} />
      </div>
      {here.data.limits.map((limit) => (
        <p key={limit} className="mt-2 text-sm text-amber">
          Note: {limit}.
        </p>
      ))}
      {adapters.map((adapter) => (
        <AdapterBlock key={adapter.name} adapter={adapter} />
      ))}
      {here.data.scanned ? <OtherSubnets /> : null}
      <p className="mt-8 text-sm text-soft">
        Records are kept in <Mono>{here.data.home}</Mono>.
      </p>
    </div>
  );
}

function FirstRun({ here, chosen }: { here: Here; chosen: AdapterHere | undefined }) {
  const address = chosen?.addresses[0];
  return (
    <>
      <h1 className="text-2xl font-semibold">
        {here.device_count === 0 ? "The roster is empty." : "Nothing was scanned yet."} Begin with the subnet you stand
        on.
      </h1>
      {here.device_count > here.expected_count ? (
        <p className="mt-2 max-w-3xl">
          <Link to="/devices" className="underline">
            {plural(here.device_count - here.expected_count, "device")}
          </Link>{" "}
          are known from the leases of DHCP servers only.
        </p>
      ) : null}
      {here.expected_count > 0 ? (
        <p className="mt-2 max-w-3xl">
          <Link to="/devices?expected=true" className="underline">
            {plural(here.expected_count, "device")}
          </Link>{" "}
          {here.expected_count === 1 ? "is" : "are"} planned and expected.
        </p>
      ) : null}
      {chosen && address ? (
        <p className="mt-2 max-w-3xl">
          This machine, <b>{here.hostname}</b>, stands in <Mono>{address.subnet.cidr}</Mono> through{" "}
          <b>{chosen.name}</b>
          {chosen.gateway ? (
            <>
              {" "}
              with its gateway at <Mono>{chosen.gateway}</Mono>
            </>
          ) : null}
          . A scan asks each of its {count(address.hosts)} usable addresses who holds it, and enters every device that
          answers here, with MAC, vendor and names. Then you name what you know.
        </p>
      ) : (
        <p className="mt-2">{here.reason}.</p>
      )}
    </>
  );
}

function Summary({ here }: { here: Here }) {
  return (
    <div className="flex flex-wrap items-baseline gap-x-6 gap-y-1">
      <h1 className="text-2xl font-semibold">{here.hostname}</h1>
      <Link to="/devices" className="underline decoration-rule underline-offset-4 hover:decoration-ink">
        {plural(here.device_count, "device")}
      </Link>
      <Link to="/devices?unknown=true" className="underline decoration-rule underline-offset-4 hover:decoration-ink">
        {count(here.unknown_count)} that nobody has named or planned
      </Link>
      {here.expected_count > 0 ? (
        <Link to="/devices?expected=true" className="underline decoration-rule underline-offset-4 hover:decoration-ink">
          {count(here.expected_count)} expected, never seen
        </Link>
      ) : null}
      <span className="text-soft">
        A scan uses {here.chosen}: {here.reason}.
      </span>
    </div>
  );
}

function AdapterBlock({ adapter }: { adapter: AdapterHere }) {
  return adapter.addresses.map((address) => (
    <section key={address.address} className="mt-7">
      <div className="mb-2 flex flex-wrap items-baseline gap-x-4 border-b border-rule pb-1">
        <h2 className="text-lg font-semibold">
          <Link to={`/subnets/${address.subnet.cidr}`} className="hover:underline">
            {address.subnet.name} <Mono>{address.subnet.cidr}</Mono>
          </Link>
        </h2>
        <span>
          {adapter.name}
          {adapter.chosen ? ", used for scans" : ""}
        </span>
        <span className="text-sm text-soft">{address.known ? "" : "not scanned yet"}</span>
      </div>
      <div className="mb-3 grid gap-x-10 gap-y-1 text-sm md:grid-cols-3">
        <Facts
          rows={[
            ["own address", <Mono key="a">{address.address}</Mono>],
            [
              "mask",
              <Mono key="m">
                {address.mask} (/{address.prefix_length})
              </Mono>,
            ],
          ]}
        />
        <Facts
          rows={[
            ["gateway", adapter.gateway ? <Mono key="g">{adapter.gateway}</Mono> : "none"],
            ["DNS", <Mono key="d">{adapter.dns.join(", ")}</Mono>],
          ]}
        />
        <Facts
          rows={[
            [
              "usable",
              <Mono key="u">
                {address.first_usable} – {address.last_usable}
              </Mono>,
            ],
            [
              "adapter",
              <span key="x">
                <Mono>{adapter.mac}</Mono> {adapter.medium}, {adapter.up ? "up" : "down"}
              </span>,
            ],
            ["plugged into", adapter.plugged_into],
          ]}
        />
      </div>
      {address.known ? <SubnetRuler subnet={address.subnet.cidr} /> : null}
    </section>
  ));
}

export function SubnetRuler({ subnet }: { subnet: string }) {
  const [open, setOpen] = useOpen();
  const ruler = useQuery({
    queryKey: ["ruler", subnet],
    queryFn: () => api.get("/api/v1/ruler", { query: { range: subnet } }),
  });
  if (ruler.error) return <Notice tone="alarm">{ruler.error.message}</Notice>;
  if (!ruler.data) return <div className="h-24 rounded border border-rule bg-leaf" />;
  return (
    <Ruler
      data={ruler.data}
      selected={open?.kind === "address" ? open.address : null}
      onSelect={(address) => setOpen({ kind: "address", address })}
    />
  );
}

function OtherSubnets() {
  const subnets = useQuery({ queryKey: ["subnets"], queryFn: () => api.all("/api/v1/subnets") });
  const others = subnets.data?.filter((row) => !row.here) ?? [];
  if (others.length === 0) return null;
  return (
    <section className="mt-7">
      <h2 className="border-b border-rule pb-1 text-lg font-semibold">Scanned, but not on this machine's link</h2>
      <table className="mt-2 w-full max-w-3xl text-left">
        <thead className="text-sm text-soft">
          <tr>
            <th className="font-normal">subnet</th>
            <th className="font-normal">name</th>
            <th className="text-right font-normal">seen</th>
            <th className="text-right font-normal">usable</th>
            <th className="pl-6 font-normal">last scan</th>
          </tr>
        </thead>
        <tbody>
          {others.map((row) => (
            <tr key={row.subnet.cidr} className="border-t border-rule">
              <td className="py-1">
                <Link className="hover:underline" to={`/subnets/${row.subnet.cidr}`}>
                  <Mono>{row.subnet.cidr}</Mono>
                </Link>
              </td>
              <td>{row.subnet.name}</td>
              <td className="text-right">{count(row.seen)}</td>
              <td className="text-right">{count(row.hosts)}</td>
              <td className="pl-6">{ago(row.last_scan)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
