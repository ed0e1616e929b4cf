"""/api/v1/here, /api/v1/measure, /api/v1/ranges, /api/v1/subnets: where the service stands and what its ranges are."""

from __future__ import annotations

from datetime import datetime
from ipaddress import IPv4Network

from fastapi import Request

from ...api.common import Id, Line, SubnetRef, Word
from ...api.network import (
    AdapterHere,
    AddressHere,
    Here,
    MeasureView,
    RangeName,
    RangePage,
    RangeRow,
    Ruler,
    SubnetRow,
    SubnetRowPage,
    SubnetSumsView,
)
from ...core import targets as target_rules
from ...core.adapters import Adapter, AdapterError, choose
from ...core.measure import SubnetSums, measure, subnet_sums
from ...core.ranges import RangeError, parse, parse_parts
from ...core.span import usable
from ...store import device_queries, rows, scan_records
from .. import setting_edits, views
from ..context import Context
from ..refs import Subnets
from ..watching.listening import Listening
from ..web.contract import paths
from ..web.deps import ContextDep, Who
from ..web.paging import Paging, cut
from ..web.problems import Refusal
from . import ruler as rulers

router = paths("/api/v1", "network")


@router.get("/here")
def here(request: Request, context: ContextDep, who: Who, adapter: Word | None = None) -> Here:
    """This machine's adapters, which one a scan would use and why, and the ranges remembered for where it stands."""
    adapters = context.machine.adapters()
    with context.database.read() as connection:
        known = set(scan_records.scanned_subnets(connection))
        ranges = scan_records.remembered(connection)
        totals = device_queries.totals(connection)
    chosen, reason, door, limits = _chosen(context, adapters, adapter)
    subnets = _subnets(context)
    own = {str(network) for network in chosen.networks} if chosen else set()
    return Here(
        hostname=context.machine.hostname, simulated=context.machine.simulated,
        adapters=[_adapter(context, one, known, one is chosen, request.app.state.listening) for one in adapters],
        chosen=chosen.name if chosen else None, reason=reason, door=door, limits=limits,
        ranges=[_range(row, subnets) for row in ranges if row.subnet in own],
        home=str(context.settings.home), scanned=bool(known), device_count=totals["devices"],
        expected_count=totals["expected"], unknown_count=totals["unknown"],
    )  # fmt: skip


def _chosen(
    context: Context, adapters: list[Adapter], wanted: str | None
) -> tuple[Adapter | None, str, str | None, list[str]]:
    try:
        choice = choose(adapters, None, wanted or context.settings.adapter)
    except AdapterError as error:
        if wanted is not None:
            raise
        return None, str(error), None, []
    segment = context.machine.open(choice.adapter)
    return choice.adapter, choice.reason, segment.kind, list(segment.abilities().limits)


def _adapter(
    context: Context, adapter: Adapter, known: set[str], chosen: bool, listening: Listening
) -> AdapterHere:  # fmt: skip
    addresses = []
    subnets = _subnets(context)
    for interface in adapter.addresses:
        sums = subnet_sums(interface.network)
        addresses.append(
            AddressHere(
                address=str(interface.ip), prefix_length=interface.network.prefixlen, mask=str(sums.mask),
                subnet=subnets.of(interface.network), network=str(interface.network.network_address),
                broadcast=str(sums.broadcast) if sums.broadcast else None, first_usable=str(sums.first_usable),
                last_usable=str(sums.last_usable), hosts=sums.hosts, known=str(interface.network) in known,
            )
        )  # fmt: skip
    view = views.mac_view(adapter.mac.value, context.vendors) if adapter.mac else None
    return AdapterHere(
        name=adapter.name, mac=view.mac if view else None, vendor=view.vendor if view else None, local=bool(view and view.local),
        medium=adapter.medium, up=adapter.up, mtu=adapter.mtu, addresses=addresses,
        gateway=str(adapter.gateway) if adapter.gateway else None, dns=[str(server) for server in adapter.dns],
        chosen=chosen, plugged_into=listening.plugged_into(adapter.name),
    )  # fmt: skip


def _subnets(context: Context) -> Subnets:
    with context.plan.reading() as plan:
        return Subnets(plan, context.plan.site_here)


def _range(row: rows.RangeRow, subnets: Subnets) -> RangeRow:
    return RangeRow(
        id=row.id, text=row.text, name=row.name, subnet=subnets.of(row.subnet), count=len(parse(row.text)),
        last_scan=views.maybe_time(row.last_scan),
    )  # fmt: skip


