"""Turns the plan's values into the API's models."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address

from sqlalchemy import Connection

from ...api.common import DeviceRef
from ...api.plan import (
    AssignmentRow,
    AssignmentView,
    BandView,
    HandedOutView,
    ProblemView,
    Reservation,
    RoleShareView,
    SharesView,
    SiteView,
    Subject,
    SubnetPlan,
    SubnetView,
    UseView,
)
from ...core.address import address_of, dotted
from ...core.dhcp import Reservation as Entry
from ...core.dhcp import key_of
from ...core.mac import NOBODY, Mac, MacNumber
from ...core.measure import subnet_sums
from ...core.plan.checks import Problem
from ...core.plan.following import Followed, follow
from ...core.plan.model import Assignment, AssignmentKind, Band, BandKind, HandedOut, Plan, Site, Subnet, Use
from ...core.plan.shares import free_blocks, shares
from ...core.ticking import BY_HAND, Shown, restored
from ...store import lease_records, seen_records
from ...store.seen_records import KnownAs
from .. import refs, views
from ..context import Context, now_ms


def site_view(plan: Plan, site: Site) -> SiteView:
    """A site."""
    return SiteView(
        id=site.id, version=site.version, name=site.name, here=site.here, notes=site.notes,
        subnet_count=len(plan.subnets_of(site.id)),
    )  # fmt: skip


def problem_view(problem: Problem) -> ProblemView:
    """A problem."""
    return ProblemView(
        kind=problem.kind, severity=problem.severity.value, sentence=problem.sentence, remedy=problem.remedy,
        subjects=[Subject(type=kind, value=value) for kind, value in problem.subjects],
    )  # fmt: skip


def handed_out_view(options: HandedOut) -> HandedOutView:
    """What a pool hands out."""
    return HandedOutView(
        lease_seconds=options.lease_seconds, gateway=dotted(options.gateway) if options.gateway is not None else None,
        dns=[dotted(a) for a in options.dns], domain=options.domain, ntp=[dotted(a) for a in options.ntp],
        boot_server=options.boot_server, boot_file=options.boot_file,
        vendor_options=[f"{code}={text}" for code, text in options.vendor_options],
    )  # fmt: skip


def subnet_view(plan: Plan, subnet: Subnet) -> SubnetView:
    """A subnet and its arithmetic."""
    sums = subnet_sums(subnet.network)
    found = shares(plan, subnet)
    return SubnetView(
        id=subnet.id,
        version=subnet.version,
        site=refs.site_ref(plan, subnet.site),
        name=subnet.name,
        cidr=str(subnet.network),
        mask=str(sums.mask),
        first_usable=str(sums.first_usable),
        last_usable=str(sums.last_usable),
        broadcast=str(sums.broadcast) if sums.broadcast else None,
        gateway=dotted(subnet.gateway) if subnet.gateway is not None else None,
        dns=[dotted(a) for a in subnet.dns],
        domain=subnet.domain,
        ntp=[dotted(a) for a in subnet.ntp],
        vlan=subnet.vlan,
        supernet=subnet.supernet,
        notes=subnet.notes,
        assignment_count=plan.count_in(subnet.site, subnet.first, subnet.last),
        shares=SharesView(
            usable=found.usable,
            pooled=found.pools,
            spare=found.spare,
            gateways=found.gateway,
            taken=found.taken,
            left=found.left,
            in_pools=found.in_pools,
            roles=[
                RoleShareView(
                    band=refs.band_ref(plan.bands[r.band]) if r.band is not None else None,
                    title=r.title,
                    roles=list(r.roles),
                    size=r.size,
                    taken=r.taken,
                    left=r.left,
                )
                for r in found.roles
            ],
        ),
    )


def band_view(plan: Plan, band: Band, servers: dict[int, str], leased: int) -> BandView:
    """A band."""
    subnet = plan.subnets[band.subnet]
    return BandView(
        id=band.id, version=band.version, subnet=refs.subnet_ref(subnet), kind=band.kind.value, first=dotted(band.first),
        last=dotted(band.last), name=band.name, title=band.title, roles=list(band.roles),
        options=handed_out_view(band.options), server=refs.server_ref(band.server, servers), notes=band.notes,
        size=band.last - band.first + 1, taken=plan.count_in(subnet.site, band.first, band.last), leased=leased,
    )  # fmt: skip


def bands_of(context: Context, connection: Connection, plan: Plan, bands: Iterable[Band]) -> list[BandView]:
    """Bands with their servers' names and leases."""
    servers = {row.id: row.name for row in lease_records.servers(connection)}
    found = []
    for band in bands:
        held = context.plan.held(plan.subnets[band.subnet].site)
        leased = held.count(band.first, band.last) if band.kind is BandKind.POOL else 0
        found.append(band_view(plan, band, servers, leased))
    return found


def subnet_plan(context: Context, connection: Connection, plan: Plan, subnet: Subnet) -> SubnetPlan:
    """A subnet whole."""
    problems = [p for p in context.plan.problems if concerns(plan, p, subnet)]
    return SubnetPlan(
        subnet=subnet_view(plan, subnet), bands=bands_of(context, connection, plan, plan.bands_of(subnet.id)),
        problems=[problem_view(p) for p in problems], free_blocks=free_blocks(plan, subnet) if subnet.supernet else [],
    )  # fmt: skip


