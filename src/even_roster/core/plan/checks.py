"""Finds the mistakes in a plan, each as a sentence with the culprit and a remedy. Pure.

Every rule looks at one scope: a subnet with its bands, one assignment, one MAC, one hostname, or the subnets of a
site side by side. `Checked` keeps what each scope gave, so that one edit costs only the scopes it touches, and a
draft is checked by the very same rules before it is saved.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from ipaddress import IPv4Network

from ..address import Address, dotted
from ..mac import Mac, MacNumber
from ..text import host_key
from .model import Assignment, AssignmentKind, Band, BandKind, Item, Plan, Site, Subnet
from .roles import OnPool


class Severity(StrEnum):
    """`refused` cannot be saved; `mistake` will hurt; `advice` could be better."""

    REFUSED = "refused"
    MISTAKE = "mistake"
    ADVICE = "advice"


@dataclass(frozen=True, slots=True)
class Problem:
    """One mistake. `subjects` are (type, value) pairs: what it is about, for links and filters."""

    kind: str
    severity: Severity
    sentence: str
    remedy: str
    subjects: tuple[tuple[str, str], ...]

    @property
    def said(self) -> str:
        """Sentence and remedy in one."""
        return f"{self.sentence}; {self.remedy}"

    @property
    def rank(self) -> tuple[int, str, tuple[tuple[str, str], ...]]:
        """Sorts the worst first."""
        return _ORDER[self.severity], self.kind, self.subjects


Scope = tuple[str, int | str] | tuple[str, int, str]
_ORDER = {Severity.REFUSED: 0, Severity.MISTAKE: 1, Severity.ADVICE: 2}


class Checked:
    """A plan and its problems, by scope. What others look at is never changed: an edit gives another one, and costs a copy and
    the scopes it touches."""

    __slots__ = ("_found", "plan")

    def __init__(self, plan: Plan, found: Mapping[Scope, tuple[Problem, ...]] | None = None) -> None:
        """Without `found`, every scope is looked at."""
        self.plan = plan
        self._found = found if found is not None else _look(plan, _every_scope(plan), {})

    @property
    def problems(self) -> list[Problem]:
        """All problems, the worst first."""
        found = [problem for problems in self._found.values() for problem in problems]
        return sorted(found, key=lambda p: p.rank)

    def edited(self, before: Iterable[Item], after: Iterable[Item]) -> Checked:
        """The plan with an edit, and its problems then."""
        return Checked(self.plan.copy(), dict(self._found))._edit([*before], [*after])

    def _edit(self, before: Sequence[Item], after: Sequence[Item]) -> Checked:
        items = [*before, *after]
        touched = set(_touched(self.plan, items))
        apply(self.plan, before, after)
        touched.update(_touched(self.plan, items))
        self._found = _look(self.plan, touched, self._found)
        return self

    def added(self, then: Checked) -> list[Problem]:
        """The problems of an edited plan that this one does not have."""
        known = {problem for scope in then._found for problem in self._found.get(scope, ())}
        new = (p for scope, found in then._found.items() if found is not self._found.get(scope) for p in found)
        return sorted((p for p in new if p not in known), key=lambda p: (_ORDER[p.severity], p.kind))

    def draft(self, before: Sequence[Item], after: Sequence[Item]) -> list[Problem]:
        """What an edit would add to the problems."""
        return self.added(self.edited(before, after))


def _look(
    plan: Plan, scopes: Iterable[Scope], before: Mapping[Scope, tuple[Problem, ...]]
) -> dict[Scope, tuple[Problem, ...]]:  # fmt: skip
    """The problems of some scopes in the place of those they had before."""
    result = dict(before)
    for scope in scopes:
        if found := tuple(check_scope(plan, scope)):
            result[scope] = found
        else:
            result.pop(scope, None)
    return result


def apply(plan: Plan, before: Iterable[Item], after: Iterable[Item]) -> None:
    """Replace items: those of `before` that are not in `after` go, those of `after` come or change."""
    for item in before:
        plan.drop(item)
    for item in after:
        plan.put(item)


def _every_scope(plan: Plan) -> Iterator[Scope]:
    for site in plan.sites:
        yield "site", site
    for subnet in plan.subnets:
        yield "subnet", subnet
    for assignment in plan.assignments:
        yield "assignment", assignment
    for mac in plan.shared_macs():
        yield "mac", mac
    for site, name in plan.shared_names():
        yield "name", site, name


def _scopes_of(item: Assignment) -> Iterator[Scope]:
    yield "assignment", item.id
    if item.mac is not None:
        yield "mac", item.mac
    if item.name:
        yield "name", item.site, host_key(item.name)


def _touched(plan: Plan, items: Iterable[Item]) -> Iterator[Scope]:
    seen: set[Scope] = set()
    for item in items:
        for scope in _touched_by(plan, item):
            if scope not in seen:
                seen.add(scope)
                yield scope


def _touched_by(plan: Plan, item: Item) -> Iterator[Scope]:
    match item:
        case Site():
            yield "site", item.id
        case Subnet():
            yield "site", item.site
            yield "subnet", item.id
            for one in plan.assigned_in(item.site, item.first, item.last):
                yield "assignment", one.id
        case Band():
            yield "subnet", item.subnet
            if subnet := plan.subnets.get(item.subnet):
                for one in plan.assigned_in(subnet.site, subnet.first, subnet.last):
                    yield "assignment", one.id
        case Assignment():
            yield from _scopes_of(item)


def check_scope(plan: Plan, scope: Scope) -> Iterator[Problem]:
    """The problems of one scope."""
    match scope:
        case ("site", int(site)) if site in plan.sites:
            yield from _overlaps(plan, site)
        case ("subnet", int(identity)) if identity in plan.subnets:
            subnet = plan.subnets[identity]
            yield from _subnet(plan, subnet)
            yield from _bands(plan, subnet)
        case ("assignment", int(identity)) if identity in plan.assignments:
            yield from _assignment(plan, plan.assignments[identity])
        case ("mac", int(mac)):
            yield from _mac(plan, MacNumber(mac))
        case ("name", int(site), str(name)):
            yield from _name(plan, site, name)


def _of_subnet(subnet: Subnet) -> tuple[str, str]:
    return "subnet", str(subnet.network)


def _called(subnet: Subnet) -> str:
    return f"{subnet.name} ({subnet.network})" if subnet.name else str(subnet.network)


def _overlaps(plan: Plan, site: int) -> Iterator[Problem]:
    """Subnets of one site that share addresses. Supernets hold subnets, and a host route (/32) may lie in one."""
    widest: Subnet | None = None
    names: dict[str, Subnet] = {}
    for subnet in plan.subnets_of(site):
        key = subnet.name.casefold()
        if key and key in names:
            yield Problem(
                "name twice", Severity.REFUSED, f"{names[key].network} and {subnet.network} are both called {subnet.name}",
                "give one of them another name", (_of_subnet(names[key]), _of_subnet(subnet)),
            )  # fmt: skip
        names[key] = subnet
        if subnet.supernet:
            continue
        if widest is not None and subnet.first <= widest.last and subnet.network.prefixlen < 32:
            yield Problem(
                "overlapping subnets", Severity.REFUSED,
                f"{_called(subnet)} overlaps {_called(widest)}: both hold {dotted(max(subnet.first, widest.first))}"
                f" to {dotted(min(subnet.last, widest.last))}",
                _apart(subnet, widest), (_of_subnet(subnet), _of_subnet(widest)),
            )  # fmt: skip
        if subnet.network.prefixlen < 32 and (widest is None or subnet.last > widest.last):
            widest = subnet


def _apart(subnet: Subnet, other: Subnet) -> str:
    if subnet.network == other.network:
        return "one of the two is enough"
    if subnet.network.subnet_of(other.network):
        return f"split {other.network} first, make it a supernet, or choose a subnet outside it"
    return "choose another address or a longer prefix for one of them"


def _subnet(plan: Plan, subnet: Subnet) -> Iterator[Problem]:
    about = (_of_subnet(subnet),)
    gateway = subnet.gateway
    if gateway is not None and gateway not in range(subnet.first, subnet.last + 1):
        yield Problem(
            "gateway outside", Severity.REFUSED, f"The gateway {dotted(gateway)} does not lie in {_called(subnet)}",
            f"give one from {subnet.hosts.first} to {subnet.hosts.last}, or check the mask", about,
        )  # fmt: skip
    elif gateway is not None and not int(subnet.hosts.first) <= gateway <= int(subnet.hosts.last):
        which = "network" if gateway == subnet.first else "broadcast"
        yield Problem(
            "gateway not a host", Severity.REFUSED,
            f"{dotted(gateway)} is the {which} address of {_called(subnet)}, so it cannot be the gateway",
            f"give one from {subnet.hosts.first} to {subnet.hosts.last}", about,
        )  # fmt: skip
    if subnet.supernet and plan.bands_of(subnet.id):
        yield Problem(
            "bands in a supernet", Severity.REFUSED, f"{_called(subnet)} is a supernet, so it has no bands of its own",
            "draw the bands in the subnets it holds", about,
        )  # fmt: skip
    if gateway is None and not subnet.supernet and subnet.network.prefixlen < 31 and plan.bands_of(subnet.id):
        yield Problem(
            "no gateway", Severity.ADVICE, f"{_called(subnet)} has no gateway in the plan",
            "enter it, so that cards and DHCP hand it out and nobody is given its address", about,
        )  # fmt: skip


def _bands(plan: Plan, subnet: Subnet) -> Iterator[Problem]:
    before: Band | None = None
    for band in plan.bands_of(subnet.id):
        about = (_of_subnet(subnet), ("band", str(band.id)))
        if band.first < subnet.first or band.last > subnet.last:
            yield Problem(
                "band outside", Severity.REFUSED, f"The {band.title} does not lie in {_called(subnet)}",
                f"keep it within {subnet.hosts.first} to {subnet.hosts.last}", about,
            )  # fmt: skip
        if before is not None and band.first <= before.last:
            yield Problem(
                "overlapping bands", Severity.REFUSED,
                f"The {band.title} overlaps the {before.title}: both hold {dotted(band.first)}"
                f" to {dotted(min(before.last, band.last))}",
                f"begin it at {dotted(before.last + 1)}" if band.last > before.last else "make one of them shorter",
                (*about, ("band", str(before.id))),
            )  # fmt: skip
        if before is None or band.last > before.last:
            before = band
        if band.kind is BandKind.POOL:
            yield from _pool(subnet, band, about)


def _pool(subnet: Subnet, band: Band, about: tuple[tuple[str, str], ...]) -> Iterator[Problem]:
    if subnet.network.prefixlen < 31:
        for edge, which in ((subnet.first, "network"), (subnet.last, "broadcast")):
            if edge in band:
                yield Problem(
                    f"pool covers {which} address", Severity.REFUSED,
                    f"The {band.title} covers {dotted(edge)}, the {which} address of {_called(subnet)}",
                    f"keep it within {subnet.hosts.first} to {subnet.hosts.last}", about,
                )  # fmt: skip
    if subnet.gateway is not None and subnet.gateway in band:
        yield Problem(
            "pool covers gateway", Severity.REFUSED,
            f"The {band.title} covers the gateway {dotted(subnet.gateway)}",
            "end it before the gateway or begin it behind, or it is handed out to somebody some day", about,
        )  # fmt: skip
    gateway = band.options.gateway
    if gateway is not None and not subnet.first <= gateway <= subnet.last:
        yield Problem(
            "pool's gateway outside", Severity.REFUSED,
            f"The {band.title} hands out the gateway {dotted(gateway)}, which does not lie in {_called(subnet)}",
            "give a gateway of this subnet", about,
        )  # fmt: skip
    if band.server is None:
        yield Problem(
            "pool without a server", Severity.ADVICE, f"No DHCP server hands out the {band.title} in {_called(subnet)}",
            "name the server that does, so that it can be published and watched", about,
        )  # fmt: skip


def _assignment(plan: Plan, item: Assignment) -> Iterator[Problem]:
    subnet = plan.subnets.get(item.subnet)
    address = dotted(item.address)
    about: tuple[tuple[str, str], ...] = (("address", address),)
    if subnet is None:
        return
    if not subnet.first <= item.address <= subnet.last:
        yield Problem(
            "address outside subnet", Severity.REFUSED, f"{address} ({item.title}) does not lie in {_called(subnet)}",
            f"give an address from {subnet.hosts.first} to {subnet.hosts.last}", about,
        )  # fmt: skip
        return
    if not int(subnet.hosts.first) <= item.address <= int(subnet.hosts.last):
        which = "network" if item.address == subnet.first else "broadcast"
        yield Problem(
            f"{which} address assigned", Severity.REFUSED,
            f"{address} is the {which} address of {_called(subnet)}: no device can have it",
            f"give an address from {subnet.hosts.first} to {subnet.hosts.last}", about,
        )  # fmt: skip
    if subnet.supernet:
        yield Problem(
            "address in a supernet", Severity.REFUSED, f"{_called(subnet)} is a supernet: addresses belong to its subnets",
            "enter the subnet first", about,
        )  # fmt: skip
    if item.address == subnet.gateway and item.role != "network":
        yield Problem(
            "gateway's address assigned", Severity.REFUSED,
            f"{address} is the gateway of {_called(subnet)}; {item.title} cannot have it too",
            "choose another address, or give it the role network if it is the gateway", about,
        )  # fmt: skip
    if item.kind is AssignmentKind.RESERVED and item.mac is None:
        yield Problem(
            "reservation without a MAC", Severity.REFUSED, f"{address} is reserved for {item.title} without a MAC",
            "a DHCP server knows a device by its MAC: enter it, or make the assignment static", about,
        )  # fmt: skip
    if not item.on:
        return
    yield from _place(plan, subnet, item, about)
    yield from _role(plan, subnet, item, about)


def _place(plan: Plan, subnet: Subnet, item: Assignment, about: tuple[tuple[str, str], ...]) -> Iterator[Problem]:
    band = plan.band_at(subnet.id, item.address)
    address = dotted(item.address)
    if band is not None and band.kind is BandKind.POOL and item.kind is AssignmentKind.STATIC:
        yield Problem(
            "static inside pool", Severity.MISTAKE,
            f"{address} is typed into {item.title} but lies inside the {band.title}: the server may hand it to another device",
            "reserve it, give the device an address outside the pool, or end the pool before it",
            (*about, ("band", str(band.id))),
        )  # fmt: skip
    wanted = [b for b in plan.bands_of(subnet.id) if b.kind is BandKind.STATIC and item.role and item.role in b.roles]
    if band is not None and band.kind is BandKind.STATIC and band.roles and item.role and item.role not in band.roles:
        yield Problem(
            "outside its role's band", Severity.MISTAKE,
            f"{address} ({item.title}, {item.role}) lies in the {band.title}, which is for {' and '.join(band.roles)}",
            f"give it an address from {wanted[0].span}" if wanted else f"add {item.role} to the band's roles, or move it",
            (*about, ("band", str(band.id))),
        )  # fmt: skip
    elif wanted and band not in wanted and item.kind is AssignmentKind.STATIC and (
        band is None or band.kind is BandKind.STATIC
    ):  # fmt: skip
        yield Problem(
            "outside its role's band", Severity.MISTAKE,
            f"{address} ({item.title}, {item.role}) lies outside the {wanted[0].title}, which is for {item.role}",
            f"give it an address from {wanted[0].span}", (*about, ("band", str(wanted[0].id))),
        )  # fmt: skip
    if band is not None and band.kind is BandKind.SPARE:
        yield Problem(
            "assigned in a spare band", Severity.ADVICE,
            f"{address} ({item.title}) lies in the {band.title}, which is kept free",
            "choose another address, or make the band static", (*about, ("band", str(band.id))),
        )  # fmt: skip
    served = any(b.server is not None for b in plan.bands_of(subnet.id) if b.kind is BandKind.POOL)
    if item.kind is AssignmentKind.RESERVED and not served:
        yield Problem(
            "reservation without a server", Severity.ADVICE,
            f"{address} is reserved for {item.title}, but no DHCP server is planned in {_called(subnet)}",
            "draw a pool and name its server, or make the assignment static", about,
        )  # fmt: skip


def _role(plan: Plan, subnet: Subnet, item: Assignment, about: tuple[tuple[str, str], ...]) -> Iterator[Problem]:
    rule = plan.rule(item.role)
    if item.kind is AssignmentKind.RESERVED and rule.on_pool is OnPool.NEVER:
        yield Problem(
            "role depends on DHCP", Severity.MISTAKE,
            f"{item.title} ({item.role}) at {dotted(item.address)} gets its address by DHCP: "
            "it cannot be reached while the DHCP server is away",
            "type the address into the device and make the assignment static", about,
        )  # fmt: skip
    if item.kind is AssignmentKind.STATIC and rule.travels:
        yield Problem(
            "traveller with a static address", Severity.ADVICE,
            f"{item.title} ({item.role}) travels, and with {dotted(item.address)} typed in it works nowhere else",
            "reserve the address instead", about,
        )  # fmt: skip


def _mac(plan: Plan, mac: MacNumber) -> Iterator[Problem]:
    by_subnet: dict[int, list[Assignment]] = {}
    for item in plan.of_mac(mac):
        if item.on and item.kind is AssignmentKind.RESERVED:
            by_subnet.setdefault(item.subnet, []).append(item)
    for items in by_subnet.values():
        if len(items) > 1:
            places = " and ".join(dotted(item.address) for item in items)
            yield Problem(
                "reserved twice", Severity.REFUSED, f"{Mac(mac)} ({items[0].title}) is reserved {places} in one subnet",
                "a DHCP server can give it only one: release or switch off the other",
                tuple(("address", dotted(item.address)) for item in items),
            )  # fmt: skip


def _name(plan: Plan, site: int, name: str) -> Iterator[Problem]:
    items = [item for item in plan.of_name(site, name) if item.on]
    if len({item.mac if item.mac is not None else -item.id for item in items}) > 1:
        places = " and ".join(dotted(item.address) for item in items[:4])
        yield Problem(
            "one name, two devices", Severity.MISTAKE, f"{items[0].name} is the name of {len(items)} assignments: {places}",
            "give each device a name of its own, or names cannot be resolved",
            tuple(("address", dotted(item.address)) for item in items),
        )  # fmt: skip


def mask_problems(plan: Plan, own: Iterable[tuple[str, Address, IPv4Network]]) -> Iterator[Problem]:
    """Where this machine's own masks differ from the plan; `own` are (adapter, address, network) of the site here."""
    here = plan.here
    if here is None:
        return
    for adapter, address, network in own:
        subnet = plan.subnet_at(here.id, address)
        if subnet is not None and subnet.network != network:
            yield Problem(
                "wrong mask", Severity.MISTAKE,
                f"{adapter} of this machine has {dotted(address)} with the mask of {network}, "
                f"the plan says {_called(subnet)}",
                f"set {subnet.network.netmask} on the machine, or correct the subnet", (_of_subnet(subnet),),
            )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Observed:
    """A device of the roster with a role, and where it was seen last."""

    device: int
    name: str
    role: str
    address: Address
    mac: MacNumber | None


def policy_problems(plan: Plan, devices: Iterable[Observed]) -> Iterator[Problem]:
    """Devices that live on a pool's dynamic addresses although their role forbids it."""
    here = plan.here
    if here is None:
        return
    for device in devices:
        rule = plan.rule(device.role)
        subnet = plan.subnet_at(here.id, device.address) if rule.on_pool is not OnPool.FINE else None
        band = plan.band_at(subnet.id, device.address) if subnet else None
        if subnet is None or band is None or band.kind is not BandKind.POOL or plan.at(here.id, device.address):
            continue
        if device.mac is not None and any(a.on for a in plan.of_mac(device.mac)):
            continue
        never = rule.on_pool is OnPool.NEVER
        yield Problem(
            "role on a pool", Severity.MISTAKE if never else Severity.ADVICE,
            f"{device.name or 'A device without a name'} ({device.role}) lives at {dotted(device.address)}, "
            f"a dynamic address of the {band.title}",
            f"give it a static address in {subnet.name or subnet.network} and type it in"
            if never
            else f"reserve an address for it in {subnet.name or subnet.network}",
            (("address", dotted(device.address)), ("device", str(device.device))),
        )  # fmt: skip
