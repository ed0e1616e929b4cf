"""What a DHCP server should hand out, what it does hand out, and the exact difference. Pure.

A server's configuration has parts that the plan owns (it wrote or adopted them) and parts that people wrote by hand.
The difference only ever adds, changes or removes owned parts; where a hand-written part stands against the plan it
is a conflict, said in words, and nothing is published.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from ipaddress import IPv4Network

from .address import Address, address_of, dotted
from .mac import Mac, MacNumber
from .plan.model import Assignment, AssignmentKind, Band, BandKind, HandedOut, Plan


@dataclass(frozen=True, slots=True)
class Pool:
    """A stretch that the server hands out."""

    first: int
    last: int

    def __str__(self) -> str:
        return f"{dotted(self.first)}-{dotted(self.last)}"


@dataclass(frozen=True, slots=True)
class Reservation:
    """An address kept for a MAC. `name` is the hostname handed out, empty for none."""

    mac: MacNumber
    address: Address
    name: str = ""

    def __str__(self) -> str:
        return f"{Mac(self.mac)} {dotted(self.address)}{f' {self.name}' if self.name else ''}"


@dataclass(frozen=True, slots=True)
class Scope:
    """One subnet of a server: pools, what is handed out with them, and reservations."""

    network: IPv4Network
    pools: tuple[Pool, ...] = ()
    options: HandedOut = field(default_factory=HandedOut)
    reservations: tuple[Reservation, ...] = ()


@dataclass(frozen=True, slots=True)
class ScopeThere:
    """A subnet as the server has it.

    `owned` are the keys of the parts that were written or adopted by the plan; `defaults` is what the server hands out
    where the subnet says nothing of its own.
    """

    scope: Scope
    owned: frozenset[str] = frozenset()
    defaults: HandedOut = field(default_factory=HandedOut)


def key_of(part: Pool | Reservation | str) -> str:
    """What tells a part of a scope apart: for ownership records."""
    if isinstance(part, Pool):
        return f"pool {part}"
    if isinstance(part, Reservation):
        return f"reservation {Mac(part.mac)} {dotted(part.address)}"
    return f"option {part}"


@dataclass(frozen=True, slots=True)
class Line:
    """One difference: `action` is add, change or remove; `before` and `after` as texts, empty where there is none."""

    action: str
    what: str
    network: str
    before: str
    after: str


@dataclass(frozen=True, slots=True)
class Difference:
    """What publishing would do. With `conflicts` nothing may be published; `left` counts hand-written parts."""

    lines: tuple[Line, ...]
    conflicts: tuple[str, ...]
    left: int
    scopes: tuple[Scope, ...]


OPTION_NAMES = {
    "lease_seconds": "lease time", "gateway": "gateway", "dns": "DNS servers", "domain": "domain", "ntp": "NTP servers",
    "boot_server": "boot server", "boot_file": "boot file", "vendor_options": "vendor options",
}  # fmt: skip


def option_items(options: HandedOut) -> list[tuple[str, str]]:
    """Every option as (field, text); an empty text is none."""
    return [(one.name, option_text(one.name, getattr(options, one.name))) for one in fields(options)]


def option_text(name: str, value: object) -> str:
    """An option's value as people write it."""
    if name == "gateway":
        return dotted(value) if isinstance(value, int) else ""
    if name in ("dns", "ntp") and isinstance(value, tuple):
        return ", ".join(dotted(address) for address in value)
    if name == "vendor_options" and isinstance(value, tuple):
        return ", ".join(f"{code}={text}" for code, text in value)
    if name == "lease_seconds":
        return f"{value} s" if value else ""
    return str(value)


class PlanError(ValueError):
    """The plan itself cannot be published; the message says what to change."""


def desired(plan: Plan, server: int) -> list[Scope]:
    """What a server should hand out by the plan, by network. Raises PlanError."""
    pools: dict[int, list[Band]] = {}
    for band in plan.pools():
        if band.server == server:
            pools.setdefault(band.subnet, []).append(band)
    scopes = []
    for identity, bands in pools.items():
        subnet = plan.subnets[identity]
        bands.sort(key=lambda band: band.first)
        options = {band.options.over(subnet.handed_out) for band in bands}
        if len(options) > 1:
            raise PlanError(
                f"the pools of {subnet.name or subnet.network} hand out different things; "
                "give them the same lease time, gateway, DNS servers and so on"
            )
        reserved = [
            _reservation(item) for item in plan.assigned_in(subnet.site, subnet.first, subnet.last) if _counts(item)
        ]
        scopes.append(
            Scope(
                subnet.network, tuple(Pool(band.first, band.last) for band in bands), next(iter(options)),
                tuple(reserved),
            )
        )  # fmt: skip
    return sorted(scopes, key=lambda scope: (address_of(scope.network.network_address), scope.network.prefixlen))


def _counts(item: Assignment) -> bool:
    return item.on and item.kind is AssignmentKind.RESERVED and item.mac is not None


