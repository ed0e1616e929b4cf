"""Switches as they are kept, their ports, how these stood, and who was behind each. Times are UTC milliseconds."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import Any, NamedTuple

from sqlalchemy import Connection, bindparam, delete, func, insert, or_, select, update
from sqlalchemy.dialects.sqlite import insert as upsert

from ..core.address import Address
from ..core.mac import MacNumber
from ..core.switches.port_states import PortState, from_stored
from ..core.switches.port_stays import Ended, Folding, PortStay
from . import link_records
from .listing import in_list
from .rows import Json, all_of
from .switch_tables import port_days, port_states, port_stays, port_words, switch_ports, switches


class SwitchRow(NamedTuple):
    """A row of `switches`: what people entered, and from `works` on what was learnt in reading it: the credential that works,
    when it was refused, asked and read last, when its forwarding database was read last, and what it said of itself."""

    id: int
    site: int
    address: Address
    credential: int | None
    every_seconds: int
    on: bool
    works: int | None
    refused: int | None
    asked: int | None
    read: int | None
    learnt: int | None
    trouble: str
    told: Json


class PortRow(NamedTuple):
    """A row of `switch_ports`: `place` is its place in the switch's order; `there`: in its latest reading."""

    id: int
    switch: int
    name: str
    place: int
    there: bool


class WordRow(NamedTuple):
    """A row of `port_words`: what people say of a port."""

    port: int
    note: str
    mark: str
    uplink: bool | None


class StateRow(NamedTuple):
    """A row of `port_states`."""

    id: int
    port: int
    first: int
    last: int | None
    state: Json


class StayRow(NamedTuple):
    """A row of `port_stays`; without `last` it stands in the latest reading."""

    id: int
    switch: int
    port: int
    mac: MacNumber
    vlans: str
    first: int
    last: int | None
    ended: int

    @property
    def in_vlans(self) -> tuple[int, ...]:
        """In which VLANs."""
        return tuple(int(part) for part in self.vlans.split(",") if part)


def all_of_them(connection: Connection) -> list[SwitchRow]:
    """Every switch, by its address."""
    return all_of(connection, SwitchRow, select(switches).order_by(switches.c.site, switches.c.address))


def ports_of(connection: Connection, switch: int | None = None) -> list[PortRow]:
    """The ports of a switch in their order; of None all there are."""
    query = select(switch_ports).order_by(switch_ports.c.switch, switch_ports.c.place, switch_ports.c.id)
    return all_of(connection, PortRow, query if switch is None else query.where(switch_ports.c.switch == switch))


def words(connection: Connection) -> dict[int, WordRow]:
    """What people say of ports, by port."""
    return {row.port: row for row in all_of(connection, WordRow, select(port_words))}


def standing(connection: Connection, ports: Collection[int]) -> dict[int, tuple[int, int, PortState]]:
    """How ports stand: the row's id, since when, and the state."""
    query = select(port_states).where(in_list(port_states.c.port, ports), port_states.c.last.is_(None))
    return {row.port: (row.id, row.first, from_stored(row.state)) for row in all_of(connection, StateRow, query)}


def states_at(connection: Connection, ports: Collection[int], at: int) -> dict[int, StateRow]:
    """How ports stood at a moment."""
    query = select(port_states).where(
        in_list(port_states.c.port, ports), port_states.c.first <= at,
        or_(port_states.c.last.is_(None), port_states.c.last >= at),
    ).order_by(port_states.c.first)  # fmt: skip
    return {row.port: row for row in all_of(connection, StateRow, query)}


def states_by(connection: Connection, ports: Collection[int], at: int) -> dict[int, PortState]:
    """How ports stood when they were read last before a moment, however long before."""
    query = select(port_states).where(in_list(port_states.c.port, ports), port_states.c.first <= at).order_by(
        port_states.c.first
    )  # fmt: skip
    return {row.port: from_stored(row.state) for row in all_of(connection, StateRow, query)}


def states_of(connection: Connection, port: int, most: int) -> list[StateRow]:
    """How a port stood over time, the latest first."""
    query = select(port_states).where(port_states.c.port == port).order_by(port_states.c.first.desc()).limit(most)
    return all_of(connection, StateRow, query)


