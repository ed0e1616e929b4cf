"""Turns requests into edits of the plan: what was, what is to be, and how the list of changes tells it.

Nothing is stored here; each function sees the plan as it is and gives an `Edit` for the plan keeper.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TypeVar

from ...api.plan import (
    AssignmentEdit,
    AssignmentNew,
    BandDraft,
    BandEdit,
    BandNew,
    HandedOutView,
    SiteEdit,
    SubnetEdit,
    SubnetNew,
    UseNew,
)
from ...core.address import Address, dotted
from ...core.mac import Mac, MacNumber
from ...core.plan import reshape
from ...core.plan.model import Assignment, AssignmentKind, Band, BandKind, Item, Plan, Site, Subnet, Use, called
from ...core.plan.told import told
from ...core.text import clean, clean_note
from ...store.edits import AddressTaken, EditError, Missing, Versions
from ...store.plan_edits import PlanConflict
from ..knowing.plan_book import Edit, Make
from ..naming import request_values

T = TypeVar("T", Site, Subnet, Band, Assignment, Use)


def found(items: dict[int, T], identity: int, versions: Versions, what: str) -> T:
    """An item by id at the version an edit is based on. Raises Missing, PlanConflict."""
    item = items.get(identity)
    if item is None:
        raise Missing(f"there is no {what} {identity} in the plan")
    if versions is not None and item.version not in versions:
        raise PlanConflict(f"{called(item)} was changed meanwhile", item)
    return item


def add_site(name: str, notes: str) -> Make:
    """A further site."""

    def make(plan: Plan) -> Edit:
        site = Site(0, _site_name(plan, name, 0), False, clean_note(notes))
        return Edit("add", "site", site.name, (), (site,), told(None, site))

    return make


def edit_site(identity: int, versions: Versions, request: SiteEdit) -> Make:
    """Rename a site, or say that the service stands in it."""

    def make(plan: Plan) -> Edit:
        site = found(plan.sites, identity, versions, "site")
        new = replace(
            site,
            name=_site_name(plan, request.name, identity) if request.name is not None else site.name,
            notes=clean_note(request.notes) if request.notes is not None else site.notes,
            here=site.here or bool(request.here),
        )
        before: tuple[Item, ...] = (site,)
        after: tuple[Item, ...] = (new,)
        if new.here and not site.here and plan.here is not None:
            before, after = (*before, plan.here), (*after, replace(plan.here, here=False))
        return Edit("set", "site", site.name, before, after, told(site, new))

    return make


def remove_site(identity: int) -> Make:
    """Take an empty site away."""

    def make(plan: Plan) -> Edit:
        site = found(plan.sites, identity, None, "site")
        if plan.subnets_of(identity):
            raise EditError(
                f"{site.name} still has {len(plan.subnets_of(identity))} subnets; remove them first", "site"
            )
        if site.here:
            raise EditError(f"this service stands in {site.name}; it cannot be removed", "site")
        return Edit("remove", "site", site.name, (site,), (), told(site, None))

    return make


def _site_name(plan: Plan, text: str, identity: int) -> str:
    name = clean(text, 80)
    if not name:
        raise EditError("a site needs a name", "name")
    if any(s.name.casefold() == name.casefold() and s.id != identity for s in plan.sites.values()):
        raise EditError(f"there is a site called {name!r} already", "name")
    return name


def add_subnet(request: SubnetNew, here: int) -> Make:
    """A subnet to plan."""

    def make(plan: Plan) -> Edit:
        subnet = Subnet(
            0, request_values.site(plan, request.site, here), _subnet_name(request.name), request_values.network(request.range),
            request_values.address(request.gateway, "gateway") if request.gateway else None,
            request_values.addresses(request.dns, "dns"), request_values.domain(request.domain),
            request_values.addresses(request.ntp, "ntp"),
            request.vlan or None, request.supernet, clean_note(request.notes),
        )  # fmt: skip
        for one in plan.subnets_of(subnet.site):
            if one.network == subnet.network:
                raise EditError(f"{subnet.network} is planned already{f' as {one.name}' if one.name else ''}", "range")
        return Edit("add", "subnet", str(subnet.network), (), (subnet,), told(None, subnet))

    return make


def edit_subnet(identity: int, versions: Versions, request: SubnetEdit) -> Make:
    """New values; a new range must hold everything that is in the subnet."""

    def make(plan: Plan) -> Edit:
        subnet = found(plan.subnets, identity, versions, "subnet")
        new = subnet
        if request.range is not None:
            network = request_values.network(request.range)
            if network != subnet.network:
                reshaped = reshape.resize(plan, subnet, network).after[0]
                assert isinstance(reshaped, Subnet)
                new = reshaped
        if request.name is not None:
            new = replace(new, name=_subnet_name(request.name))
        if request.gateway is not None:
            gateway = request.gateway.strip()
            new = replace(new, gateway=request_values.address(gateway, "gateway") if gateway else None)
        if request.dns is not None:
            new = replace(new, dns=request_values.addresses(request.dns, "dns"))
        if request.domain is not None:
            new = replace(new, domain=request_values.domain(request.domain))
        if request.ntp is not None:
            new = replace(new, ntp=request_values.addresses(request.ntp, "ntp"))
        if request.vlan is not None:
            new = replace(new, vlan=request.vlan or None)
        if request.supernet is not None:
            if request.supernet and reshape.contents(plan, subnet):
                raise EditError(f"{subnet.network} holds assignments, so it cannot be a supernet", "supernet")
            new = replace(new, supernet=request.supernet)
        if request.notes is not None:
            new = replace(new, notes=clean_note(request.notes))
        return Edit("set", "subnet", str(subnet.network), (subnet,), (new,), told(subnet, new))

    return make


def _subnet_name(text: str) -> str:
    name = clean(text, 80)
    if name[:1].isdigit():
        raise EditError("a subnet's name begins with a letter, so that it cannot be taken for a range", "name")
    return name


def split_subnet(identity: int, prefix: int) -> Make:
    """Cut a subnet into equal parts."""

    def make(plan: Plan) -> Edit:
        subnet = found(plan.subnets, identity, None, "subnet")
        reshaped = reshape.split(plan, subnet, prefix)
        parts = [str(item.network) for item in reshaped.after if isinstance(item, Subnet)]
        names = ({"subnet": str(subnet.network)}, {"subnets": ", ".join(parts[:8]) + (" …" if len(parts) > 8 else "")})
        return Edit("split", "subnet", str(subnet.network), reshaped.before, reshaped.after, names)

    return make


def join_subnets(identity: int, others: list[int]) -> Make:
    """Make neighbours one."""

    def make(plan: Plan) -> Edit:
        first = found(plan.subnets, identity, None, "subnet")
        rest = [found(plan.subnets, other, None, "subnet") for other in dict.fromkeys(others) if other != identity]
        reshaped = reshape.join(plan, first, rest)
        whole = next(item for item in reshaped.after if isinstance(item, Subnet))
        were = ", ".join(str(item.network) for item in (first, *rest))
        return Edit(
            "join", "subnet", str(whole.network), reshaped.before, reshaped.after,
            ({"subnets": were}, {"subnet": str(whole.network)}),
        )  # fmt: skip

    return make


def remove_subnet(identity: int) -> Make:
    """Take a subnet without assignments away."""

    def make(plan: Plan) -> Edit:
        subnet = found(plan.subnets, identity, None, "subnet")
        reshaped = reshape.removal(plan, subnet)
        return Edit("remove", "subnet", str(subnet.network), reshaped.before, (), told(subnet, None))

    return make


def add_band(request: BandNew) -> Make:
    """A band to draw."""

    def make(plan: Plan) -> Edit:
        subnet = found(plan.subnets, _id(request.subnet), None, "subnet")
        span = request_values.span(request.range, subnet)
        kind = BandKind(request.kind)
        band = Band(
            0, subnet.id, kind, int(span.first), int(span.last), clean(request.name, 80), _roles(plan, request.roles, kind),
            request_values.handed_out(request.options), _id(request.server or 0) or None, clean_note(request.notes),
        )  # fmt: skip
        return Edit("add", "band", f"{subnet.name or subnet.network} {span}", (), (band,), told(None, band))

    return make


def edit_band(identity: int, versions: Versions, request: BandEdit) -> Make:
    """New values for a band."""

    def make(plan: Plan) -> Edit:
        band = found(plan.bands, identity, versions, "band")
        subnet = plan.subnets[band.subnet]
        new = band
        if request.kind is not None:
            new = replace(new, kind=BandKind(request.kind))
        if request.range is not None:
            span = request_values.span(request.range, subnet)
            new = replace(new, first=int(span.first), last=int(span.last))
        if request.name is not None:
            new = replace(new, name=clean(request.name, 80))
        if request.roles is not None:
            new = replace(new, roles=_roles(plan, request.roles, new.kind))
        if request.options is not None:
            new = replace(new, options=request_values.handed_out(request.options))
        if request.server is not None:
            new = replace(new, server=_id(request.server) or None)
        if request.notes is not None:
            new = replace(new, notes=clean_note(request.notes))
        where = f"{subnet.name or subnet.network} {band.span}"
        return Edit("set", "band", where, (band,), (new,), told(band, new))

    return make


def draft_band(request: BandDraft) -> Make:
    """A band while it is being drawn."""
    if request.id is None:
        new = BandNew(
            subnet=request.subnet, kind=request.kind, range=request.range, roles=request.roles, server=request.server,
            options=request.options or HandedOutView(),
        )  # fmt: skip
        return add_band(new)
    edit = BandEdit(
        kind=request.kind, range=request.range, roles=request.roles, server=_id(request.server or 0), options=request.options
    )  # fmt: skip
    return edit_band(request.id, None, edit)


def remove_band(identity: int) -> Make:
    """Take a band away; what is assigned in it stays assigned."""

    def make(plan: Plan) -> Edit:
        band = found(plan.bands, identity, None, "band")
        subnet = plan.subnets[band.subnet]
        where = f"{subnet.name or subnet.network} {band.span}"
        return Edit("remove", "band", where, (band,), (), told(band, None))

    return make


def _roles(plan: Plan, roles: list[str], kind: BandKind) -> tuple[str, ...]:
    if roles and kind is not BandKind.STATIC:
        raise EditError(f"a {kind} band has no roles; only static bands are for certain roles", "roles")
    return tuple(dict.fromkeys(request_values.role(role, plan) for role in roles if role.strip()))


def assign(request: AssignmentNew, site: int, address: Address, mac: MacNumber | None) -> Make:
    """An address for a device; the caller has settled which address and MAC. Raises AddressTaken when it is not free."""

    def make(plan: Plan) -> Edit:
        there = plan.at(site, address)
        if there is not None:
            raise AddressTaken(taken_sentence(there))
        subnet = plan.subnet_at(site, address)
        if subnet is None:
            raise EditError(
                f"{dotted(address)} lies in no planned subnet; enter the subnet first: 'roster subnet add'", "address"
            )
        name = request_values.hostname(request.name)
        if mac is None and not name and not request.device:
            raise EditError("an assignment needs a MAC, a device or a name", "name")
        item = Assignment(
            0, site, subnet.id, address, AssignmentKind(request.kind), mac, name, request_values.role(request.role, plan),
            clean(request.notes, 1000), request.on, device=_id(request.device or 0),
        )  # fmt: skip
        action = "reserve" if item.kind is AssignmentKind.RESERVED else "assign"
        return Edit(action, "assignment", dotted(address), (), (item,), told(None, item))

    return make


def taken_sentence(item: Assignment) -> str:
    """Whose an address is."""
    mac = f" ({Mac(item.mac)})" if item.mac is not None and item.name else ""
    how = "reserved for" if item.kind is AssignmentKind.RESERVED else "assigned to"
    return f"{dotted(item.address)} is {how} {item.title}{mac}"


def edit_assignment(identity: int, versions: Versions, request: AssignmentEdit) -> Make:
    """New values for an assignment."""

    def make(plan: Plan) -> Edit:
        item = found(plan.assignments, identity, versions, "assignment")
        new = item
        if request.kind is not None:
            new = replace(new, kind=AssignmentKind(request.kind))
        if request.mac is not None:
            new = replace(new, mac=request_values.maybe_mac(request.mac))
        if request.name is not None:
            new = replace(new, name=request_values.hostname(request.name))
        if request.role is not None:
            new = replace(new, role=request_values.role(request.role, plan))
        if request.notes is not None:
            new = replace(new, notes=clean(request.notes, 1000))
        if request.on is not None:
            new = replace(new, on=request.on)
        if new.mac is None and not new.name:
            raise EditError("an assignment needs a MAC or a name", "name")
        return Edit("set", "assignment", dotted(item.address), (item,), (new,), told(item, new))

    return make


def move(identity: int, address: Address, versions: Versions) -> Make:
    """Another address for an assignment; whoever uses the old one is marked to be told. Raises AddressTaken."""

    def make(plan: Plan) -> Edit:
        item = found(plan.assignments, identity, versions, "assignment")
        there = plan.at(item.site, address)
        if there is not None and there.id != item.id:
            raise AddressTaken(taken_sentence(there))
        subnet = plan.subnet_at(item.site, address)
        if subnet is None:
            raise EditError(f"{dotted(address)} lies in no planned subnet; enter the subnet first", "address")
        new = replace(item, address=address, subnet=subnet.id)
        uses = plan.uses_at(item.site, item.address) if address != item.address else []
        moved = [replace(use, moved_to=address) for use in uses]
        return Edit("move", "assignment", dotted(item.address), (item, *uses), (new, *moved), told(item, new))

    return make


def release(identity: int, versions: Versions = None) -> Make:
    """Take an assignment away."""

    def make(plan: Plan) -> Edit:
        item = found(plan.assignments, identity, versions, "assignment")
        return Edit("release", "assignment", dotted(item.address), (item,), (), told(item, None))

    return make


def add_use(request: UseNew, here: int) -> Make:
    """Record that somebody uses an address."""

    def make(plan: Plan) -> Edit:
        site = request_values.site(plan, request.site, here)
        use = Use(
            0, site, clean(request.user, 120), request_values.address(request.address), clean(request.purpose, 200)
        )
        if not use.user or not use.purpose:
            raise EditError("say who uses the address and for what", "purpose")
        return Edit("add", "use", dotted(use.address), (), (use,), told(None, use))

    return make


def finish_use(identity: int) -> Make:
    """The new address was entered there: the use is one of the new address."""

    def make(plan: Plan) -> Edit:
        use = found(plan.uses, identity, None, "use")
        if use.moved_to is None:
            raise EditError(f"nothing has moved: {use.user} uses {dotted(use.address)} as recorded")
        new = replace(use, address=use.moved_to, moved_to=None)
        return Edit("set", "use", dotted(use.address), (use,), (new,), told(use, new))

    return make


def remove_use(identity: int) -> Make:
    """Forget a use."""

    def make(plan: Plan) -> Edit:
        use = found(plan.uses, identity, None, "use")
        return Edit("remove", "use", dotted(use.address), (use,), (), told(use, None))

    return make


def _id(reference: int | str) -> int:
    """The id that a reference was found to mean before the edit was made."""
    assert isinstance(reference, int), reference
    return reference
