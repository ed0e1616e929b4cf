"""What the ruler of a subnet shows: one tick per address up to a /20, counted stretches beyond."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection
from ipaddress import IPv4Network

from sqlalchemy import ColumnElement, Connection, and_, func, select

from ...api.common import DeviceRef, SubnetRef
from ...api.network import Ruler, RulerBand, Stretch, Tick
from ...core.absence import Reason
from ...core.address import Address, address_of, dotted
from ...core.findings.claimants import contested_within
from ...core.past.rule import PROBABLE
from ...core.plan.model import Band, Plan
from ...core.span import SpanSet, usable
from ...store import device_queries, history_queries, look_records, past_plan_queries, scan_records
from ...store.past_tables import ANSWERED, OPEN, silences
from ...store.rows import PairSeen, StayRow
from ...store.tables import stays
from .. import views
from ..context import Context, now_ms
from ..knowing import moments
from ..refs import Subnets

MOST_TICKS = 4096
STRETCHES = 256


def seen_count(connection: Connection, site: int, network: IPv4Network) -> int:
    """How many addresses of a site's subnet were ever seen in use."""
    query = select(func.count(func.distinct(stays.c.address))).where(_inside(site, network))
    found: int = connection.execute(query).scalar_one()
    return found


def draw_past(context: Context, connection: Connection, network: IPv4Network, moment: int) -> Ruler:
    """The ruler of one subnet as it was at a moment (UTC ms): who held which address, and the plan of then. Leases of then are
    not kept; who used one was seen."""
    first, last = address_of(network.network_address), address_of(network.broadcast_address)
    small = network.num_addresses <= MOST_TICKS
    plan = past_plan_queries.around(connection, moment, first, last if small else first)
    here = plan.here.id if plan.here is not None else context.plan.site_here
    subnets = [one for one in plan.subnets_of(here) if one.network.overlaps(network)]
    subnet = next((one for one in subnets if one.network == network), None)
    bands = [band for one in subnets for band in plan.bands_of(one.id) if band.first <= last and band.last >= first]
    gateway = subnet.gateway if subnet is not None else None
    if small:
        ticks, stretches = _past_ticks(connection, network, moment, plan, here, gateway), []
        answering = sum(1 for tick in ticks if tick.state != "planned")
    else:
        ticks, stretches = [], _past_stretches(connection, here, network, moment)
        answering = sum(one.answering for one in stretches)
    with context.plan.reading() as now:
        today = Subnets(now, context.plan.site_here).of(network)
    return Ruler(
        subnet=today.model_copy(update={"name": subnet.name if subnet else ""}), bands=[_band(band) for band in bands],
        count=network.num_addresses, usable=len(usable(network)), answering=answering, seen=answering,
        gateway=dotted(gateway) if gateway is not None else None, last_scan=None, ticks=ticks, stretches=stretches,
        at=views.time_of(moment),
    )  # fmt: skip


def _past_ticks(
    connection: Connection, network: IPv4Network, moment: int, plan: Plan, here: int, gateway: Address | None
) -> list[Tick]:  # fmt: skip
    first, last = address_of(network.network_address), address_of(network.broadcast_address)
    by_address: dict[Address, list[StayRow]] = {}
    for one in moments.of_span(connection, here, first, last, moment):
        by_address.setdefault(one.row.address, []).append(one.row)
    assigned = _assignments(plan, here, first, last)
    return [
        _past_tick(address, by_address.get(address, []), assigned.get(address, ("", None)), moment, gateway)
        for address in sorted(by_address.keys() | assigned.keys())
    ]


