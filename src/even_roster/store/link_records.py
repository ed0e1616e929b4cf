"""Links as they are kept: which ports are or were joined, and what hands say of that. Times are UTC milliseconds."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any, NamedTuple

from sqlalchemy import Connection, delete, insert, or_, select, update

from ..core.wiring.facts import End, Known, Link, Word
from .rows import Json, all_of
from .wiring_tables import hand_links, link_stays, map_places


class LinkRow(NamedTuple):
    """A row of `link_stays`."""

    id: int
    ends: Json
    known: str
    shared: bool
    members: Json
    first: int
    last: int | None
    gone: int | None

    @property
    def link(self) -> Link:
        """The link that it is of; why it was known is not kept."""
        ends = tuple(End(switch, port, called) for switch, port, called in self.ends)
        members = tuple((one, other) for one, other in self.members)
        return Link(ends, Known(self.known), (), members, self.shared)


def standing(connection: Connection) -> list[LinkRow]:
    """The links that stand."""
    return all_of(connection, LinkRow, select(link_stays).where(link_stays.c.last.is_(None)).order_by(link_stays.c.id))


def at(connection: Connection, moment: int) -> list[LinkRow]:
    """The links that stood at a moment, as far as they were not yet found gone by then."""
    query = select(link_stays).where(
        link_stays.c.first <= moment, or_(link_stays.c.gone.is_(None), link_stays.c.gone > moment)
    )
    return all_of(connection, LinkRow, query.order_by(link_stays.c.id))


def since(connection: Connection, moment: int) -> list[LinkRow]:
    """The links that stood at any time since a moment, the latest that ended first."""
    query = select(link_stays).where(or_(link_stays.c.gone.is_(None), link_stays.c.gone >= moment))
    return all_of(connection, LinkRow, query.order_by(link_stays.c.last.desc(), link_stays.c.id))


def write(
    connection: Connection, opened: Iterable[tuple[Link, int]], changed: Iterable[tuple[int, Link]], closed: Sequence[int],
    last: int, gone: int,
) -> None:  # fmt: skip
    """Links with when they begin, those that are known otherwise by now, and those that stood at `last` and were found `gone`."""
    rows = [{**_values(link), "first": first} for link, first in opened]
    if rows:
        connection.execute(insert(link_stays), rows)
    for identity, link in changed:
        connection.execute(update(link_stays).where(link_stays.c.id == identity).values(**_values(link)))
    if closed:
        connection.execute(update(link_stays).where(link_stays.c.id.in_(closed)).values(last=last, gone=gone))


def _values(link: Link) -> dict[str, Any]:
    return {
        "ends": [[one.switch, one.port, one.called] for one in link.ends], "known": link.known.value, "shared": link.between,
        "members": [list(one) for one in link.members],
    }  # fmt: skip


def words(connection: Connection) -> list[Word]:
    """What hands say of links."""
    return [Word(row.one, row.other, row.joined) for row in connection.execute(select(hand_links))]


class WordRow(NamedTuple):
    """A row of `hand_links`."""

    one: int
    other: int
    joined: bool
    note: str


def word_rows(connection: Connection) -> list[WordRow]:
    """What hands say of links, with their notes."""
    return all_of(connection, WordRow, select(hand_links).order_by(hand_links.c.one, hand_links.c.other))


def places(connection: Connection) -> dict[int, tuple[float, float]]:
    """Where hands put switches on the map."""
    return {row.switch: (row.x, row.y) for row in connection.execute(select(map_places))}


def forget(connection: Connection, before: int) -> int:
    """Let go of links that ended before a time; gives how many rows went."""
    gone = delete(link_stays).where(link_stays.c.last.is_not(None), link_stays.c.last < before)
    return connection.execute(gone).rowcount
