"""Which ports of switches are joined now, since when, and what hands say of that: a picture that is swapped after each commit and
never changed in place. What turns is kept as stays of links."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import NamedTuple

from sqlalchemy import Connection

from ...core.address import dotted
from ...core.mac import MacNumber
from ...core.switches.port_states import PortState
from ...core.wiring.facts import Known, Link, Member, Plug, Word
from ...core.wiring.links import links
from ...store import link_records
from ...store.database import Database
from .switch_now import PortNow, SwitchNow

ROUNDS = 3
"""So often links are worked out beside others that write, before those have to wait for it."""


@dataclass(frozen=True, slots=True)
class LinkNow:
    """A link that stands: its row, since when, and whether it may have stood for longer because it was there when one of its
    switches was read first."""

    row: int
    first: int
    link: Link
    at_least: bool = False


class LinkBook:
    """The links of one roster, by their keys; `places` are where hands put switches on the map."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self.links: dict[str, LinkNow] = {}
        self.places: dict[int, tuple[float, float]] = {}
        self._stood = 0
        """When the latest of the readings that the standing links are of was made."""

    def look(self, picture: Callable[[], Mapping[int, SwitchNow]], now: int) -> bool:
        """Work the links out anew from what all switches say; whether any turned. Several may do so at once: what one of them has
        worked out is kept only if nothing was written and no switch was read meanwhile."""
        for _ in range(ROUNDS):
            switches = picture()
            with self._database.read() as connection:
                kept = _kept(connection)
            found = _found(switches, kept)
            with self._database.write() as connection:
                if picture() is switches and _kept(connection) == kept:
                    return self._keep(connection, switches, kept, found, now)
        with self._database.write() as connection:  # others were quicker each time: now they wait
            switches, kept = picture(), _kept(connection)
            return self._keep(connection, switches, kept, _found(switches, kept), now)

    def _keep(
        self, connection: Connection, switches: Mapping[int, SwitchNow], kept: _Kept, found: Mapping[str, Link], now: int
    ) -> bool:  # fmt: skip
        """Write what turned, and have the picture swapped after the commit."""
        rows = {row.link.key: row for row in kept.rows}
        opened, changed, gone = dict(found), list[tuple[int, Link]](), dict(rows)
        for key in found.keys() & rows.keys():
            del opened[key], gone[key]
            if _plain(rows[key].link) != _plain(found[key]):
                changed.append((rows[key].id, found[key]))
        for key, link in list(opened.items()):  # what became known of a link since is no new link
            before = next((one for one, row in gone.items() if _same(row.link, link)), None)
            if before is not None:
                changed.append((gone.pop(before).id, link))
                del opened[key]
        turned = bool(opened or changed or gone)
        if turned:
            last = max(self._stood or now, max((row.first for row in gone.values()), default=0))
            begun = [
                (link, now if link.known is Known.STATED else _told_at(link, switches) or now)
                for link in opened.values()
            ]
            link_records.write(connection, begun, changed, [row.id for row in gone.values()], last, max(last, now))
            rows = {row.link.key: row for row in link_records.standing(connection)}
        stand = {
            key: LinkNow(rows[key].id, rows[key].first, link, at_least(link, rows[key].first, switches))
            for key, link in found.items()
        }
        latest = max((one.row.learnt or 0 for one in switches.values()), default=0)
        self._database.when_stored(lambda: self._swap(stand, kept.places, latest))
        return turned

    def _swap(self, stand: dict[str, LinkNow], places: dict[int, tuple[float, float]], latest: int) -> None:
        self.links, self.places, self._stood = stand, places, max(self._stood, latest)


class _Kept(NamedTuple):
    """What the records say of links: those that stand, what hands say, where hands put switches on the map."""

    rows: list[link_records.LinkRow]
    words: list[Word]
    places: dict[int, tuple[float, float]]


def _kept(connection: Connection) -> _Kept:
    return _Kept(link_records.standing(connection), link_records.words(connection), link_records.places(connection))


def _found(switches: Mapping[int, SwitchNow], kept: _Kept) -> dict[str, Link]:
    return {link.key: link for link in links([member(one) for one in switches.values()], kept.words)}


def _told_at(link: Link, switches: Mapping[int, SwitchNow]) -> int:
    """When the switches of a link were read last."""
    return max((switches[end.switch].row.learnt or 0 for end in link.ends if end.switch in switches), default=0)


def _plain(link: Link) -> Link:
    """A link as it is kept: without why it is known."""
    return replace(link, reasons=())


def _same(before: Link, after: Link) -> bool:
    """Whether a link is one of which less was known before: one end's port, or its switch."""
    ports = {one.port for one in before.ends if one.port}
    return (
        bool(ports)
        and ports <= {one.port for one in after.ends}
        and any(not one.port for one in before.ends)
        and {one.switch for one in before.ends if one.switch} <= {one.switch for one in after.ends}
    )


def at_least(link: Link, first: int, switches: Mapping[int, SwitchNow]) -> bool:
    """Whether a link that is known since a time may have stood for longer: it was there when its switches were read first."""
    begun = [switches[end.switch].begun or 0 for end in link.ends if end.switch in switches]
    return first <= max(begun, default=0)


def member(one: SwitchNow) -> Member:
    """A switch as links are looked for."""
    ends = one.told.get("ends", {})
    plugs = tuple(
        _plug(port, port.state, ends.get(port.name, _NOTHING))
        for port in one.ports.values() if port.there and port.state is not None
    )  # fmt: skip
    addresses = {dotted(one.row.address), *one.told.get("addresses", ())}
    return Member(
        one.row.id, one.called, one.own, addresses, one.row.learnt or 0, plugs, not one.told.get("bridge", True)
    )


_NOTHING = (None, None, "", None, None)


def _plug(
    port: PortNow, state: PortState | None, end: tuple[int | None, int | None, str, int | None, int | None]
) -> Plug:
    assert state is not None
    base, mac, text, bridge, number = end
    return Plug(
        port.id, port.name, text, state.alias, state.index, MacNumber(mac) if mac is not None else None, base,
        state.up or state.link == "unknown", state.tree, state.bundle, state.uplink, state.neighbours,
        {stay.mac: stay.first for stay in port.stays.values() if stay.here},
        (MacNumber(bridge), number) if bridge is not None and number is not None else None,
    )  # fmt: skip