def _past_tick(
    address: Address, rows: list[StayRow], plan: tuple[str, str | None], moment: int, gateway: Address | None
) -> Tick:  # fmt: skip
    if not rows:
        return Tick(
            address=dotted(address), state="planned", plan=plan[0], assigned=plan[1], device=None, vendor=None, role="",
            last_seen=None,
        )  # fmt: skip
    macs = {row.mac for row in rows if row.mac is not None}
    row = max(rows, key=lambda one: one.last)
    return Tick(
        address=dotted(address), plan=plan[0], assigned=plan[1],
        state="two" if len(macs) > 1 else "gateway" if address == gateway else "answering",
        device=views.stay_device(row), vendor=None, role="",
        last_seen=views.time_of(min(row.last, moment)),
    )  # fmt: skip


def draw(context: Context, connection: Connection, network: IPv4Network) -> Ruler:
    """The ruler of one subnet. A device answers when it answered since the last full scan began (one with a control), or within
    PROBABLE, and no look was without its answer since then."""
    here = context.plan.site_here
    scanned = scan_records.last_full_scan(connection, here, network)
    since = now_ms() - PROBABLE
    if asked := look_records.last_full(connection, here, SpanSet.of([usable(network)])):
        since = min(since, asked)
    adapter = next((a for a in context.machine.adapters() if network in a.networks), None)
    special = {int(a.ip): "self" for a in adapter.addresses} if adapter else {}
    gateway = None
    if adapter and adapter.gateway and adapter.gateway in network:
        gateway = str(adapter.gateway)
        special[address_of(adapter.gateway)] = "gateway"
    name = next((row.name for row in scan_records.remembered(connection) if row.text == str(network)), None)
    first, last = address_of(network.network_address), address_of(network.broadcast_address)
    with context.findings.looking() as world:
        contested = contested_within(world, first, last)
    with context.plan.reading() as plan:
        subnet = next((s for s in plan.subnets_of(here) if s.network == network), None)
        bands = list(plan.bands_of(subnet.id)) if subnet else []
        assigned = _assigned(context, plan, network) if network.num_addresses <= MOST_TICKS else {}
    if subnet is not None:
        name = subnet.name or name
        if gateway is None and subnet.gateway is not None:
            gateway = dotted(subnet.gateway)
            special[subnet.gateway] = "gateway"
    if network.num_addresses <= MOST_TICKS:
        ticks, stretches = _ticks(connection, here, network, since, special, assigned, contested), []
        observed = [t for t in ticks if t.state not in ("planned", "leased")]
        answering, seen = sum(1 for t in observed if t.state != "seen"), len(observed)
    else:
        ticks, stretches = [], _stretches(connection, here, network, since, contested)
        answering = sum(s.answering for s in stretches)
        seen = answering + sum(s.seen for s in stretches)
    return Ruler(
        subnet=SubnetRef(id=subnet.id if subnet else None, cidr=str(network), name=name or ""),
        bands=[_band(band) for band in bands],
        count=network.num_addresses,
        usable=len(usable(network)),
        answering=answering,
        seen=seen,
        gateway=gateway,
        last_scan=views.maybe_time(scanned),
        ticks=ticks,
        stretches=stretches,
    )


def _band(band: Band) -> RulerBand:
    return RulerBand(
        id=band.id, kind=band.kind.value, first=dotted(band.first), last=dotted(band.last), name=band.name,
        roles=list(band.roles),
    )  # fmt: skip


def _assigned(context: Context, plan: Plan, network: IPv4Network) -> dict[int, tuple[str, str | None]]:
    """What plan and leases say of each address: the kind, and whose it is."""
    first, last = address_of(network.network_address), address_of(network.broadcast_address)
    here = context.plan.site_here
    found: dict[int, tuple[str, str | None]] = {}
    for low, high in context.plan.held(here).within(first, last):
        found.update((address, ("leased", None)) for address in range(max(low, first), min(high, last) + 1))
    return found | _assignments(plan, here, first, last)


def _assignments(plan: Plan, site: int, first: int, last: int) -> dict[Address, tuple[str, str | None]]:
    """What a plan says of each address: the kind, and whose it is."""
    return {
        item.address: (item.kind.value if item.on else "off", item.title)
        for item in plan.assigned_in(site, first, last)
    }


