"""Names from the roster as texts: a hosts file, forward and reverse zones (RFC 1035 5), and their comparison with a DNS."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Network

from .address import Address, address_of, dotted
from .plan.model import Plan

TTL = 3600


@dataclass(frozen=True, slots=True)
class Named:
    """A name of the roster: its short form and its domain ('' for none), and the address it belongs to."""

    address: Address
    host: str
    domain: str

    @property
    def full(self) -> str:
        """The name with its domain."""
        return f"{self.host}.{self.domain}" if self.domain else self.host


def names_of(plan: Plan, site: int) -> list[Named]:
    """Every name that is assigned and on, by address. A name with a dot carries its own domain."""
    found = []
    for subnet in plan.subnets_of(site):
        for item in plan.assigned_in(site, subnet.first, subnet.last):
            if item.subnet == subnet.id and item.on and item.name:
                host, _, own = item.name.partition(".")
                found.append(Named(item.address, host.lower(), (own or subnet.domain).lower()))
    return sorted(found, key=lambda one: one.address)


def hosts_file(names: Iterable[Named]) -> str:
    """Lines of address, full name and short name, as hosts(5) reads them."""
    lines = ["# made from the roster; changes belong there\n"]
    for one in names:
        both = f"{one.full} {one.host}" if one.domain else one.host
        lines.append(f"{dotted(one.address)}\t{both}\n")
    return "".join(lines)


class ZoneError(ValueError):
    """A zone would not hold together; the message says what is missing."""


@dataclass(frozen=True, slots=True)
class Server:
    """A DNS server that serves the zones: its full name, and its address where the roster does not know it."""

    name: str
    address: Address | None = None


def usual_servers(plan: Plan, site: int, names: Iterable[Named]) -> list[Server]:
    """The DNS servers that the site's subnets hand out, by the names that the roster has for them."""
    full = {one.address: one.full for one in names if one.domain}
    handed_out = dict.fromkeys(address for subnet in plan.subnets_of(site) for address in subnet.dns)
    return [Server(full[address]) for address in handed_out if address in full]


def forward_zone(domain: str, names: Sequence[Named], serial: int, servers: Sequence[Server]) -> str:
    """A zone with an A record for every name of a domain. `servers` are the zone's own, the first is primary. One that lies in the
    domain needs an address there (RFC 1035 3.3.11, glue). Raises ZoneError."""
    records = [(one.host, one.address) for one in names if one.domain == domain]
    for server in servers:
        own = server.name.partition(".")[2]
        if not (own == domain or own.endswith(f".{domain}")) or any(one.full == server.name for one in names):
            continue
        if server.address is None:
            raise ZoneError(
                f"the DNS server {server.name} lies in {domain} and has no address in the roster: assign it one, "
                f"or give it as {server.name}=ADDRESS"
            )
        records.insert(0, (server.name.removesuffix(f".{domain}"), server.address))
    width = max((len(host) for host, _ in records), default=1)
    return "".join(
        [
            *_head(domain, serial, servers),
            *(f"{host:<{width}}  IN  A  {dotted(address)}\n" for host, address in records),
        ]
    )


def reverse_zones(network: IPv4Network) -> list[IPv4Network]:
    """The networks on octet bounds that hold a subnet's PTR records: parts of a large one, the /24 of a small one."""
    if network.prefixlen > 24:
        return [network.supernet(new_prefix=24)]
    return list(network.subnets(new_prefix=(network.prefixlen + 7) // 8 * 8 or 8))


def reverse_zone(network: IPv4Network, names: Iterable[Named], serial: int, servers: Sequence[Server]) -> str:
    """A zone with a PTR record for every name in a network on octet bounds (RFC 1035 3.5)."""
    octets = network.prefixlen // 8
    origin = ".".join([*reversed(str(network.network_address).split(".")[:octets]), "in-addr", "arpa"])
    first, last = address_of(network.network_address), address_of(network.broadcast_address)
    lines = _head(origin, serial, servers)
    for one in names:
        if first <= one.address <= last and one.domain:
            label = ".".join(reversed(dotted(one.address).split(".")[octets:]))
            lines.append(f"{label}  IN  PTR  {one.full}.\n")
    return "".join(lines)


def _head(origin: str, serial: int, servers: Sequence[Server]) -> list[str]:
    """Raises ZoneError: a zone without a server of its own is none (RFC 1035 3.3.13, RFC 1912 2.8)."""
    absolute = [f"{server.name.rstrip('.')}." for server in servers]
    if not absolute:
        raise ZoneError(
            "no DNS server of the site has a name with a domain in the roster; say which one serves the zone"
        )
    return [
        f"; made from the roster; changes belong there\n$ORIGIN {origin}.\n$TTL {TTL}\n",
        f"@  IN  SOA  {absolute[0]} hostmaster.{_mail_domain(origin, absolute[0])} ( {serial} 7200 1800 1209600 {TTL} )\n",
        *(f"@  IN  NS  {server}\n" for server in absolute),
    ]


def _mail_domain(origin: str, server: str) -> str:
    """Where the zone's keeper is reached: never an address in the reverse tree."""
    return server.partition(".")[2] if origin.endswith("in-addr.arpa") else f"{origin}."


@dataclass(frozen=True, slots=True)
class Told:
    """What a DNS said of one name of the roster: addresses of the name, names of the address; None where it did not
    answer."""

    named: Named
    addresses: tuple[Address, ...] | None
    names: tuple[str, ...] | None


@dataclass(frozen=True, slots=True)
class Disagreement:
    """Where DNS and roster differ, as a sentence, and what to do."""

    address: Address
    name: str
    kind: str
    sentence: str
    remedy: str


def compare(told: Iterable[Told]) -> list[Disagreement]:
    """Every disagreement between the roster and what a DNS said."""
    found = []
    for one in told:
        named = one.named
        place, full = dotted(named.address), named.full
        if one.addresses == () and one.names == ():
            said = f"{full} is {place} in the roster, but the DNS knows neither the name nor the address"
            found.append(
                Disagreement(named.address, full, "not in the DNS", said, f"enter {full} with {place} in the DNS")
            )
            continue
        if one.addresses is not None and named.address not in one.addresses:
            if not one.addresses:
                said, kind = f"{full} is {place} in the roster, but the DNS does not know the name", "name unknown"
            else:
                others = " and ".join(dotted(a) for a in one.addresses)
                said, kind = f"{full} is {place} in the roster, but the DNS says {others}", "name elsewhere"
            found.append(
                Disagreement(
                    named.address, full, kind, said, f"enter {full} with {place} in the DNS, or correct the roster"
                )
            )
        if one.names is not None and full not in [name.rstrip(".").lower() for name in one.names]:
            if not one.names:
                said, kind = f"{place} is {full} in the roster, but the DNS has no name for it", "no reverse name"
            else:
                others = " and ".join(name.rstrip(".") for name in one.names)
                said, kind = f"{place} is {full} in the roster, but the DNS calls it {others}", "other reverse name"
            found.append(Disagreement(named.address, full, kind, said, f"enter {full} as the reverse name of {place}"))
    return found
