"""What is known of the switches now: their ports, how these stand, who is behind each and which lead to other switches. Readings
come in here, are folded into the records in one transaction, and change the picture after that.

Called from any thread but the event loop's; all that changes is done while the right to write the records is held. A reading that
fails changes nothing but the switch's trouble.
"""

from __future__ import annotations

import time
from collections import defaultdict
from collections.abc import Callable, Collection, Mapping
from dataclasses import replace
from typing import Any

from sqlalchemy import Connection

from ...api.events import Event, SwitchEvent
from ...core.address import dotted
from ...core.mac import MacNumber
from ...core.stays import GAP_MS
from ...core.switches.port_states import PortState, state_of
from ...core.switches.port_stays import Learning, PortStay, fold
from ...core.switches.reading import Description, Link, Neighbour, Port, Reading
from ...core.switches.uplinks import Behind, Told, Verdict, verdicts
from ...store import switch_counters, switch_records
from ...store.database import Database
from ...store.switch_records import PortRow, SwitchRow
from .link_book import LinkBook
from .switch_now import NO_WORDS, UNWEIGHED, PortNow, SwitchNow

TURNS = 16
REST = 30
"""How many times longer than it takes the weighing waits until it is done again."""
_GROUP = 1 << 40
"""The bit of a MAC that is no station's but a group's (IEEE 802, 8.2)."""
_TICKS = 1 << 32
_SLACK = 60_000
_DOWN = frozenset((Link.DOWN, Link.ABSENT, Link.LOWER_DOWN))
TOLD = ("name", "text", "contact", "place", "model", "serial", "firmware", "up_ticks")


class SwitchBook:
    """The switches of one roster: `switches` is a picture that is swapped after each commit and never changed in place,
    with its ports by their ids and its switches by their own MACs.
    `untold` when something turned that the findings were not told, `unweighed` when the uplinks wait for their weighing."""

    def __init__(self, database: Database, now: Callable[[], int], tell: Callable[[Event], None]) -> None:
        self._database, self._now, self._tell = database, now, tell
        self.switches: dict[int, SwitchNow] = {}
        self.by_port: dict[int, tuple[SwitchNow, PortNow]] = {}
        self.owners: dict[MacNumber, SwitchNow] = {}
        self.untold = self.unweighed = False
        self._weighed_at, self._weighing, self._begun = 0.0, 0.0, False
        self.wiring = LinkBook(database)
        self.reload()

    def reload(self) -> None:
        """Read the switches again, after an edit of them or of what people say of their ports. What was taken away is closed."""
        with self._database.write() as connection:
            rows = {row.id: row for row in switch_records.all_of_them(connection)}
            words = switch_records.words(connection)
            first, self._begun = not self._begun, True
            closing = dict.fromkeys(switch_records.orphans(connection) if first else (), self._now())
            closing |= {
                identity: self.switches[identity].row.learnt or 0 for identity in self.switches.keys() - rows.keys()
            }
            for identity, at in closing.items():
                switch_records.close(connection, identity, at)
            found = {}
            for identity, row in rows.items():
                known = self.switches.get(identity)
                ports = known.ports if known is not None else self._loaded(connection, row)
                ports = {key: replace(port, words=words.get(key, NO_WORDS)) for key, port in ports.items()}
                restarted = known.restarted if known is not None else row.told.get("restarted")
                found[identity] = SwitchNow(row, ports, restarted)
            self._database.when_stored(lambda: self._swap(found))
        self.untold = True
        self.weigh()

    def _swap(self, switches: dict[int, SwitchNow]) -> None:
        self.by_port = {key: (one, port) for one in switches.values() for key, port in one.ports.items()}
        self.owners = {mac: one for one in switches.values() for mac in one.own}
        self.switches = switches

    def _loaded(self, connection: Connection, row: SwitchRow) -> dict[int, PortNow]:
        ports = {
            one.id: PortNow(one.id, one.name, one.place, one.there)
            for one in switch_records.ports_of(connection, row.id)
        }
        return _standing(connection, row, ports, self._now())

    # Readings

    def take(
        self, identity: int, reading: Reading, at: int, works: int | None, by: int | None = None, *, sure: bool = False
    ) -> None:  # fmt: skip
        """A switch was read at a time; `works` is the credential by which it is read from now on (None: one that is not kept),
        `by` the one by which it was read this time, where that is another; `sure` where others cannot make up its answers."""
        with self._database.write() as connection:
            switch = self.switches.get(identity)
            if switch is None:
                return
            fresh = _take(connection, switch, reading, at, works, by if by is not None else works, sure=sure)
            self._database.when_stored(lambda: self._swap({**self.switches, identity: fresh}))
        if time.monotonic() - self._weighed_at > REST * self._weighing:
            self.weigh()
        else:
            self.unweighed = True
        self._happened(identity)

    def failed(self, identity: int, why: str, at: int, *, refused: bool) -> None:
        """A switch could not be read: what was known of it stays."""
        values: dict[str, Any] = {"asked": at, "trouble": why, **({"refused": at} if refused else {})}
        with self._database.write() as connection:
            switch = self.switches.get(identity)
            if switch is None:
                return
            switch_records.keep_learnt(connection, identity, values)
            fresh = replace(switch, row=switch.row._replace(**values))
            self._database.when_stored(lambda: self._swap({**self.switches, identity: fresh}))
        self._happened(identity)

    def _happened(self, identity: int) -> None:
        self.untold = True
        self._tell(SwitchEvent(id=identity))

    # Uplinks

    def weigh(self) -> None:
        """Which ports lead to other switches and which are joined, by all that is known now; what turned is stored."""
        picture, began, self.unweighed = self.switches, time.monotonic(), False
        self._judge(picture, verdicts([_said(switch) for switch in picture.values()]))
        if self.wiring.look(lambda: self.switches, self._now()):
            self.untold = True
        self._weighed_at = time.monotonic()
        self._weighing = self._weighed_at - began

    def _judge(self, picture: Mapping[int, SwitchNow], found: Mapping[int, Verdict]) -> None:
        if all(port.verdict == found[port.id] for switch in picture.values() for port in switch.ports.values()):
            return
        with self._database.write() as connection:
            self.unweighed |= self.switches is not picture  # a switch was read meanwhile
            fresh = {}
            for identity, switch in self.switches.items():
                read = switch.row.read or self._now()
                ports = {
                    key: _weighed(connection, port, found.get(key, port.verdict), read)
                    for key, port in switch.ports.items()
                }
                fresh[identity] = replace(switch, ports=ports)
            self._database.when_stored(lambda: self._swap(fresh))

    def port(self, identity: int) -> tuple[SwitchNow, PortNow] | None:
        """A port with its switch, None where there is none of that id."""
        return self.by_port.get(identity)