def _ticks(
    connection: Connection, site: int, network: IPv4Network, since: int, special: dict[int, str],
    assigned: dict[int, tuple[str, str | None]], contested: Collection[Address],
) -> list[Tick]:  # fmt: skip
    first, last = address_of(network.network_address), address_of(network.broadcast_address)
    by_address: dict[Address, list[PairSeen]] = {}
    for row in device_queries.seen_in(connection, site, first, last):
        by_address.setdefault(row.address, []).append(row)
    ticks = [
        _tick(address, rows, since, special.get(address), assigned.get(address, ("", None)), address in contested)
        for address, rows in by_address.items()
    ]
    for address, (kind, whose) in assigned.items():
        if address not in by_address:
            state = "leased" if kind == "leased" else "planned"
            ticks.append(
                Tick(
                    address=dotted(address), state=state, plan=kind, assigned=whose, device=None, vendor=None, role="",
                    last_seen=None,
                )
            )  # fmt: skip
    return ticks


def _tick(
    address: Address, rows: list[PairSeen], since: int, special: str | None, plan: tuple[str, str | None], contested: bool,
) -> Tick:  # fmt: skip
    held = max(row.standing or 0 for row in rows)
    newest = max(rows, key=lambda row: (row.standing or 0, row.last))
    state = "two" if contested else "answering" if held >= since else "seen"
    name = newest.called or None
    return Tick(
        address=dotted(address), state=special if special and state == "answering" else state, plan=plan[0],
        assigned=plan[1], device=DeviceRef(id=newest.device_id, name=name) if newest.device_id else None,
        vendor=newest.vendor or None, role=newest.role or "", last_seen=views.time_of(newest.last),
    )  # fmt: skip


def _stretches(
    connection: Connection, site: int, network: IPv4Network, since: int, contested: Collection[Address]
) -> list[Stretch]:
    """Counts per stretch, worked out by the database: nothing here runs over addresses."""
    base, size = address_of(network.network_address), max(network.num_addresses // STRETCHES, 1)
    standing = and_(stays.c.reason == Reason.NONE, silences.c.stay_id.is_(None))
    held = (
        select(stays.c.address, func.max(stays.c.last).filter(standing).label("standing"))
        .select_from(stays)
        .join(silences, and_(silences.c.stay_id == stays.c.id, OPEN), isouter=True)
        .where(_inside(site, network))
        .group_by(stays.c.address)
        .subquery()
    )
    place = ((held.c.address - base) // size).label("place")
    query = select(place, func.count().filter(held.c.standing >= since), func.count()).group_by(place)
    found = {row[0]: (int(row[1]), int(row[2])) for row in connection.execute(query)}
    several = Counter((address - base) // size for address in contested)
    strips = []
    for number in range(min(STRETCHES, network.num_addresses)):
        answering, seen = found.get(number, (0, 0))
        first = base + number * size
        strips.append(
            Stretch(
                first=dotted(first), last=dotted(first + size - 1),
                answering=answering, seen=seen - answering, two=several[number],
            )
        )  # fmt: skip
    return strips


def _past_stretches(connection: Connection, site: int, network: IPv4Network, moment: int) -> list[Stretch]:
    """How many addresses of each stretch were in use at a moment, or probably were."""
    size, base = max(network.num_addresses // STRETCHES, 1), address_of(network.network_address)
    known = moments.of_span(connection, site, base, address_of(network.broadcast_address), moment, bare=True)
    found = Counter((address - base) // size for address in {one.row.address for one in known})
    return [
        Stretch(
            first=dotted(base + n * size), last=dotted(base + (n + 1) * size - 1), answering=found[n], seen=0, two=0
        )
        for n in range(STRETCHES)
    ]


def _inside(site: int, network: IPv4Network) -> ColumnElement[bool]:
    ends = address_of(network.network_address), address_of(network.broadcast_address)
    return and_(history_queries.of_span(site, *ends), ANSWERED)