def _reservation(item: Assignment) -> Reservation:
    assert item.mac is not None
    return Reservation(item.mac, item.address, item.name)


def difference(wanted: Sequence[Scope], there: Iterable[ScopeThere]) -> Difference:
    """What must be added, changed and removed so that a server has the plan, and what stands against it."""
    lines: list[Line] = []
    conflicts: list[str] = []
    left = 0
    result: list[Scope] = []
    known = {one.scope.network: one for one in there}
    for scope in wanted:
        now = known.pop(scope.network, None)
        if now is None:
            clash = next((n for n in known if n.overlaps(scope.network)), None)
            if clash is not None:
                conflicts.append(
                    f"the server has a subnet {clash} where the plan has {scope.network}: make the masks agree"
                )
                continue
            lines.append(Line("add", "subnet", str(scope.network), "", str(scope.network)))
            now = ScopeThere(Scope(scope.network))
        left += _compare(scope, now, lines, conflicts)
        result.append(scope)
    for network, other in known.items():
        if other.owned:
            empty = Scope(network)
            left += _compare(empty, other, lines, conflicts)
            result.append(empty)
        else:
            left += len(other.scope.pools) + len(other.scope.reservations)
    return Difference(tuple(lines), tuple(conflicts), left, tuple(result))


def _compare(wanted: Scope, now: ScopeThere, lines: list[Line], conflicts: list[str]) -> int:
    """Compare one subnet; gives how many hand-written parts are left as they are."""
    network = str(wanted.network)
    left = _pools(wanted, now, lines, conflicts)
    there, usual = dict(option_items(now.scope.options)), dict(option_items(now.defaults))
    for name, value in option_items(wanted.options):
        before = there[name]
        if not before and value == usual[name]:
            continue
        if before == value or (not value and key_of(name) not in now.owned):
            left += 1 if before and key_of(name) not in now.owned else 0
            continue
        title = OPTION_NAMES[name]
        if before and key_of(name) not in now.owned:
            conflicts.append(
                f"{network}: the server hands out the {title} {before} by hand, the plan says {value}; "
                "adopt the server's, or change the plan"
            )
            continue
        action = "add" if not before else "change" if value else "remove"
        lines.append(Line(action, title, network, before, value))
    return left + _reservations(wanted, now, lines, conflicts)


def pool_changes(wanted: Scope, now: ScopeThere) -> dict[Pool, Pool]:
    """Which of the plan's pools at a server become which: those that share an end, then those that overlap. What hangs on a pool
    there stays on it, so that it is changed and never taken out and made anew."""
    gone = [pool for pool in now.scope.pools if pool not in wanted.pools and key_of(pool) in now.owned]
    new = [pool for pool in wanted.pools if pool not in now.scope.pools]
    found: dict[Pool, Pool] = {}
    for alike in (_share_an_end, _overlap):
        for pool in gone:
            if pool not in found and (to := next((one for one in new if alike(pool, one)), None)) is not None:
                found[pool] = to
                new.remove(to)
    return found


def _share_an_end(one: Pool, other: Pool) -> bool:
    return one.first == other.first or one.last == other.last


def _overlap(one: Pool, other: Pool) -> bool:
    return one.first <= other.last and other.first <= one.last


def _pools(wanted: Scope, now: ScopeThere, lines: list[Line], conflicts: list[str]) -> int:
    network, left = str(wanted.network), 0
    changes = pool_changes(wanted, now)
    for pool in now.scope.pools:
        if pool in wanted.pools:
            continue
        if key_of(pool) in now.owned:
            to = changes.get(pool)
            lines.append(Line("change" if to else "remove", "pool", network, str(pool), str(to) if to else ""))
            continue
        left += 1
        for mine in wanted.pools:
            if _overlap(pool, mine):
                conflicts.append(
                    f"{network}: the server's own pool {pool} overlaps the planned {mine}; adopt it or change one"
                )
    for pool in wanted.pools:
        if pool not in now.scope.pools and pool not in changes.values():
            lines.append(Line("add", "pool", network, "", str(pool)))
    return left


def _reservations(wanted: Scope, now: ScopeThere, lines: list[Line], conflicts: list[str]) -> int:
    network, left = str(wanted.network), 0
    by_mac = {one.mac: one for one in wanted.reservations}
    by_address = {one.address: one for one in wanted.reservations}
    done: set[Reservation] = set()
    for one in now.scope.reservations:
        mine = by_mac.get(one.mac)
        owned = key_of(one) in now.owned
        if mine == one or (
            mine is not None and not owned and (mine.address, mine.name or one.name) == (one.address, one.name)
        ):
            done.add(mine)
            left += 0 if owned else 1
        elif owned:
            if mine is not None:
                done.add(mine)
                lines.append(Line("change", "reservation", network, str(one), str(mine)))
            else:
                lines.append(Line("remove", "reservation", network, str(one), ""))
        else:
            left += 1
            against = mine or by_address.get(one.address)
            if against is not None:
                conflicts.append(
                    f"{network}: the server has {one} by hand, the plan has {against}; adopt the server's, "
                    "or take it out there"
                )
                done.add(against)
    for one in wanted.reservations:
        if one not in done:
            lines.append(Line("add", "reservation", network, "", str(one)))
    return left