def _take(
    connection: Connection, switch: SwitchNow, reading: Reading, at: int, works: int | None, by: int | None, *, sure: bool
) -> SwitchNow:  # fmt: skip
    """The switch after a reading, which is written."""
    row, before = switch.row, switch.row.learnt or at
    around: dict[int, list[Neighbour]] = defaultdict(list)
    for one in reading.neighbours:
        around[one.at].append(one)
    named = _by_name(reading.ports)
    ids = switch_records.name_ports(connection, row.id, list(named), whole=reading.ports_whole)
    ports = {ids[name]: port for name, port in named.items()}
    turned: list[tuple[int, int | None, PortState | None]] = []
    for key, port in ports.items():
        known = switch.ports.get(key)
        was = known.state if known is not None else None
        state = state_of(port, tuple(around[port.index]), was, reading.cut)
        if was != state:
            turned.append((key, known.row if known is not None else None, state))
    if reading.ports_whole:
        turned += [
            (key, one.row, None) for key, one in switch.ports.items() if key not in ports and one.row is not None
        ]
    switch_records.fold_states(connection, turned, at, row.read or at)
    stays = [stay for port in switch.ports.values() for stay in port.stays.values()]
    folding = fold(stays, _learning(reading, ports), _unlinked(switch, ports), at, before)
    switch_records.fold_stays(connection, row.id, folding)
    switch_counters.take(connection, {key: port.counted for key, port in ports.items() if port.counted}, at)
    switch_counters.pairs(connection, row.id, reading.pairs, at, row.read or at)
    restarted = _restarted(switch, reading.description, at)
    told = {
        **_told(reading),
        **_roots(switch, reading, at),
        "restarted": restarted or switch.restarted,
        "begun": switch.begun or at,
        "by": by,
        "sure": sure,
        "fed": _fed(switch, reading, ports, restarted=restarted is not None, sure=sure),
    }
    values: dict[str, Any] = {
        "read": at, "learnt": at, "asked": at, "trouble": "", "told": told, "works": works, "refused": None,
    }  # fmt: skip
    switch_records.keep_learnt(connection, row.id, values)
    fresh = row._replace(**values)
    shown = {
        one.id: _after(switch.ports.get(one.id), one, ports.get(one.id), at, again=restarted is not None)
        for one in switch_records.ports_of(connection, row.id)
    }
    return SwitchNow(fresh, _standing(connection, fresh, shown, at), restarted or switch.restarted)