def concerns(plan: Plan, problem: Problem, subnet: Subnet) -> bool:
    """True when a problem is about a subnet, or about an address in it."""
    for kind, value in problem.subjects:
        if kind == "subnet" and value == str(subnet.network):
            return True
        if kind == "address":
            owner = plan.subnet_at(subnet.site, address_of(IPv4Address(value)))
            return owner is not None and owner.id == subnet.id
    return False


def use_view(plan: Plan, use: Use) -> UseView:
    """A use."""
    return UseView(
        id=use.id,
        version=use.version,
        site=refs.site_ref(plan, use.site),
        user=use.user,
        address=dotted(use.address),
        purpose=use.purpose,
        moved_to=dotted(use.moved_to) if use.moved_to is not None else None,
    )


@dataclass(frozen=True, slots=True)
class Around:
    """What the records say around some assignments."""

    known: dict[MacNumber, KnownAs]
    followed: dict[int, Followed]


def look_around(connection: Connection, plan: Plan, items: Sequence[Assignment]) -> Around:
    """Devices, leases and publications of some assignments, a few queries for all of them."""
    macs = [item.mac for item in items if item.mac is not None]
    known = seen_records.known_macs(connection, macs)
    reserved = [item for item in items if item.kind is AssignmentKind.RESERVED]
    followed: dict[int, Followed] = {}
    now = now_ms()
    for site in {item.site for item in reserved}:
        mine = [item for item in reserved if item.site == site]
        keys = [item.mac for item in mine if item.mac is not None]
        addresses = [item.address for item in mine]
        leases = lease_records.of_macs(connection, site, keys)
        at_address = lease_records.at_addresses(connection, site, addresses)
        published = lease_records.published_macs(connection, site, addresses)
        places = seen_records.places_of(connection, keys)
        servers = lease_records.servers(connection)
        refusals = {key: said for row in servers for key, said in row.refusals.items()}
        sheets = {row.id: restored(row.shown) for row in servers if row.kind == BY_HAND}
        for item in mine:
            mac = item.mac if item.mac is not None else NOBODY
            serving = [b.server for b in plan.bands_of(item.subnet) if b.kind is BandKind.POOL and b.server is not None]
            followed[item.id] = follow(
                item, served=bool(serving), published=mac in published.get(item.address, ()),
                leases=[row.lease for row in leases.get(mac, ())],
                at_address=[row.lease for row in at_address.get(item.address, ())],
                seen=places.get(mac, ()), refusal=refusals.get(dotted(item.address), ""), now=now,
                sheet=_on_sheet(plan, item, [sheets.get(one) for one in serving]),
            )  # fmt: skip
    return Around(known, followed)


def _on_sheet(plan: Plan, item: Assignment, sheets: Sequence[Mapping[tuple[str, str], Shown] | None]) -> str | None:
    """What the wire showed of an entry of servers that are edited by hand; None for all other servers."""
    found = [one for one in sheets if one is not None]
    if not found or len(found) < len(sheets) or item.mac is None:
        return None
    key = str(plan.subnets[item.subnet].network), key_of(Entry(item.mac, item.address))
    return next((one[key].sentence for one in found if key in one), "")


def reservation(followed: Followed | None) -> Reservation | None:
    """Where a reservation stands."""
    if followed is None:
        return None
    until = views.maybe_time(followed.until)
    sentence = followed.sentence
    if until is not None:
        sentence = sentence.replace("{until}", until.astimezone().strftime("about %H:%M"))
    return Reservation(state=followed.state.value, sentence=sentence, until=until)


def assignment_row(context: Context, plan: Plan, item: Assignment, around: Around) -> AssignmentRow:
    """An assignment for a list."""
    known = around.known.get(item.mac) if item.mac is not None else None
    subnet = plan.subnets[item.subnet]
    return AssignmentRow(
        id=item.id, version=item.version, subnet=refs.subnet_ref(subnet),
        address=dotted(item.address), kind=item.kind.value, on=item.on, mac=str(Mac(item.mac)) if item.mac is not None else None,
        vendor=context.vendor_of(Mac(item.mac)) or None if item.mac is not None else None, name=item.name, role=item.role,
        notes=item.notes, device=DeviceRef(id=known.device, name=known.name or None) if known else None,
        last_seen=views.maybe_time(known.last_seen) if known else None,
        seen_at=dotted(known.address) if known and known.address is not None else None,
        reservation=reservation(around.followed.get(item.id)),
    )  # fmt: skip


def assignment_view(context: Context, connection: Connection, plan: Plan, item: Assignment) -> AssignmentView:
    """An assignment whole."""
    row = assignment_row(context, plan, item, look_around(connection, plan, [item]))
    band = plan.band_at(item.subnet, item.address)
    about = ("address", dotted(item.address))
    problems = [p for p in context.plan.problems if about in p.subjects]
    return AssignmentView(
        **{name: getattr(row, name) for name in AssignmentRow.model_fields},
        site=refs.site_ref(plan, item.site),
        local=item.mac is not None and Mac(item.mac).local,
        band=refs.band_ref(band) if band else None,
        problems=[problem_view(p) for p in problems],
        uses=[use_view(plan, use) for use in plan.uses_at(item.site, item.address)],
    )
