"""Tells what is wrong with how switches hang together. Only reads."""

from __future__ import annotations

from ...core.address import dotted
from ...core.findings.wiring import Name, Trouble
from ...core.findings.wiring_troubles import LOST_FOR, LinkSeen, RootSeen, WiringSeen, usual_speeds, wiring_troubles
from ...core.mac import Mac, MacNumber
from ...core.wiring.facts import Link
from ...store import link_records, switch_records
from ..context import Context, now_ms
from ..knowing.link_book import at_least
from .link_picture import Wiring


def troubles(context: Context) -> dict[Name, Trouble]:
    """Everything that is wrong now, by kind and key. Not on the event loop."""
    if not context.switches.switches:
        return {}
    now = now_ms()
    with context.database.read() as connection:
        wiring = Wiring(context, connection)
        links = [one.link for one in wiring.kept]
        usual = usual_speeds(
            switch_records.speeds_before(connection, {end.port for one in links for end in one.ends}), links
        )
        seen = [
            LinkSeen(one.link, _ends(wiring, one.link), one.first, None, fast)
            for one, fast in zip(wiring.kept, usual, strict=True)
        ]
        ports, switches = context.switches.by_port, context.switches.switches
        lost = [
            LinkSeen(
                row.link, _ends(wiring, row.link), row.first, row.last, None, at_least(row.link, row.first, switches)
            )
            for row in link_records.since(connection, now - LOST_FOR)
            if row.last is not None
            and all(end.port in ports if end.port else True for end in row.link.ends)
            and all(end.switch in switches for end in row.link.ends if end.switch)
        ]
        roots = [
            RootSeen(
                wiring.called(f"s{key}"), _called(wiring, one.told.get("root")), _called(wiring, one.told.get("root_before")),
                one.told.get("root_since") or 0,
            )
            for key, one in switches.items()
        ]  # fmt: skip
        dark = {
            key for key, (_, port) in ports.items()
            if not port.there or port.state is None or not (port.state.up or port.state.link == "unknown")
        }  # fmt: skip
        trees = {key for key, one in switches.items() if one.told.get("root") is not None}
        return wiring_troubles(
            WiringSeen(
                wiring.graph, seen, _latest(lost), roots, wiring.called, lambda key: dotted(switches[key].row.address), trees,
                dark,
                wiring.routers,
            ),
            now,
        )  # fmt: skip


def _latest(lost: list[LinkSeen]) -> list[LinkSeen]:
    """Of each link the latest time that it was lost."""
    found: dict[str, LinkSeen] = {}
    for one in lost:
        before = found.get(one.link.key)
        if before is None or (one.last or 0) > (before.last or 0):
            found[one.link.key] = one
    return list(found.values())


def _ends(wiring: Wiring, link: Link) -> tuple[str, ...]:
    return tuple(wiring.end(end).called for end in link.ends)


def _called(wiring: Wiring, mac: int | None) -> str:
    """What the bridge of a MAC is called, by its switch where that is read."""
    if mac is None:
        return ""
    owner = wiring.context.switches.owners.get(MacNumber(mac))
    return wiring.called(f"s{owner.row.id}") if owner is not None else str(Mac(MacNumber(mac)))