def speeds_before(connection: Connection, ports: Collection[int]) -> dict[int, int]:
    """How fast some ports ran when they had a link last before they stood as they do."""
    query = select(port_states).where(in_list(port_states.c.port, ports), port_states.c.last.is_not(None)).order_by(
        port_states.c.first
    )  # fmt: skip
    found = {}
    for row in all_of(connection, StateRow, query):
        if row.state.get("speed") and row.state.get("link") == "up":
            found[row.port] = int(row.state["speed"])
    return found


def turned_since(connection: Connection, ports: Collection[int], since: int) -> list[int]:
    """When any of some ports began to stand otherwise, since a time."""
    query = (
        select(port_states.c.first).where(in_list(port_states.c.port, ports), port_states.c.first > since).distinct()
    )
    return list(connection.execute(query).scalars())


def open_stays(connection: Connection, switch: int, since: int, learnt: int) -> list[PortStay]:
    """The stays at a switch that may go on: those of its latest forwarding database, read at `learnt`, and those that rest since
    not before `since`. Of several at one port the latest counts."""
    query = select(port_stays).where(
        port_stays.c.switch == switch, port_stays.c.ended == 0,
        or_(port_stays.c.last.is_(None), port_stays.c.last >= since),
    ).order_by(port_stays.c.first)  # fmt: skip
    found = {(row.port, row.mac): row for row in all_of(connection, StayRow, query)}
    return [
        PortStay(row.port, row.mac, row.in_vlans, row.first, learnt if row.last is None else row.last, row.last is None,
                 Ended.NOT, row.id)
        for row in found.values()
    ]  # fmt: skip


def stays_of_macs(connection: Connection, macs: Collection[MacNumber], until: int, most: int = 5000) -> list[StayRow]:
    """Where some MACs were, the latest first, of what had begun by `until`."""
    query = (
        select(port_stays).where(in_list(port_stays.c.mac, macs), port_stays.c.first <= until)
        .order_by(port_stays.c.first.desc()).limit(most)
    )  # fmt: skip
    return all_of(connection, StayRow, query)


def stays_of_port(connection: Connection, port: int, most: int) -> list[StayRow]:
    """Who was behind a port, the latest first."""
    query = select(port_stays).where(port_stays.c.port == port).order_by(port_stays.c.first.desc()).limit(most)
    return all_of(connection, StayRow, query)


def ended_since(connection: Connection, switch: int, since: int) -> list[StayRow]:
    """The stays at a switch that ended for a reason since then."""
    query = select(port_stays).where(
        port_stays.c.switch == switch, port_stays.c.last >= since, port_stays.c.ended != int(Ended.NOT)
    )
    return all_of(connection, StayRow, query)


def stays_at(connection: Connection, switch: int, at: int) -> list[StayRow]:
    """Who was behind the ports of a switch at a moment."""
    query = select(port_stays).where(
        port_stays.c.switch == switch,
        or_(port_stays.c.last.is_(None), port_stays.c.last >= at),
        port_stays.c.first <= at,
    )
    return all_of(connection, StayRow, query)


def behind_count(connection: Connection, port: int, at: int) -> int:
    """How many were behind a port at a moment."""
    query = select(func.count()).where(
        port_stays.c.port == port, port_stays.c.first <= at, or_(port_stays.c.last.is_(None), port_stays.c.last >= at)
    )
    return int(connection.execute(query).scalar_one())


def name_ports(connection: Connection, switch: int, names: Sequence[str], *, whole: bool) -> dict[str, int]:
    """The ids of a switch's ports by name, in their order now. What was not there before is entered; what is no more stays, and is
    there no more where the names are the `whole` of them."""
    known = {row.name: row for row in ports_of(connection, switch)}
    fresh = [name for name in names if name not in known]
    if fresh:
        connection.execute(insert(switch_ports), [{"switch": switch, "name": name, "place": 0} for name in fresh])
    there = [row.name for row in known.values() if row.there]
    if there != list(names):
        if whole:
            connection.execute(update(switch_ports).where(switch_ports.c.switch == switch).values(there=False))
        if names:
            connection.execute(
                update(switch_ports).where(switch_ports.c.switch == switch, switch_ports.c.name == bindparam("called"))
                .values(place=bindparam("at"), there=True),
                [{"called": name, "at": place} for place, name in enumerate(names)],
            )  # fmt: skip
    return {row.name: row.id for row in ports_of(connection, switch)}