def lost(before: Iterable[ScopeThere], after: Iterable[ScopeThere]) -> list[str]:
    """Hand-written parts that are not there any more: publishing must never cause any."""
    now = {one.scope.network: one.scope for one in after}
    found = []
    for one in before:
        scope = now.get(one.scope.network, Scope(one.scope.network))
        there = dict(option_items(scope.options))
        parts: list[tuple[Pool | Reservation | str, bool]] = [
            *((pool, pool in scope.pools) for pool in one.scope.pools),
            *((entry, entry in scope.reservations) for entry in one.scope.reservations),
            *((name, there[name] == text) for name, text in option_items(one.scope.options) if text),
        ]
        found += [
            f"{scope.network} {key_of(part)}" for part, kept in parts if not kept and key_of(part) not in one.owned
        ]
    return found


@dataclass(frozen=True, slots=True)
class Adoption:
    """What adopting a server's configuration adds to the plan, and what stands in the way, in words."""

    subnets: tuple[Scope, ...]
    pools: tuple[tuple[IPv4Network, Pool], ...]
    reservations: tuple[tuple[IPv4Network, Reservation], ...]
    refused: tuple[str, ...]
    options: Mapping[IPv4Network, HandedOut] = field(default_factory=dict)


def adoption(plan: Plan, site: int, server: int, there: Iterable[ScopeThere]) -> Adoption:
    """Compare a server's configuration with the plan: what is missing there, what disagrees."""
    new_subnets: list[Scope] = []
    pools: list[tuple[IPv4Network, Pool]] = []
    reservations: list[tuple[IPv4Network, Reservation]] = []
    refused: list[str] = []
    options: dict[IPv4Network, HandedOut] = {}
    for one in there:
        scope = one.scope
        options[scope.network] = scope.options.over(one.defaults)
        subnet = next((s for s in plan.subnets_of(site) if s.network == scope.network), None)
        if subnet is None:
            clash = next(
                (s for s in plan.subnets_of(site) if not s.supernet and s.network.overlaps(scope.network)), None
            )
            if clash is not None:
                refused.append(f"{scope.network} overlaps the planned {clash.network}: make the masks agree first")
                continue
            new_subnets.append(replace(scope, options=options[scope.network]))
        for pool in scope.pools:
            bands = plan.bands_of(subnet.id) if subnet else []
            same = next((b for b in bands if (b.first, b.last) == (pool.first, pool.last)), None)
            if same is not None and same.kind is BandKind.POOL:
                if same.server != server:
                    pools.append((scope.network, pool))
                continue
            over = next((b for b in bands if b.first <= pool.last and pool.first <= b.last), None)
            if over is not None:
                refused.append(f"the server's pool {pool} overlaps the planned {over.title} ({over.span})")
            else:
                pools.append((scope.network, pool))
        for entry in scope.reservations:
            item = plan.at(site, entry.address)
            if item is not None and (item.mac, item.kind) == (entry.mac, AssignmentKind.RESERVED):
                continue
            if item is not None:
                refused.append(f"the server reserves {entry}, the plan has {dotted(item.address)} for {item.title}")
            else:
                reservations.append((scope.network, entry))
    return Adoption(tuple(new_subnets), tuple(pools), tuple(reservations), tuple(refused), options)


def meaning(scopes: Iterable[Scope]) -> str:
    """What tells one state of a server from another, by what it hands out; subnets that hand out nothing do not count."""
    told = sorted({
        f"{scope.network} {part}"
        for scope in scopes
        for part in (
            *(str(pool) for pool in scope.pools), *(str(one) for one in scope.reservations),
            *(f"{name}={text}" for name, text in option_items(scope.options) if text),
        )
    })  # fmt: skip
    return hashlib.sha256("\n".join(told).encode("utf-8", "surrogatepass")).hexdigest()[:24]


def still_owned(
    owned: Mapping[str, frozenset[str]], wanted: Iterable[Scope], there: Iterable[ScopeThere]
) -> dict[str, list[str]]:  # fmt: skip
    """The ownership record after publishing: what is wanted and there, and what was owned and is still there because it is work by
    hand."""
    mine = {str(scope.network): frozenset(keys_of(scope)) for scope in wanted}
    return {
        network: [key for key in keys_of(one.scope) if key in mine.get(network, ()) or key in owned.get(network, ())]
        for one in there
        if (network := str(one.scope.network)) in mine or network in owned
    }


def keys_of(scope: Scope) -> list[str]:
    """What tells the parts of a scope apart."""
    return [
        *(key_of(pool) for pool in scope.pools),
        *(key_of(name) for name, value in option_items(scope.options) if value),
        *(key_of(one) for one in scope.reservations),
    ]
