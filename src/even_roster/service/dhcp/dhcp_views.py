"""Turns previews, leases and pools into the API's models."""

from __future__ import annotations

import contextlib
import difflib
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from ipaddress import IPv4Address
from typing import Any

from sqlalchemy import Connection

from ...api.common import ServerRef
from ...api.dhcp import (
    AdoptDone,
    AdoptedPool,
    AdoptedReservation,
    AdoptedSubnet,
    DhcpPreview,
    DhcpServerView,
    DifferenceLine,
    HoldingMark,
    HoldingsPage,
    HoldingView,
    LeaseView,
    PoolView,
    TextLine,
)
from ...core.address import address_of, dotted
from ...core.dhcp import Adoption, Pool, key_of
from ...core.dhcp_difference import Line
from ...core.holdings import Claim, Holding, Part
from ...core.mac import Mac, MacNumber
from ...core.plan.model import AssignmentKind, Band, BandKind, Plan, Subnet
from ...dhcp.server import Preview, digest
from ...store import holding_records, lease_records
from ...store.lease_records import LeaseRow
from ...store.rows import DhcpServerRow
from .. import refs, views
from ..context import Context, now_ms
from ..plan import plan_views
from ..refs import Subnets
from ..scans.running_scans import refs_of_macs
from ..web.paging import Asked

CONTEXT = 3
MOST_TEXT = 400_000
_BESIDE = (Part.RESERVATION, Part.CLASS, Part.SHARED, Part.EXCLUDED)


def server_view(
    plan: Plan, connection: Connection, row: DhcpServerRow, reached: Mapping[str, str]
) -> DhcpServerView:  # fmt: skip
    """A server and how much of the plan it has; `reached` is what its host allows."""
    counts = holding_records.counts(connection, row.id)
    mine = [band for band in plan.pools() if band.server == row.id]
    subnets = {band.subnet for band in mine}
    reserved = sum(
        1
        for identity in subnets
        for item in plan.assigned_in(
            plan.subnets[identity].site, plan.subnets[identity].first, plan.subnets[identity].last
        )
        if item.kind is AssignmentKind.RESERVED and item.on
    )
    return DhcpServerView(
        id=row.id, version=row.version, site=refs.site_ref(plan, row.site), name=row.name, kind=row.kind,
        reach=row.settings.get("reach", ""), reached=dict(reached), published_at=views.maybe_time(row.published_at),
        read_at=views.maybe_time(row.read_at), trouble=row.trouble, pool_count=len(mine), reservation_count=reserved,
        published=lease_records.count_published(connection, row.id), addresses=[dotted(a) for a in row.addresses],
        held=sum(counts.get(part, 0) for part in (Part.POOL, Part.RESERVATION, Part.OPTION)),
        not_understood=counts.get(Part.UNKNOWN, 0), held_at=views.maybe_time(row.holdings_at), held_trouble=row.holdings_trouble,
    )  # fmt: skip


def holdings_page(
    context: Context,
    row: DhcpServerRow,
    held: Sequence[Holding],
    part: str | None,
    search: str,
    paging: Asked,
    offset: int,
) -> HoldingsPage:
    """What a server holds, filtered: `search` is looked for in texts, names and identifiers; an address also in stretches."""
    found = [one for one in held if (part is None or one.part == part) and _holds(one, search.strip().casefold())]
    begin = paging.after_number() or offset
    end = begin + paging.limit
    return HoldingsPage(
        server=ServerRef(id=row.id, name=row.name), read_at=views.maybe_time(row.holdings_at), trouble=row.holdings_trouble,
        counts=dict(Counter(one.part.value for one in held)), total=len(found),
        next=paging.next([end]) if end < len(found) else None,
        items=[_holding_view(context, row, one) for one in found[begin:end]],
    )  # fmt: skip


def _holds(one: Holding, search: str) -> bool:
    if not search:
        return True
    with contextlib.suppress(ValueError):
        address = address_of(IPv4Address(search))
        return one.first is not None and one.first <= address <= (one.first if one.last is None else one.last)
    texts = (
        one.text,
        one.name,
        one.within,
        str(one.place),
        *(text for _, text in one.identifiers),
        *(v for _, v in one.hangs),
    )
    return any(search in text.casefold() for text in texts)


