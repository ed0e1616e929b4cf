"""Looks and deaf times in the records."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from sqlalchemy import Connection, and_, delete, insert, or_, select, update
from sqlalchemy.dialects.sqlite import insert as upsert

from ..core.address import Address
from ..core.past.deaf import Deafness, DeafTime
from ..core.past.looks import LONGEST_PAUSE, Kind, Series
from ..core.span import SpanSet
from ..core.stays import Source
from .past_tables import deaf_times, heartbeat, looks

NEAR = 6
"""How many series before a moment, and after it, are looked at."""
MOST_ROUNDS = 20_000
"""How many series of rounds are kept; beyond that the oldest go."""


def _series(row: Any) -> Series:
    pairs = _pairs(row.spans) if row.spans else ((row.low, row.high),)
    return Series(
        row.id, Kind(row.kind), Source(row.by), row.adapter, SpanSet(pairs), row.first, row.began, row.last, row.times,
        row.every, bool(row.controlled),
    )  # fmt: skip


def _pairs(text: str) -> tuple[tuple[int, int], ...]:
    numbers = [int(one, 36) for one in text.split()]
    return tuple(zip(numbers[::2], numbers[1::2], strict=True))


def _text(pairs: Iterable[tuple[int, int]]) -> str:
    return " ".join(f"{_base36(first)} {_base36(last)}" for first, last in pairs)


def _base36(number: int) -> str:
    digits = ""
    while True:
        number, rest = divmod(number, 36)
        digits = "0123456789abcdefghijklmnopqrstuvwxyz"[rest] + digits
        if not number:
            return digits


def keep(connection: Connection, site: int, found: Sequence[Series]) -> list[int]:
    """Enter series, those that have an id anew; gives their ids in the same order."""
    ids = []
    for one in found:
        if not one.spans:
            ids.append(0)
            continue
        values: dict[str, object] = {"began": one.began, "last": one.last, "times": one.count, "every": one.every}
        if one.id:
            connection.execute(update(looks).where(looks.c.id == one.id).values(**values))
            ids.append(one.id)
            continue
        low, high = one.spans.pairs[0][0], one.spans.pairs[-1][1]
        values |= {
            "site": site, "adapter": one.adapter, "kind": int(one.kind), "by": int(one.by), "controlled": one.controlled,
            "low": low, "high": high, "spans": _text(one.spans.pairs) if len(one.spans.pairs) > 1 else "", "first": one.first,
        }  # fmt: skip
        key = connection.execute(insert(looks).values(**values)).inserted_primary_key
        assert key is not None
        ids.append(int(key[0]))
    return ids


def going_on(connection: Connection, site: int, now: int) -> list[Series]:
    """The series at a site that may go on, the latest of each key."""
    query = select(looks).where(looks.c.site == site, looks.c.last >= now - LONGEST_PAUSE).order_by(looks.c.last)
    latest = {one.key: one for one in map(_series, connection.execute(query))}
    return list(latest.values())


def near(connection: Connection, site: int, address: Address, moment: int) -> list[Series]:
    """The series that asked for an address of a site around a moment: the latest before it and the first after it."""
    holds = and_(looks.c.site == site, looks.c.low <= address, looks.c.high >= address)
    alone = and_(looks.c.site == site, looks.c.low == address, looks.c.high == address)
    found: dict[int, Series] = {}
    for where in (and_(holds, looks.c.kind != int(Kind.ROUND)), alone):
        before = select(looks).where(where, looks.c.first <= moment).order_by(looks.c.last.desc()).limit(NEAR)
        after = select(looks).where(where, looks.c.first > moment).order_by(looks.c.first).limit(NEAR)
        for query in (before, after):
            for row in connection.execute(query):
                found[row.id] = _series(row)
    return [one for one in found.values() if address in one.spans]


def since(connection: Connection, site: int, first: Address, last: Address, moment: int) -> list[Series]:
    """Every series at a site that touches the time since a moment and asked for an address of first..last."""
    query = select(looks).where(
        looks.c.site == site, looks.c.low <= last, looks.c.high >= first, looks.c.last >= moment
    )
    return [_series(row) for row in connection.execute(query.order_by(looks.c.first))]


def last_full(connection: Connection, site: int, spans: SpanSet) -> int:
    """When the last full scan with a control began that asked for some addresses of a site (UTC ms); where none had one, when the
    first did. 0 for never."""
    low, high = spans.pairs[0][0], spans.pairs[-1][1]
    query = select(looks).where(
        looks.c.site == site, looks.c.low <= low, looks.c.high >= high, looks.c.kind == int(Kind.SCAN)
    )
    found = [one for one in map(_series, connection.execute(query)) if one.spans.covers(spans)]
    controlled = [one.began for one in found if one.controlled]
    return max(controlled) if controlled else min((one.first for one in found), default=0)


def forget(connection: Connection, before: int) -> int:
    """Drop series of rounds that ended before a time (UTC ms), and the oldest beyond MOST_ROUNDS; gives how many went."""
    rounds = looks.c.kind == int(Kind.ROUND)
    newest = select(looks.c.id).where(rounds).order_by(looks.c.last.desc()).limit(MOST_ROUNDS)
    return connection.execute(
        delete(looks).where(rounds, or_(looks.c.last < before, looks.c.id.not_in(newest)))
    ).rowcount


# Deaf times


def deaf(connection: Connection, since: int, until: int) -> list[DeafTime]:
    """The deaf times that touch a stretch of time, in order."""
    query = select(deaf_times).where(
        deaf_times.c.first <= until, or_(deaf_times.c.last >= since, deaf_times.c.last == 0)
    )
    rows = connection.execute(query.order_by(deaf_times.c.first))
    return [DeafTime(Deafness(row.why), row.adapter, row.first, row.last) for row in rows]


def begin_deaf(connection: Connection, one: DeafTime) -> int:
    """Enter a deaf time; gives its id."""
    values = {"adapter": one.adapter, "why": int(one.why), "first": one.first, "last": one.last}
    key = connection.execute(insert(deaf_times).values(**values)).inserted_primary_key
    assert key is not None
    return int(key[0])


def end_deaf(connection: Connection, identity: int, at: int) -> None:
    """A deaf time ended, or goes on until at least then."""
    connection.execute(update(deaf_times).where(deaf_times.c.id == identity).values(last=at))


def end_all_deaf(connection: Connection, at: int) -> None:
    """Whatever went on when the service ended is not known to have gone on longer than that."""
    connection.execute(update(deaf_times).where(deaf_times.c.last == 0).values(last=at))


def alive(connection: Connection) -> tuple[int, bool] | None:
    """When the service was alive last (UTC ms), and whether it was stopped in order then; None before its first beat."""
    row = connection.execute(select(heartbeat.c.at, heartbeat.c.stopped)).first()
    return (int(row[0]), bool(row[1])) if row is not None else None


def beat(connection: Connection, at: int, *, stopped: bool = False) -> None:
    """The service is alive, or is being stopped."""
    new = upsert(heartbeat).values(id=1, at=at, stopped=stopped)
    connection.execute(new.on_conflict_do_update(index_elements=["id"], set_={"at": at, "stopped": stopped}))
