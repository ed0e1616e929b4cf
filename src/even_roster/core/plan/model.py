"""The plan as values: sites, subnets, bands, assignments, uses, and `Plan`, which holds them with their indexes.

`Plan` answers what every rule asks (who has this address, which band is it in, what is free between) in time
that does not grow with the size of a subnet. It never decides anything: that is for `checks`, `proof` and `free`.
Addresses are 32-bit integers, MACs 48-bit integers, so that a hundred thousand assignments stay small.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right, insort
from collections import defaultdict
from collections.abc import Hashable, Iterable, Iterator
from dataclasses import dataclass, field
from enum import StrEnum
from ipaddress import IPv4Network
from typing import TypeVar

from ..address import Address, address_of, dotted
from ..mac import Mac, MacNumber
from ..span import Span, usable
from ..text import host_key
from .roles import DEFAULT_RULES, UNKNOWN_ROLE, RoleRule
from .runs import Runs

K = TypeVar("K", bound=Hashable)


class BandKind(StrEnum):
    """What a stretch of a subnet is for: typed-in addresses, a DHCP pool, or nothing yet."""

    STATIC = "static"
    POOL = "pool"
    SPARE = "spare"


class AssignmentKind(StrEnum):
    """How a device gets its address: typed into it, or reserved for it at the DHCP server."""

    STATIC = "static"
    RESERVED = "reserved"


@dataclass(frozen=True, slots=True)
class Site:
    """A place with a network of its own; `here` marks the one this service stands in."""

    id: int
    name: str
    here: bool = False
    notes: str = ""
    version: int = 1


@dataclass(frozen=True, slots=True)
class HandedOut:
    """What a DHCP server hands out with an address (RFC 2132); empty values mean those of the subnet.

    `lease_seconds` 0 means the server's own; `vendor_options` are (code, hexadecimal value) pairs.
    """

    lease_seconds: int = 0
    gateway: Address | None = None
    dns: tuple[Address, ...] = ()
    domain: str = ""
    ntp: tuple[Address, ...] = ()
    boot_server: str = ""
    boot_file: str = ""
    vendor_options: tuple[tuple[int, str], ...] = ()

    def over(self, base: HandedOut) -> HandedOut:
        """These values, filled up from `base` where they are empty."""
        return HandedOut(
            self.lease_seconds or base.lease_seconds, base.gateway if self.gateway is None else self.gateway,
            self.dns or base.dns, self.domain or base.domain, self.ntp or base.ntp,
            self.boot_server or base.boot_server, self.boot_file or base.boot_file,
            self.vendor_options or base.vendor_options,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Subnet:
    """A planned subnet. A `supernet` is a block that holds subnets and no hosts of its own."""

    id: int
    site: int
    name: str
    network: IPv4Network
    gateway: Address | None = None
    dns: tuple[Address, ...] = ()
    domain: str = ""
    ntp: tuple[Address, ...] = ()
    vlan: int | None = None
    supernet: bool = False
    notes: str = ""
    version: int = 1

    @property
    def first(self) -> int:
        """The network address."""
        return address_of(self.network.network_address)

    @property
    def last(self) -> int:
        """The highest address, the broadcast address where there is one."""
        return address_of(self.network.broadcast_address)

    @property
    def hosts(self) -> Span:
        """What a host may have (RFC 3021 for a /31)."""
        return usable(self.network)

    @property
    def handed_out(self) -> HandedOut:
        """What its pools hand out unless they say otherwise."""
        return HandedOut(0, self.gateway, self.dns, self.domain, self.ntp)


@dataclass(frozen=True, slots=True)
class Band:
    """A stretch of a subnet with one purpose. `roles` empty means any; `server` is the DHCP server of a pool."""

    id: int
    subnet: int
    kind: BandKind
    first: int
    last: int
    name: str = ""
    roles: tuple[str, ...] = ()
    options: HandedOut = field(default_factory=HandedOut)
    server: int | None = None
    notes: str = ""
    version: int = 1

    @property
    def span(self) -> Span:
        """Its addresses."""
        return Span.of_ints(self.first, self.last)

    def __contains__(self, address: object) -> bool:
        return isinstance(address, int) and self.first <= address <= self.last

    @property
    def title(self) -> str:
        """What to call it in a sentence."""
        what = f"{'pool' if self.kind is BandKind.POOL else f'{self.kind} band'}"
        return f"{what} {self.name}" if self.name else f"{what} {self.span}"


@dataclass(frozen=True, slots=True)
class Assignment:
    """An address given to a device: to its adapter (`mac`), or to a name that was not seen yet (`mac` None). Off ones keep it.
    `role` is that of the device (0: to be settled, see `core.owning`), which is where it is stored."""

    id: int
    site: int
    subnet: int
    address: Address
    kind: AssignmentKind
    mac: MacNumber | None = None
    name: str = ""
    role: str = ""
    notes: str = ""
    on: bool = True
    version: int = 1
    device: int = 0

    @property
    def title(self) -> str:
        """Whom it belongs to, for a sentence."""
        return self.name or (str(Mac(self.mac)) if self.mac is not None else "nobody")


@dataclass(frozen=True, slots=True)
class Use:
    """`user` uses `address` for `purpose`. After a move, `moved_to` is the address that must be entered there."""

    id: int
    site: int
    user: str
    address: Address
    purpose: str
    moved_to: Address | None = None
    version: int = 1


Item = Site | Subnet | Band | Assignment | Use
_SHARED = (
    "sites", "subnets", "bands", "assignments", "uses", "rules", "_at", "_of_mac", "_of_device", "_of_name", "_uses_at",
)  # fmt: skip
"""What a copy of a plan holds in dictionaries of its own, with the same values."""


def called(item: Item) -> str:
    """What to call an item in a sentence."""
    match item:
        case Site():
            return f"the site {item.name}"
        case Subnet():
            return f"the subnet {item.name or item.network}"
        case Band():
            return f"the {item.title}"
        case Assignment():
            return f"the assignment of {dotted(item.address)}"
    return f"the use of {dotted(item.address)} by {item.user}"


class Plan:
    """All of the plan, indexed. `put` and `drop` keep the indexes; nothing else may change them. What others look at is never
    changed: an edit is made on a `copy`, which shares all items and costs a few milliseconds at 50,000 assignments."""

    def __init__(self, items: Iterable[Item] = (), rules: Iterable[RoleRule] = DEFAULT_RULES) -> None:
        self.sites: dict[int, Site] = {}
        self.subnets: dict[int, Subnet] = {}
        self.bands: dict[int, Band] = {}
        self.assignments: dict[int, Assignment] = {}
        self.uses: dict[int, Use] = {}
        self.rules: dict[str, RoleRule] = {rule.name: rule for rule in rules}
        self._bands_of: dict[int, list[Band]] = {}
        self._at: dict[tuple[int, int], Assignment] = {}
        self._addresses: dict[int, list[int]] = {}
        self._taken: dict[int, Runs] = {}
        self._of_mac: dict[MacNumber, tuple[int, ...]] = {}
        self._of_device: dict[int, tuple[int, ...]] = {}
        self._of_name: dict[tuple[int, str], tuple[int, ...]] = {}
        self._of_role: dict[tuple[int, str], Runs] = {}
        self._uses_at: dict[tuple[int, int], tuple[int, ...]] = {}
        self._sorted_subnets: dict[int, list[Subnet]] = {}
        self._subnet_firsts: dict[int, list[int]] = {}
        self._load(items)

    def _load(self, items: Iterable[Item]) -> None:
        """As many `put`s, but the sorted lists are sorted once."""
        addresses: dict[int, list[int]] = defaultdict(list)
        roles: dict[tuple[int, str], list[int]] = defaultdict(list)
        for item in items:
            if isinstance(item, Assignment):
                self._index(item)
                addresses[item.site].append(item.address)
                roles[item.site, item.role].append(item.address)
            else:
                self.put(item)
        for key, places in roles.items():
            self._of_role[key] = Runs(places)
        for site, found in addresses.items():
            self._addresses[site] = sorted(found)
            self._taken[site] = Runs(found)

    def copy(self) -> Plan:
        """The same plan, to be changed apart."""
        new = Plan(rules=())
        for name in _SHARED:
            setattr(new, name, getattr(self, name).copy())
        new._bands_of = {subnet: bands.copy() for subnet, bands in self._bands_of.items()}
        new._addresses = {site: addresses.copy() for site, addresses in self._addresses.items()}
        new._taken = {site: runs.copy() for site, runs in self._taken.items()}
        new._of_role = {key: runs.copy() for key, runs in self._of_role.items()}
        return new

    def put(self, item: Item) -> None:
        """Take an item in, or replace the one of its kind and id."""
        self.drop(item)
        match item:
            case Site():
                self.sites[item.id] = item
            case Subnet():
                self.subnets[item.id] = item
                self._sorted_subnets.pop(item.site, None)
            case Band():
                self.bands[item.id] = item
                insort(
                    self._bands_of.setdefault(item.subnet, []), item, key=lambda band: (band.first, band.last, band.id)
                )
            case Assignment():
                self._index(item)
                insort(self._addresses.setdefault(item.site, []), item.address)
                self._taken.setdefault(item.site, Runs()).add(item.address)
                self._of_role.setdefault((item.site, item.role), Runs()).add(item.address)
            case Use():
                self.uses[item.id] = item
                _with(self._uses_at, (item.site, item.address), item.id)

    def _index(self, item: Assignment) -> None:
        self.assignments[item.id] = item
        self._at[item.site, item.address] = item
        if item.mac is not None:
            _with(self._of_mac, item.mac, item.id)
        if item.device:
            _with(self._of_device, item.device, item.id)
        if item.name:
            _with(self._of_name, (item.site, host_key(item.name)), item.id)

    def drop(self, item: Item) -> None:
        """Take the item of this kind and id out, whatever its values are now."""
        match item:
            case Site():
                self.sites.pop(item.id, None)
            case Subnet():
                if old_subnet := self.subnets.pop(item.id, None):
                    self._sorted_subnets.pop(old_subnet.site, None)
            case Band():
                if old_band := self.bands.pop(item.id, None):
                    self._bands_of[old_band.subnet].remove(old_band)
            case Assignment():
                self._drop_assignment(item.id)
            case Use():
                if old_use := self.uses.pop(item.id, None):
                    _without(self._uses_at, (old_use.site, old_use.address), old_use.id)

    def _drop_assignment(self, identity: int) -> None:
        old = self.assignments.pop(identity, None)
        if old is None:
            return
        if self._at.get((old.site, old.address)) is old:
            del self._at[old.site, old.address]
            self._taken[old.site].remove(old.address)
        self._of_role[old.site, old.role].remove(old.address)
        addresses = self._addresses[old.site]
        del addresses[bisect_left(addresses, old.address)]
        if old.mac is not None:
            _without(self._of_mac, old.mac, identity)
        if old.device:
            _without(self._of_device, old.device, identity)
        if old.name:
            _without(self._of_name, (old.site, host_key(old.name)), identity)

    @property
    def here(self) -> Site | None:
        """The site this service stands in."""
        return next((site for site in self.sites.values() if site.here), None)

    def rule(self, role: str) -> RoleRule:
        """The rule of a role; an unknown one is free."""
        return self.rules.get(role, UNKNOWN_ROLE)

    def subnets_of(self, site: int) -> list[Subnet]:
        """A site's subnets by address, the larger first where they begin together."""
        found = self._sorted_subnets.get(site)
        if found is None:
            found = sorted(
                (s for s in self.subnets.values() if s.site == site), key=lambda s: (s.first, s.network.prefixlen)
            )
            self._subnet_firsts[site] = [subnet.first for subnet in found]  # before the other: several may ask at once
            self._sorted_subnets[site] = found
        return found

    def subnet_at(self, site: int, address: Address) -> Subnet | None:
        """The smallest subnet, supernets left out, that an address lies in."""
        subnets = self.subnets_of(site)
        at = bisect_right(self._subnet_firsts[site], address)
        best: Subnet | None = None
        for subnet in reversed(subnets[:at]):
            if subnet.supernet:
                continue
            if subnet.last >= address and (best is None or subnet.network.prefixlen > best.network.prefixlen):
                best = subnet
            elif best is not None or (subnet.last < address and subnet.network.prefixlen < 31):
                break
        return best

    def bands_of(self, subnet: int) -> list[Band]:
        """A subnet's bands by address."""
        return self._bands_of.get(subnet, [])

    def band_at(self, subnet: int, address: Address) -> Band | None:
        """The band of a subnet that an address lies in."""
        bands = self.bands_of(subnet)
        at = bisect_right(bands, address, key=_first_of) - 1
        return bands[at] if at >= 0 and bands[at].last >= address else None

    def pools(self) -> Iterator[Band]:
        """Every pool."""
        return (band for band in self.bands.values() if band.kind is BandKind.POOL)

    def at(self, site: int, address: Address) -> Assignment | None:
        """The assignment of an address."""
        return self._at.get((site, address))

    def taken(self, site: int) -> Runs:
        """Every assigned address of a site."""
        return self._taken.get(site) or Runs()

    def of_role(self, site: int, role: str) -> Runs:
        """Every assigned address of a role at a site."""
        return self._of_role.get((site, role)) or Runs()

    def shared_macs(self) -> Iterator[int]:
        """MACs with more than one assignment."""
        return (mac for mac, items in self._of_mac.items() if len(items) > 1)

    def shared_names(self) -> Iterator[tuple[int, str]]:
        """Names with more than one assignment, by site."""
        return (key for key, items in self._of_name.items() if len(items) > 1)

    def assigned_in(self, site: int, first: int, last: int) -> Iterator[Assignment]:
        """The assignments within first..last, by address."""
        addresses = self._addresses.get(site, [])
        at = bisect_left(addresses, first)
        while at < len(addresses) and addresses[at] <= last:
            yield self._at[site, addresses[at]]
            at += 1

    def count_in(self, site: int, first: int, last: int) -> int:
        """How many assignments lie within first..last; two binary searches."""
        addresses = self._addresses.get(site, [])
        return bisect_right(addresses, last) - bisect_left(addresses, first)

    def of_mac(self, mac: MacNumber) -> list[Assignment]:
        """The assignments of a MAC, at all sites, by address."""
        found = self._of_mac.get(mac)
        if not found:
            return []
        if len(found) == 1:
            return [self.assignments[one] for one in found]
        return sorted((self.assignments[one] for one in found), key=lambda a: (a.site, a.address))

    def of_device(self, device: int) -> list[Assignment]:
        """The assignments of a device, at all sites, by address."""
        found = self._of_device.get(device, ())
        return sorted((self.assignments[one] for one in found), key=lambda a: (a.site, a.address))

    def has_mac(self, mac: MacNumber) -> bool:
        """True when a MAC has an assignment at any site."""
        return bool(self._of_mac.get(mac))

    def of_name(self, site: int, name: str) -> list[Assignment]:
        """The assignments of a hostname at a site, by address."""
        found = self._of_name.get((site, host_key(name)), ())
        return sorted((self.assignments[i] for i in found), key=lambda a: a.address)

    def uses_at(self, site: int, address: Address) -> list[Use]:
        """Who uses an address."""
        return sorted((self.uses[i] for i in self._uses_at.get((site, address), ())), key=lambda use: use.id)


def _first_of(band: Band) -> Address:
    return Address(band.first)


def _with(index: dict[K, tuple[int, ...]], key: K, identity: int) -> None:
    """Enter an id under a key. The tuples are shared with copies, so they are replaced, never changed."""
    there = index.get(key, ())
    if identity not in there:
        index[key] = (*there, identity)


def _without(index: dict[K, tuple[int, ...]], key: K, identity: int) -> None:
    """Take an id out from under a key."""
    left = tuple(one for one in index.get(key, ()) if one != identity)
    if left:
        index[key] = left
    else:
        index.pop(key, None)