def _holding_view(context: Context, row: DhcpServerRow, one: Holding) -> HoldingView:
    return HoldingView(
        part=one.part.value, source=one.place.source, line=one.place.line, text=one.text, within=one.within,
        first=dotted(one.first) if one.first is not None else None, last=dotted(one.last) if one.last is not None else None,
        identifiers=[HoldingMark(what=by.value, value=text) for by, text in one.identifiers], name=one.name,
        hangs=[HoldingMark(what=what, value=value) for what, value in one.hangs],
        ours=one.part is Part.RESERVATION and context.plan.is_ours(Claim(row.id, row.name, one)),
    )  # fmt: skip


def line_view(line: Line, subnets: Subnets) -> DifferenceLine:
    """One difference."""
    return DifferenceLine.model_validate(
        {
            "action": line.action,
            "what": line.what,
            "subnet": subnets.of(line.network),
            "before": line.before,
            "after": line.after,
        }
    )


def preview_view(context: Context, row: DhcpServerRow, held: Sequence[Holding], shown: Preview) -> DhcpPreview:
    """A preview with the texts side by side, where they are not too long to read."""
    size = sum(len(text) for texts in (shown.before, shown.after) for text in texts.values())
    lines = [line for line in shown.difference.lines if line not in shown.left]
    subnets = Subnets(context.plan.plan, row.site)
    return DhcpPreview(
        server=ServerRef(id=row.id, name=row.name),
        lines=[line_view(line, subnets) for line in lines],
        other_roster=shown.other_roster,
        conflicts=list(shown.difference.conflicts),
        by_hand=list(shown.by_hand),
        left=_others(context, row, held),
        digest=digest(shown.before),
        text_lines=list(_changed_texts(shown)) if size <= MOST_TEXT else [],
    )


def _others(context: Context, row: DhcpServerRow, held: Sequence[Holding]) -> int:
    """How many parts of a server are people's own, and stay; options of a subnet that the plan hands out are not counted."""
    owned = {key for keys in row.owned.values() for key in keys}
    found = set()
    for one in held:
        if (
            one.part in (Part.SUBNET, Part.SETTING)
            or (one.part is Part.OPTION and one.within in row.owned)
            or (one.part is Part.RESERVATION and context.plan.is_ours(Claim(row.id, row.name, one)))
        ):
            continue
        if (
            one.part is Part.POOL
            and one.first is not None
            and one.last is not None
            and key_of(Pool(one.first, one.last)) in owned
        ):
            continue
        found.add((one.place, one.part, one.text))
    return len(found)


def _changed_texts(shown: Preview) -> Iterator[TextLine]:
    """The files that change, each under its name where there are several."""
    changed = [path for path, text in shown.after.items() if shown.before.get(path, "") != text]
    for path in changed:
        if len(shown.after) > 1:
            yield TextLine(kind="skipped", line_before=None, line_after=None, text=path)
        yield from side_by_side(shown.before.get(path, ""), shown.after[path])


def side_by_side(before: str, after: str) -> Iterator[TextLine]:
    """The changed lines with a few around them; what is skipped between is one line of its own."""
    old, new = before.splitlines(), after.splitlines()
    at = 0
    for group in difflib.SequenceMatcher(None, old, new, autojunk=False).get_grouped_opcodes(CONTEXT):
        if group[0][1] > at:
            yield TextLine(
                kind="skipped", line_before=None, line_after=None, text=f"{group[0][1] - at} lines as they are"
            )
        for kind, i1, i2, j1, j2 in group:
            if kind == "equal":
                for i, j in zip(range(i1, i2), range(j1, j2), strict=True):
                    yield TextLine(kind="kept", line_before=i + 1, line_after=j + 1, text=old[i])
                continue
            for i in range(i1, i2):
                yield TextLine(kind="removed", line_before=i + 1, line_after=None, text=old[i])
            for j in range(j1, j2):
                yield TextLine(kind="added", line_before=None, line_after=j + 1, text=new[j])
        at = group[-1][2]
    if at < len(old):
        yield TextLine(kind="skipped", line_before=None, line_after=None, text=f"{len(old) - at} lines as they are")