def fold_states(
    connection: Connection, changed: Iterable[tuple[int, int | None, PortState | None]], at: int, before: int
) -> None:
    """States that turned: port, the row that ends (None: none), and what begins (None: nothing, the port is no more)."""
    rows = list(changed)
    ending = [row for _, row, _ in rows if row is not None]
    if ending:
        connection.execute(update(port_states).where(in_list(port_states.c.id, ending)).values(last=before))
    begun = [{"port": port, "first": at, "state": state.stored()} for port, _, state in rows if state is not None]
    if begun:
        connection.execute(insert(port_states), begun)


def mend_state(connection: Connection, row: int, state: PortState) -> None:
    """What is known better now of a state that stands."""
    connection.execute(update(port_states).where(port_states.c.id == row).values(state=state.stored()))


def fold_stays(connection: Connection, switch: int, folding: Folding) -> None:
    """Write what a reading changes."""
    if folding.begun:
        connection.execute(
            insert(port_stays),
            [
                {"switch": switch, "port": one.port, "mac": one.mac, "vlans": _joined(one.vlans), "first": one.first}
                for one in folding.begun
            ],
        )  # fmt: skip
    if folding.changed:
        connection.exec_driver_sql(
            "UPDATE port_stays SET vlans = ?, last = ?, ended = ? WHERE id = ?",
            [
                (_joined(one.vlans), None if one.here else one.last, int(one.ended), one.id)
                for one in folding.changed
            ],
        )  # fmt: skip


def keep_learnt(connection: Connection, switch: int, values: Mapping[str, Any]) -> None:
    """What was learnt in reading a switch."""
    connection.execute(update(switches).where(switches.c.id == switch).values(**values))


def ask_again(connection: Connection, switch: int | None = None) -> None:
    """What a switch (None: any) is read by was edited: that it refused says nothing any more."""
    statement = update(switches).values(refused=None, asked=None)
    connection.execute(statement if switch is None else statement.where(switches.c.id == switch))


def close(connection: Connection, switch: int, at: int) -> None:
    """A switch is read no more: what stood last stands until then."""
    ports = select(switch_ports.c.id).where(switch_ports.c.switch == switch)
    connection.execute(
        update(port_stays).where(port_stays.c.switch == switch, port_stays.c.last.is_(None)).values(last=at)
    )
    connection.execute(
        update(port_states).where(port_states.c.port.in_(ports), port_states.c.last.is_(None)).values(last=at)
    )


def orphans(connection: Connection) -> list[int]:
    """Switches that are no more and have stays that were not closed."""
    query = select(port_stays.c.switch).where(
        port_stays.c.last.is_(None), port_stays.c.switch.not_in(select(switches.c.id))
    ).distinct()  # fmt: skip
    return list(connection.execute(query).scalars())


def count_day(connection: Connection, day: int, sums: Mapping[int, tuple[int, int, int, int]]) -> None:
    """Add to a day's sums of octets and errors, in and out, by port."""
    rows = [
        {"port": port, "day": day, "octets_in": a, "octets_out": b, "errors_in": c, "errors_out": d}
        for port, (a, b, c, d) in sums.items() if a or b or c or d
    ]  # fmt: skip
    if not rows:
        return
    statement = upsert(port_days)
    old, new = port_days.c, statement.excluded
    names = ("octets_in", "octets_out", "errors_in", "errors_out")
    connection.execute(
        statement.on_conflict_do_update(
            index_elements=["port", "day"], set_={name: old[name] + new[name] for name in names}
        ),
        rows,
    )


def forget(connection: Connection, before: int, day: int) -> int:
    """Let go of what ended before a time, and of sums before a day; gives how many rows went."""
    gone = 0
    for table in (port_stays, port_states):
        gone += connection.execute(delete(table).where(table.c.last.is_not(None), table.c.last < before)).rowcount
    gone += link_records.forget(connection, before)
    return gone + connection.execute(delete(port_days).where(port_days.c.day < day)).rowcount


def _joined(vlans: Sequence[int]) -> str:
    return ",".join(str(one) for one in vlans)
