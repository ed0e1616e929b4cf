"""The counters of ports: the last two values and sums of each day; and the pairs of addresses and MACs that switches and routers
tell. Times are UTC milliseconds."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from sqlalchemy import Connection, delete, select, update
from sqlalchemy.dialects.sqlite import insert as upsert

from ..core.address import Address
from ..core.mac import MacNumber
from ..core.switches.counting import DAY_MS, grown, stored
from ..core.switches.reading import Counted, Pair
from . import switch_records
from .listing import in_list
from .rows import Json, all_of
from .switch_tables import hand_pairs, port_counters, port_days, told_pairs


class CounterRow(NamedTuple):
    """A row of `port_counters`: the last values and those before them."""

    port: int
    at: int
    values: Json
    before_at: int | None
    before: Json


class DayRow(NamedTuple):
    """A row of `port_days`: what went through a port on a day (days since 1970, UTC)."""

    port: int
    day: int
    octets_in: int
    octets_out: int
    errors_in: int
    errors_out: int


class ToldPairRow(NamedTuple):
    """A row of `told_pairs`: without `last` it stands in the latest reading."""

    switch: int
    address: Address
    mac: MacNumber
    first: int
    last: int | None


class HandPairRow(NamedTuple):
    """A row of `hand_pairs`."""

    site: int
    address: Address
    mac: MacNumber
    note: str


def take(connection: Connection, counted: Mapping[int, Counted], at: int) -> None:
    """Counters were read: they follow the last ones, and what they grew by goes into the day's sums."""
    if not counted:
        return
    last = latest(connection, list(counted))
    sums = {}
    for port, now in counted.items():
        before = last.get(port)
        if before is not None:
            more = grown(Counted(*before.values), now, before.at, at)
            if more is not None:
                sums[port] = (more.octets_in, more.octets_out, more.errors_in, more.errors_out)
    switch_records.count_day(connection, at // DAY_MS, sums)
    statement = upsert(port_counters)
    fresh = statement.excluded
    connection.execute(
        statement.on_conflict_do_update(
            index_elements=["port"],
            set_={"before_at": port_counters.c.at, "before": port_counters.c["values"], "at": fresh.at, "values": fresh["values"]},
        ),
        [{"port": port, "at": at, "values": stored(now)} for port, now in counted.items()],
    )  # fmt: skip


def latest(connection: Connection, ports: Sequence[int]) -> dict[int, CounterRow]:
    """The counters of some ports as they were read last."""
    query = select(port_counters).where(in_list(port_counters.c.port, ports))
    return {row.port: row for row in all_of(connection, CounterRow, query)}


def days(connection: Connection, port: int, since: int) -> list[DayRow]:
    """What went through a port day by day, from a day on."""
    query = select(port_days).where(port_days.c.port == port, port_days.c.day >= since).order_by(port_days.c.day)
    return all_of(connection, DayRow, query)


def pairs(connection: Connection, switch: int, told: Sequence[Pair], at: int, before: int) -> None:
    """The pairs that a switch or router tells now: those that it told before and does not any more stood until `before`."""
    query = select(told_pairs).where(told_pairs.c.switch == switch, told_pairs.c.last.is_(None))
    standing = {(row.address, row.mac) for row in all_of(connection, ToldPairRow, query)}
    now = {(one.address, one.mac) for one in told}
    for address, mac in standing - now:
        connection.execute(
            update(told_pairs)
            .where(told_pairs.c.switch == switch, told_pairs.c.address == address, told_pairs.c.mac == mac)
            .values(last=before)
        )
    fresh = [{"switch": switch, "address": address, "mac": mac, "first": at} for address, mac in sorted(now - standing)]
    if fresh:
        statement = upsert(told_pairs)
        connection.execute(
            statement.on_conflict_do_update(index_elements=["switch", "address", "mac"], set_={"last": None}), fresh
        )


def all_pairs(connection: Connection) -> list[ToldPairRow]:
    """Every pair that was told."""
    return all_of(connection, ToldPairRow, select(told_pairs))


def pairs_at(connection: Connection, address: Address) -> list[ToldPairRow]:
    """Who was told to have an address."""
    return all_of(connection, ToldPairRow, select(told_pairs).where(told_pairs.c.address == address))


def pairs_of(connection: Connection, macs: Sequence[MacNumber]) -> list[ToldPairRow]:
    """Which addresses some MACs were told to have, the latest last."""
    query = select(told_pairs).where(in_list(told_pairs.c.mac, macs)).order_by(told_pairs.c.first)
    return all_of(connection, ToldPairRow, query)


def pairs_by_hand(connection: Connection) -> list[HandPairRow]:
    """Every pair that people entered."""
    return all_of(connection, HandPairRow, select(hand_pairs))


def forget_pairs(connection: Connection) -> int:
    """Let go of what switches and routers told; what people entered stays."""
    return connection.execute(delete(told_pairs)).rowcount
