"""Sheets of servers that are edited by hand: what was handed out, asked for on the wire, and ticked off by the answers.

Asked is by DISCOVER alone (RFC 2131 4.3.1), first as a MAC that is made up, then as each device that an address is reserved for: a
server offers it what it has for it. No lease is taken.
"""

from __future__ import annotations

import asyncio
from collections.abc import Mapping, Sequence
from ipaddress import IPv4Network

from ...api.dhcp import DhcpSheet, SheetLine
from ...api.events import DhcpEvent
from ...core.adapters import Adapter
from ...core.dhcp import OPTION_NAMES, Reservation, Scope, key_of, keys_of, option_items
from ...core.findings.offers import Offer
from ...core.mac import Mac, MacNumber
from ...core.plan.following import State
from ...core.ticking import BY_HAND, Shown, Tick, asked_at, restored, stored, ticks
from ...dhcp.by_hand import scopes_of
from ...probe import dhcp_ask
from ...store import lease_records
from ...store.rows import DhcpServerRow
from .. import views
from ..context import Context, now_ms
from ..plan import plan_views
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
    lines = [line for scope in scopes_of(row.sheet) for line in _lines(scope, known, there)]
    return DhcpSheet(
        server=row.id, server_name=row.name, handed_out_at=views.maybe_time(row.published_at),
        asked_at=views.maybe_time(asked_at(row.shown)),
        lines=lines, notes=list(notes),
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


def _lines(scope: Scope, known: Mapping[tuple[str, str], Shown], there: Mapping[int, str]) -> list[SheetLine]:
    network = str(scope.network)
    parts = [(key_of(pool), "pool", str(pool)) for pool in scope.pools]
    parts += [(key_of(name), OPTION_NAMES[name], text) for name, text in option_items(scope.options) if text]
    found = [_line(network, what, value, known.get((network, key))) for key, what, value in parts]
    for one in scope.reservations:
        line = _line(network, "reservation", str(one), known.get((network, key_of(one))))
        if one.address in there:
            line = line.model_copy(update={"tick": Tick.IN_EFFECT.value, "said": there[one.address]})
        found.append(line)
    return found


def _line(network: str, what: str, value: str, shown: Shown | None) -> SheetLine:
    tick = shown.tick if shown is not None else Tick.OPEN
    return SheetLine(
        subnet=network, what=what, value=value, tick=tick.value, said=shown.said if shown is not None else "",
        at=views.maybe_time(shown.at) if shown is not None else None,
    )  # fmt: skip


def due(row: DhcpServerRow, now: int) -> bool:
    """True when the wire should be asked again by itself: every quarter of an hour while there is something that it does not
    show as entered."""
    known = restored(row.shown)
    if now - (asked_at(row.shown) or 0) < EVERY_MS:
        return False
    parts = [(str(scope.network), key) for scope in scopes_of(row.sheet) for key in keys_of(scope)]
    return any(part not in known or known[part].tick in (Tick.OPEN, Tick.NOT_YET) for part in parts)


async def look(context: Context, row: DhcpServerRow) -> list[str]:
    """Ask the wire for what a sheet says, and keep what it shows; gives what could not be looked at. Raises SegmentError."""
    scopes = scopes_of(row.sheet)
    before = restored(row.shown)
    shown: list[Shown] = []
    notes: list[str] = []
    for scope in scopes:
        adapter = adapter_on(context, scope.network)
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


def adapter_on(context: Context, network: IPv4Network) -> Adapter | None:
    """An adapter of this machine on a network's link, unless it stands somewhere else now."""
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
    others = await asyncio.to_thread(_addresses_of_others, context, row)
    segment = context.machine.open(adapter)
    turns = asyncio.Semaphore(AT_ONCE)

    async def offers(client: Mac | None) -> list[Offer]:
        async with turns:
            heard = await dhcp_ask.ask(segment, WAIT, client=client, ours=client is not None)
        found = [one.offer for one in heard]
        return [one for one in found if (one.server in row.addresses if row.addresses else one.server not in others)]

    try:
        general = await offers(None)
        answers = await asyncio.gather(*(offers(Mac(one.mac)) for one in entries))
    finally:
        await segment.close()
    return general, {one.mac: found for one, found in zip(entries, answers, strict=True)}


def _addresses_of_others(context: Context, row: DhcpServerRow) -> set[int]:
    with context.database.read() as connection:
        return {address for one in lease_records.servers(connection) if one.id != row.id for address in one.addresses}


def _keep(context: Context, row: DhcpServerRow, shown: Sequence[Shown]) -> None:
    with context.database.write() as connection:
        lease_records.show(connection, row.id, stored(shown, now_ms()))
    context.tell(DhcpEvent(server=row.id))
