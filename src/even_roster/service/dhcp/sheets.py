"""Sheets of servers that are edited by hand: what was handed out, asked for on the wire, and ticked off by the answers.

Asked is by DISCOVER alone (RFC 2131 4.3.1), first as a MAC that is made up, then as each device that an address is reserved for: a
server offers it what it has for it. No lease is taken.
"""

from __future__ import annotations

import asyncio
from collections.abc import Mapping, Sequence
from ipaddress import IPv4Network

from ...api.common import ServerRef, SubnetRef
from ...api.dhcp import DhcpSheet, SheetLine
from ...api.events import DhcpEvent
from ...core.adapters import Adapter
from ...core.dhcp import Reservation, Scope, key_of
from ...core.findings.offers import Offer
from ...core.mac import Mac, MacNumber
from ...core.plan.following import State
from ...core.ticking import BY_HAND, Shown, Tick, asked_at, parts, restored, stored, ticks
from ...dhcp.by_hand import scopes_of
from ...probe import dhcp_ask
from ...store import lease_records
from ...store.rows import DhcpServerRow
from .. import views
from ..context import Context, now_ms
from ..plan import plan_views
from ..refs import Subnets
from ..web.problems import Refusal

WAIT = 2.0
MOST = 64
AT_ONCE = 8
EVERY_MS = 15 * 60_000


def sheet(context: Context, row: DhcpServerRow, notes: Sequence[str] = ()) -> DhcpSheet:
    """A server's sheet as it is known now. Raises Refusal for a server that the service tells by itself."""
    if row.kind != BY_HAND:
        raise Refusal(
            422, "bad_edit", f"{row.name} is told by the service itself; only one that is edited by hand has a sheet"
        )
    known = restored(row.shown)
    there = _there(context, row)
    with context.plan.reading() as plan:
        subnets = Subnets(plan, row.site)
    lines = [line for scope in scopes_of(row.sheet) for line in _lines(scope, subnets.of(scope.network), known, there)]
    return DhcpSheet(
        server=ServerRef(id=row.id, name=row.name), handed_out_at=views.maybe_time(row.published_at),
        asked_at=views.maybe_time(asked_at(row.shown)),
        lines=lines, remarks=list(notes),
    )  # fmt: skip


def _there(context: Context, row: DhcpServerRow) -> Mapping[int, str]:
    """By what is told that the device of a reservation is where it was reserved for it, by address."""
    with context.database.read() as connection, context.plan.reading() as plan:
        wanted = [
            item
            for scope in scopes_of(row.sheet)
            for one in scope.reservations
            if (item := plan.at(row.site, one.address)) is not None and item.mac == one.mac
        ]
        followed = plan_views.look_around(connection, plan, wanted).followed
        return {
            item.address: followed[item.id].sentence
            for item in wanted
            if item.id in followed and followed[item.id].state is State.IN_EFFECT
        }


def _lines(
    scope: Scope, subnet: SubnetRef, known: Mapping[tuple[str, str], Shown], there: Mapping[int, str]
) -> list[SheetLine]:
    network = str(scope.network)
    here = {key_of(one): there[one.address] for one in scope.reservations if one.address in there}
    found = []
    for part in parts(scope):
        shown = known.get((network, part.key)) or Shown(network, part.key, part.tick)
        tick, said = (Tick.IN_EFFECT, here[part.key]) if part.key in here else (shown.tick, shown.said)
        found.append(
            SheetLine(
                subnet=subnet, what=part.what, value=part.value, tick=tick.value, said=said, at=views.maybe_time(shown.at)
            )
        )  # fmt: skip
    return found


def due(row: DhcpServerRow, now: int) -> bool:
    """True when the wire should be asked again by itself: every quarter of an hour while there is something that it does not
    show as entered."""
    known = restored(row.shown)
    if now - (asked_at(row.shown) or 0) < EVERY_MS:
        return False
    return any(
        known.get((str(scope.network), part.key), part).tick in (Tick.OPEN, Tick.NOT_YET)
        for scope in scopes_of(row.sheet)
        for part in parts(scope)
    )


async def look(context: Context, row: DhcpServerRow) -> list[str]:
    """Ask the wire for what a sheet says, and keep what it shows; gives what could not be looked at. Raises SegmentError."""
    scopes = scopes_of(row.sheet)
    before = restored(row.shown)
    shown: list[Shown] = []
    notes: list[str] = []
    if not row.addresses:
        return [f"whose offers are those of {row.name} is not known: say which address it answers from"]
    for scope in scopes:
        adapter = adapter_on(context, row.site, scope.network)
        if adapter is None:
            notes.append(f"{scope.network} cannot be asked: this machine is not on its link")
            shown += [one for one in before.values() if one.network == str(scope.network)]
            continue
        due = _due(scope.reservations, before, str(scope.network))
        if len(scope.reservations) > len(due):
            notes.append(
                f"{scope.network}: {len(due)} of {len(scope.reservations)} reservations are asked for at a time"
            )
        general, asked = await _ask(context, adapter, row, due)
        if not general and not any(asked.values()):
            notes.append(f"{scope.network}: {row.name} offers nothing to anybody here")
        shown += ticks(scope, general, asked, before, now_ms())
    await asyncio.to_thread(_keep, context, row, shown)
    return notes


def adapter_on(context: Context, site: int, network: IPv4Network) -> Adapter | None:
    """An adapter of this machine on the link of a site's network, unless it stands somewhere else now. Other sites may have the
    same networks: nobody here can ask for those."""
    if site != context.plan.site_here:
        return None
    return next(
        (
            one
            for one in context.machine.adapters()
            if network in one.networks and one.medium != "loopback" and not context.known_links.elsewhere(one.name)
        ),
        None,
    )


def _due(entries: Sequence[Reservation], before: Mapping[tuple[str, str], Shown], network: str) -> list[Reservation]:
    """Those asked for now: what was not shown yet first, then what was shown longest ago."""

    def last(one: Reservation) -> tuple[bool, int]:
        shown = before.get((network, key_of(one)))
        return shown is not None and shown.tick is not Tick.NOT_YET, (shown.at or 0) if shown is not None else 0

    return sorted(entries, key=last)[:MOST]


async def _ask(
    context: Context, adapter: Adapter, row: DhcpServerRow, entries: Sequence[Reservation]
) -> tuple[list[Offer], dict[MacNumber, list[Offer]]]:
    segment = context.machine.open(adapter)
    turns = asyncio.Semaphore(AT_ONCE)

    async def offers(client: Mac | None) -> list[Offer]:
        async with turns:
            heard = await dhcp_ask.ask(segment, WAIT, client=client, ours=client is not None)
        return [one.offer for one in heard if one.offer.server in row.addresses]

    try:
        general = await offers(None)
        answers = await asyncio.gather(*(offers(Mac(one.mac)) for one in entries))
    finally:
        await segment.close()
    return general, {one.mac: found for one, found in zip(entries, answers, strict=True)}


def _keep(context: Context, row: DhcpServerRow, shown: Sequence[Shown]) -> None:
    with context.database.write() as connection:
        lease_records.show(connection, row.id, stored(shown, now_ms()))
    context.tell(DhcpEvent(server_id=row.id))