def _told(reading: Reading) -> dict[str, Any]:
    """What it said of itself, as a column holds it."""
    return {
        **{name: getattr(reading.description, name) for name in TOLD}, "own": sorted(reading.own),
        "lacks": [[lack.what, lack.why] for lack in reading.lacks],
        "addresses": [dotted(one) for one in reading.addresses], "pairs": len(reading.pairs),
        "bridge": any(port.base is not None for port in reading.ports), "root": reading.root,
        "ends": {
            name: [port.base, port.mac, port.text if port.text != name else "", *(port.towards or (None, None))]
            for name, port in _by_name(reading.ports).items()
        },
        "addressed": _named(reading, reading.addressed) if reading.addressed is not None else None,
        "learnt_whole": reading.learnt_whole, "cut": sorted(reading.cut),
        "own_learnt": _named(reading, {one.port for one in reading.learnt if one.mac in reading.own}),
        "feeds": {name: list(port.feeds) for name, port in _by_name(reading.ports).items() if port.feeds is not None},
        "raws": {name: port.raw.hex() for name, port in _by_name(reading.ports).items() if port.raw != port.name.encode()},
    }  # fmt: skip


def _named(reading: Reading, indexes: Collection[int]) -> list[str]:
    """The names of ports, by their interfaces' indexes."""
    return [name for name, port in _by_name(reading.ports).items() if port.index in indexes]


def _roots(switch: SwitchNow, reading: Reading, at: int) -> dict[str, Any]:
    """Which root of the spanning tree it named before the one that it names now, and since when that is so."""
    was, now = switch.told.get("root"), reading.root
    if was is None or now is None or was == now:
        return {name: switch.told.get(name) for name in ("root_before", "root_since")}
    return {"root_before": was, "root_since": at}


def _fed(switch: SwitchNow, reading: Reading, ports: Mapping[int, Port], *, restarted: bool, sure: bool) -> list[str]:
    """Ports of which a reading has shown that the power which bears their number is theirs: power and link came, or went, together,
    and at no other port, between two readings that others cannot have made up. What was shown holds until the switch starts anew or
    numbers otherwise."""
    named = _by_name(reading.ports)
    feeds = {name: list(port.feeds) for name, port in named.items() if port.feeds is not None}
    known = [] if restarted else [
        name for name in switch.told.get("fed", ()) if feeds.get(name) == switch.told.get("feeds", {}).get(name)
    ]  # fmt: skip
    power, link = set[str](), set[str]()
    for key, port in ports.items():
        before = switch.ports.get(key)
        if before is None or before.state is None:
            continue
        if before.state.power.startswith("power") != port.power.startswith("power"):
            power.add(before.name)
        if before.state.up != (port.link is Link.UP):
            link.add(before.name)
    shown = power if sure and switch.told.get("sure") and len(power) == 1 and power == link else set()
    return sorted({*known, *(name for name in shown if name in feeds)})


def _learning(reading: Reading, ports: Mapping[int, Port]) -> Learning:
    """Behind which ports each MAC was learnt, in which VLANs; neither its own nor groups'."""
    places = {port.index: key for key, port in ports.items()}
    found: dict[MacNumber, dict[int, tuple[int, ...]]] = defaultdict(dict)
    for one in reading.learnt:
        if one.port in places and one.mac not in reading.own and not one.mac & _GROUP:
            mine, key = found[one.mac], places[one.port]
            mine[key] = tuple(sorted({*mine.get(key, ()), *one.vlans}))
    return found