@router.get("/measure")
def sums(range: Line, context: ContextDep, who: Who) -> MeasureView:
    """All sums on a range; costs the same for a /8 as for a /24."""
    with context.database.read() as connection:
        named = {row.name: parse(row.text) for row in scan_records.remembered(connection) if row.name}
        names = {**context.plan.named_ranges(), **named}
        subnets = scan_records.known_subnets(connection)
    found = measure(range, names)
    known = context.plan.known()
    for subnet in [*subnets, *(str(n) for adapter in context.machine.adapters() for n in adapter.networks)]:
        known |= parse(subnet)
    refused, needs_confirm = None, False
    try:
        target_rules.check(found.spans, str(found.spans), pace=1000.0, rounds=3, confirmed=False, known=known)
    except target_rules.TargetError as error:
        needs_confirm = error.code == "needs_confirm"
        refused = None if needs_confirm else str(error)
    return MeasureView(
        range=range, spans=[str(span) for span in found.spans.spans], count=found.count, first=str(found.first),
        last=str(found.last), sums=[_sums(one) for one in found.subnets], blocks=[str(block) for block in found.blocks],
        blocks_total=found.blocks_total, smallest_cover=str(found.smallest_cover), kind=found.kind,
        scan_seconds=round(target_rules.size_up(found.count, 1000.0, 3).seconds, 1), needs_confirm=needs_confirm,
        why_not=refused,
    )  # fmt: skip


def _sums(one: SubnetSums) -> SubnetSumsView:
    return SubnetSumsView(
        cidr=str(one.network), mask=str(one.mask), inverse_mask=str(one.inverse_mask),
        broadcast=str(one.broadcast) if one.broadcast else None, first_usable=str(one.first_usable),
        last_usable=str(one.last_usable), hosts=one.hosts, reverse_zone=one.reverse_zone,
    )  # fmt: skip


@router.get("/ranges")
def ranges(context: ContextDep, who: Who, paging: Paging) -> RangePage:
    """Every remembered range."""
    with context.database.read() as connection:
        rows = sorted(scan_records.remembered(connection), key=lambda row: row.id)
    shown, rest = cut(rows, lambda row: [row.id], paging)
    subnets = _subnets(context)
    return RangePage(items=[_range(row, subnets) for row in shown], **rest._asdict())


@router.put("/ranges/{identity}/name", status_code=204)
def name_range(identity: Id, request: RangeName, context: ContextDep, who: Who) -> None:
    """Give a remembered range a name to scan it by."""
    setting_edits.name_range(context, who, identity, request.name)


@router.delete("/ranges/{identity}", status_code=204)
def forget_range(identity: Id, context: ContextDep, who: Who) -> None:
    """Remember a range no longer; what was found in it stays."""
    setting_edits.forget_range(context, who, identity)


@router.get("/subnets")
def subnets(context: ContextDep, who: Who, paging: Paging) -> SubnetRowPage:
    """The subnets this machine stands in, and those that were scanned."""
    adapters = {
        str(network): adapter
        for adapter in context.machine.adapters()
        for network in adapter.networks
        if adapter.medium != "loopback"
    }
    planned = _subnets(context)
    with context.database.read() as connection:
        known = {row.text: row for row in scan_records.remembered(connection)}
        texts = dict.fromkeys(
            [*adapters, *scan_records.scanned_subnets(connection), *(t for t in known if _is_network(t))]
        )
        shown, rest = cut(sorted(texts, key=_place), _place, paging)
        found = [
            SubnetRow(
                subnet=_named(planned.of(text), known.get(text)),
                adapter=adapters[text].name if text in adapters else None, here=text in adapters,
                hosts=len(usable(IPv4Network(text))), seen=rulers.seen_count(connection, context.plan.site_here, IPv4Network(text)),
                last_scan=views.maybe_time(known[text].last_scan) if text in known else None,
            )
            for text in shown
        ]  # fmt: skip
    return SubnetRowPage(items=found, **rest._asdict())


def _place(text: str) -> list[int]:
    """What subnets are listed by: their first address, the larger first."""
    network = IPv4Network(text)
    return [int(network.network_address), network.prefixlen]


def _named(subnet: SubnetRef, known: rows.RangeRow | None) -> SubnetRef:
    """A subnet that is not planned goes by the name of its remembered range."""
    if subnet.id is not None or known is None or not known.name:
        return subnet
    return subnet.model_copy(update={"name": known.name})


def _is_network(text: str) -> bool:
    return "/" in text and "," not in text and "-" not in text


@router.get("/ruler")
def ruler(range: Line, context: ContextDep, who: Who, at: datetime | None = None) -> Ruler:
    """A subnet as one measured strip, with what was seen in it; with `at` as it was then."""
    parts, _ = parse_parts(range)
    network = parts[0].network if len(parts) == 1 else None
    if network is None:
        raise RangeError(range, 0, len(range), f"{range} is not one subnet", "write one such as 10.44.10.0/24")
    if network.prefixlen < 8:
        raise Refusal(422, "too_large", f"{network} is too large to draw; the ruler goes up to a /8", "range")
    with context.database.read() as connection:
        if at is not None:
            return rulers.draw_past(context, connection, network, round(at.timestamp() * 1000))
        return rulers.draw(context, connection, network)