def adoption_view(
    subnets: Subnets, found: Adoption, held: Sequence[Holding], dry_run: bool, change: int | None
) -> AdoptDone:
    """What adopting does, and what of a server's holdings it leaves as it is."""
    beside = Counter(
        one.part.value for one in held if one.part in _BESIDE and not (one.macs and one.part is Part.RESERVATION)
    )
    return AdoptDone(
        dry_run=dry_run, change_id=change, in_the_way=list(found.refused), beside=dict(beside),
        not_understood=[f"{one.place}: {one.text}" for one in held if one.part is Part.UNKNOWN],
        subnets=[
            AdoptedSubnet(subnet=subnets.of(s.network), options=plan_views.handed_out_view(s.options)) for s in found.subnets
        ],
        pools=[AdoptedPool(subnet=subnets.of(n), first=dotted(p.first), last=dotted(p.last)) for n, p in found.pools],
        reservations=[
            AdoptedReservation(subnet=subnets.of(n), mac=str(Mac(r.mac)), address=dotted(r.address), name=r.name)
            for n, r in found.reservations
        ],
    )  # fmt: skip


def lease_views(context: Context, connection: Connection, rows: Iterable[LeaseRow]) -> list[LeaseView]:
    """Leases with their devices."""
    rows = list(rows)
    devices = refs_of_macs(connection, {row.lease.mac for row in rows if row.lease.mac is not None})
    now = now_ms()
    return [
        LeaseView(
            server=ServerRef(id=row.server, name=row.server_name), address=dotted(row.lease.address),
            **_whose(context, row.lease.mac),
            name=row.lease.name, expires=views.maybe_time(row.lease.expires), active=row.lease.active(now),
            device=devices.get(row.lease.mac) if row.lease.mac is not None else None,
        )
        for row in rows
    ]  # fmt: skip


def _whose(context: Context, mac: MacNumber | None) -> dict[str, Any]:
    """A MAC in an answer; None for one that the server does not know."""
    return (
        dict(views.mac_view(mac, context.vendors)) if mac is not None else {"mac": None, "vendor": None, "local": False}
    )


def _reserved_otherwise(context: Context, plan: Plan, subnet: Subnet, band: Band) -> int:
    """How many free-looking addresses of a pool a server keeps for somebody whom the plan does not know."""
    held, claims = context.plan.held(subnet.site), context.plan.claims(subnet.site)
    return sum(
        1
        for address, found in claims.single.items()
        if band.first <= address <= band.last and address not in held and plan.at(subnet.site, address) is None
        and any(one.holding.part is Part.RESERVATION for one in found)
    )  # fmt: skip


def pool_views(context: Context, connection: Connection, plan: Plan) -> list[PoolView]:
    """How full every pool is."""
    servers = {row.id: row for row in lease_records.servers(connection)}
    found = []
    for band in sorted(plan.bands.values(), key=lambda b: (plan.subnets[b.subnet].site, b.first)):
        if band.kind is not BandKind.POOL:
            continue
        subnet = plan.subnets[band.subnet]
        held = context.plan.held(subnet.site)
        leased = held.count(band.first, band.last)
        reserved = sum(
            1
            for item in plan.assigned_in(subnet.site, band.first, band.last)
            if item.on and item.kind is AssignmentKind.RESERVED and item.address not in held
        )
        reserved += _reserved_otherwise(context, plan, subnet, band)
        size = band.last - band.first + 1
        server = servers.get(band.server) if band.server is not None else None
        found.append(
            PoolView(
                band=refs.band_ref(band),
                subnet=refs.subnet_ref(subnet),
                first=dotted(band.first),
                last=dotted(band.last),
                server=ServerRef(id=server.id, name=server.name) if server else None,
                size=size,
                leased=leased,
                reserved=reserved,
                left=size - leased - reserved,
                read_at=views.maybe_time(server.read_at) if server else None,
            )
        )
    return found