def _after(known: PortNow | None, row: PortRow, port: Port | None, at: int, *, again: bool) -> PortNow:
    """A port after a reading, with when its link changed; `again` when the agent started anew. How it stands comes after."""
    turns = known.turns if known is not None else ()
    ticks = known.changed_ticks if known is not None else None
    if port is not None and known is not None and known.state is not None:
        moved = None not in (ticks, port.changed_ticks) and ticks != port.changed_ticks and not again
        if moved or known.state.link != port.link.value:
            turns = (*turns, at)[-TURNS:]
    words, verdict = (known.words, known.verdict) if known is not None else (NO_WORDS, UNWEIGHED)
    ticks = port.changed_ticks if port is not None else ticks
    return PortNow(
        row.id, row.name, row.place, row.there, changed_ticks=ticks, turns=turns, words=words, verdict=verdict
    )


def _standing(connection: Connection, row: SwitchRow, ports: dict[int, PortNow], now: int) -> dict[int, PortNow]:
    """Ports with how they stand and who is behind them, as it is stored."""
    stays: dict[int, dict[MacNumber, PortStay]] = defaultdict(dict)
    for stay in switch_records.open_stays(connection, row.id, now - GAP_MS, row.learnt or 0):
        stays[stay.port][stay.mac] = stay
    states = switch_records.standing(connection, ports)
    found = {}
    for key, port in ports.items():
        identity, since, state = states.get(key, (None, 0, None))
        found[key] = replace(port, row=identity, since=since, state=state, stays=stays[key])
    return found


def _unlinked(switch: SwitchNow, ports: Mapping[int, Port]) -> set[int]:
    """Ports that have no link, or had none in between: whoever is not behind them any more was unplugged."""
    found = set()
    for key, port in ports.items():
        known = switch.ports.get(key)
        was = known.changed_ticks if known is not None else None
        between = was is not None and port.changed_ticks is not None and port.changed_ticks != was
        if between or port.link in _DOWN or port.wanted is Link.DOWN:
            found.add(key)
    return found


def _said(switch: SwitchNow) -> Told:
    """A switch as the weighing wants it."""
    ports = {
        port.id: Behind(
            port.state.neighbours if port.state is not None else (),
            frozenset(mac for mac, stay in port.stays.items() if stay.here),
            port.state.tree if port.state is not None else "", port.words.uplink,
        )
        for port in switch.ports.values()
    }  # fmt: skip
    return Told(switch.called, switch.own if switch.told.get("bridge") else frozenset(), ports)


def _weighed(connection: Connection, port: PortNow, verdict: Verdict, read: int) -> PortNow:
    """A port with what it is held for; where that turned, it is stored."""
    if port.state is None or port.row is None or port.state.uplink == verdict.uplink:
        return port if port.verdict == verdict else replace(port, verdict=verdict)
    state = replace(port.state, uplink=verdict.uplink)
    if port.since == read:
        switch_records.mend_state(connection, port.row, state)
        return replace(port, state=state, verdict=verdict)
    switch_records.fold_states(connection, [(port.id, port.row, state)], read, read)
    row, since, _ = switch_records.standing(connection, [port.id])[port.id]
    return replace(port, row=row, since=since, state=state, verdict=verdict)


def _by_name(ports: tuple[Port, ...]) -> dict[str, Port]:
    """Ports by what lasts of them; of several that are called the same each is told by its interface's number too."""
    counts: dict[str, int] = defaultdict(int)
    for port in ports:
        counts[port.name] += 1
    return {port.name if counts[port.name] == 1 else f"{port.name} ({port.index})": port for port in ports}


def _restarted(switch: SwitchNow, now: Description, at: int) -> int | None:
    """When it was found to have started anew since the reading before: it has run for less time than before, and not because its
    counter began again (after 497 days), or for less than has passed since. A step of our own clock is no restart of anybody."""
    before, read = switch.told.get("up_ticks"), switch.row.read
    if before is None or now.up_ticks is None or read is None:
        return None
    passed = at - read
    wrapped = before + (passed + _SLACK) // 10 >= _TICKS
    since_then = now.up_ticks * 10 + _SLACK < passed
    return at if (now.up_ticks < before and not wrapped) or (since_then and not wrapped) else None
