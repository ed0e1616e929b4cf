"""What every DHCP server can be asked to do, and what it does hand out. Pure. How the two differ: dhcp_difference."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from ipaddress import IPv4Network
from typing import Any

from .address import Address, address_of, dotted
from .mac import MacNumber, colons
from .plan.model import Assignment, AssignmentKind, Band, BandKind, HandedOut, Plan, Subnet


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
        return f"{colons(self.mac)} {dotted(self.address)}{f' {self.name}' if self.name else ''}"


NOTHING = HandedOut()


@dataclass(frozen=True, slots=True)
class Scope:
    """One subnet of a server: pools, what is handed out with them, reservations, and what single pools hand out instead."""

    network: IPv4Network
    pools: tuple[Pool, ...] = ()
    options: HandedOut = field(default_factory=HandedOut)
    reservations: tuple[Reservation, ...] = ()
    of_pools: tuple[tuple[Pool, HandedOut], ...] = ()

    def of_pool(self, pool: Pool) -> HandedOut:
        """What one pool hands out instead of what its subnet does."""
        return next((options for one, options in self.of_pools if one == pool), NOTHING)


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
        return f"reservation {colons(part.mac)} {dotted(part.address)}"
    return f"option {part}"


def key_of_pool(pool: Pool, option: str) -> str:
    """The same for what one pool hands out."""
    return f"option {option} of {pool}"


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


def desired(plan: Plan, server: int, by_pool: bool = False) -> list[Scope]:
    """What a server should hand out by the plan, by network. With `by_pool` the server can hand out other things in single pools of
    a subnet, save for their lease time. Raises PlanError."""
    pools: dict[int, list[Band]] = {}
    for band in plan.pools():
        if band.server == server:
            pools.setdefault(band.subnet, []).append(band)
    scopes = []
    for identity, bands in pools.items():
        subnet = plan.subnets[identity]
        bands.sort(key=lambda band: band.first)
        if differing := differ(subnet, bands, by_pool):
            raise PlanError(
                f"the pools of {subnet.name or subnet.network} hand out different things ({', '.join(differing)}), "
                "which their server cannot: give them the same, or make them subnets of their own"
            )
        usual, of_pools = _by_pool(subnet, bands)
        reserved = [
            _reservation(item) for item in plan.assigned_in(subnet.site, subnet.first, subnet.last) if _counts(item)
        ]
        ranges = tuple(Pool(band.first, band.last) for band in bands)
        scopes.append(Scope(subnet.network, ranges, usual, tuple(reserved), of_pools))
    return sorted(scopes, key=lambda scope: (address_of(scope.network.network_address), scope.network.prefixlen))


def differ(subnet: Subnet, bands: Sequence[Band], by_pool: bool) -> list[str]:
    """In what the pools of a subnet differ that one server cannot hand out, in words."""
    given = [band.options.over(subnet.handed_out) for band in bands]
    return [
        OPTION_NAMES[one.name]
        for one in fields(HandedOut)
        if (one.name == "lease_seconds" or not by_pool) and len({getattr(options, one.name) for options in given}) > 1
    ]


def _by_pool(subnet: Subnet, bands: Sequence[Band]) -> tuple[HandedOut, tuple[tuple[Pool, HandedOut], ...]]:
    """What all pools of a subnet hand out, and what single ones do instead."""
    given = [band.options.over(subnet.handed_out) for band in bands]
    usual: dict[str, Any] = {}
    for one in fields(HandedOut):
        values = [getattr(options, one.name) for options in given]
        usual[one.name] = values[0] if len(set(values)) == 1 else getattr(subnet.handed_out, one.name)
    common = HandedOut(**usual)
    of_pools = []
    for band, options in zip(bands, given, strict=True):
        own = {one.name: value for one in fields(HandedOut) if (value := getattr(options, one.name)) != usual[one.name]}
        if own:
            of_pools.append((Pool(band.first, band.last), HandedOut(**own)))
    return common, tuple(of_pools)


def _counts(item: Assignment) -> bool:
    return item.on and item.kind is AssignmentKind.RESERVED and item.mac is not None


def _reservation(item: Assignment) -> Reservation:
    assert item.mac is not None
    return Reservation(item.mac, item.address, item.name)


@dataclass(frozen=True, slots=True)
class Adoption:
    """What adopting a server's configuration adds to the plan, and what stands in the way, in words."""

    subnets: tuple[Scope, ...]
    pools: tuple[tuple[IPv4Network, Pool], ...]
    reservations: tuple[tuple[IPv4Network, Reservation], ...]
    refused: tuple[str, ...]
    options: Mapping[IPv4Network, HandedOut] = field(default_factory=dict)
    of_pools: Mapping[Pool, HandedOut] = field(default_factory=dict)


def adoption(plan: Plan, site: int, server: int, there: Iterable[ScopeThere]) -> Adoption:
    """Compare a server's configuration with the plan: what is missing there, what disagrees."""
    new_subnets: list[Scope] = []
    pools: list[tuple[IPv4Network, Pool]] = []
    reservations: list[tuple[IPv4Network, Reservation]] = []
    refused: list[str] = []
    options: dict[IPv4Network, HandedOut] = {}
    of_pools: dict[Pool, HandedOut] = {}
    for one in there:
        scope = one.scope
        of_pools |= dict(scope.of_pools)
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
    return Adoption(tuple(new_subnets), tuple(pools), tuple(reservations), tuple(refused), options, of_pools)


def meaning(scopes: Iterable[Scope]) -> str:
    """What tells one state of a server from another, by what it hands out; subnets that hand out nothing do not count."""
    told = sorted({
        f"{scope.network} {part}"
        for scope in scopes
        for part in (
            *(str(pool) for pool in scope.pools), *(str(one) for one in scope.reservations),
            *(f"{name}={text}" for name, text in option_items(scope.options) if text),
            *(f"{name}={text} of {pool}" for pool, options in scope.of_pools for name, text in option_items(options) if text),
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
        *(
            key_of_pool(pool, name)
            for pool, options in scope.of_pools
            for name, value in option_items(options)
            if value
        ),
    ]
