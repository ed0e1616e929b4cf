"""What was true when: who held an address at a moment, every place of a MAC, what changed between two times.

Stays are the history. Compaction makes them fewer without ever losing the first and last time of a pair.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

from sqlalchemy import ColumnElement, Connection, Select, and_, delete, func, insert, literal, or_, select, update

from ..core.address import Address
from ..core.mac import MacNumber
from ..core.stays import Source
from ..core.text import host_key
from .listing import in_list
from .of_site import at_site
from .past_tables import ANSWERED, OPEN, silences
from .rows import NameStayRow, StayRow, TurnRow, all_of, one_of
from .tables import adapters, devices, finding_turns, findings, name_stays, segments, stays

DAY = 24 * 3600 * 1000


def bare_query() -> Select[Any]:
    """The stays as StayRow has them, without subnet, device and the silence that lasts still: for counting many."""
    nothing = (
        ("subnet", ""),
        ("device_id", None),
        ("called", None),
        ("silent_count", 0),
        ("silent_first", 0),
        ("silent_last", 0),
    )
    return select(stays, *(literal(value).label(label) for label, value in nothing))


def stays_query(*, silent: bool = True) -> Select[Any]:
    """The stays as StayRow has them; with `silent` False without the silence that lasts still."""
    last_run = (("silent_count", "times"), ("silent_first", "first"), ("silent_last", "last"))
    columns = (
        (func.coalesce(silences.c[column], 0) if silent else literal(0)).label(label) for label, column in last_run
    )
    query = (
        select(stays, segments.c.subnet, devices.c.id.label("device_id"), devices.c.called, *columns)
        .select_from(stays)
        .join(segments, segments.c.id == stays.c.segment_id)
        .join(adapters, adapters.c.mac == stays.c.mac, isouter=True)
        .join(devices, devices.c.id == adapters.c.device_id, isouter=True)
    )
    return query.join(silences, and_(silences.c.stay_id == stays.c.id, OPEN), isouter=True) if silent else query


def of_addresses(
    connection: Connection, site: int, first: int, last: int, since: int, until: int, limit: int
) -> list[StayRow]:  # fmt: skip
    """Stays within a span of a site's addresses that touch a stretch of time, the latest first; of more than one address without
    the silence that lasts still."""
    query = stays_query(silent=first == last).where(
        of_span(site, first, last), stays.c.last >= since, stays.c.first <= until
    )
    return all_of(connection, StayRow, query.order_by(stays.c.last.desc(), stays.c.id.desc()).limit(limit))


def of_macs(
    connection: Connection, macs: Sequence[MacNumber], since: int, until: int, limit: int
) -> list[StayRow]:  # fmt: skip
    """Stays of some MACs that touch a stretch of time, the latest first."""
    query = stays_query().where(in_list(stays.c.mac, macs), stays.c.last >= since, stays.c.first <= until)
    return all_of(connection, StayRow, query.order_by(stays.c.last.desc(), stays.c.id.desc()).limit(limit))


def of_name(
    connection: Connection, name: str, since: int, until: int, limit: int
) -> list[NameStayRow]:  # fmt: skip
    """Who bore a name when: name stays of that hostname, the latest first."""
    query = select(name_stays).where(
        name_stays.c.key == host_key(name), name_stays.c.last >= since, name_stays.c.first <= until
    )
    return all_of(connection, NameStayRow, query.order_by(name_stays.c.last.desc()).limit(limit))


def macs_called(connection: Connection, name: str) -> list[MacNumber]:
    """The MACs of devices with a name given by people, or heard."""
    wanted = name.casefold()
    given = select(adapters.c.mac).join(devices, devices.c.id == adapters.c.device_id)
    given = given.where(or_(func.lower(devices.c.called) == wanted, func.lower(devices.c.seen_name) == wanted))
    found = set(connection.execute(given).scalars())
    heard = select(name_stays.c.mac).where(name_stays.c.key == host_key(name), name_stays.c.mac >= 0).limit(64)
    return sorted(found | set(connection.execute(heard).scalars()))


def near(connection: Connection, where: ColumnElement[bool], moment: int, limit: int) -> list[StayRow]:
    """The stays of some that had begun at a moment, those that lasted longest first and leases last, and those that began next
    after it."""
    before = stays_query().where(where, stays.c.first <= moment)
    before = before.order_by(ANSWERED.desc(), stays.c.last.desc(), stays.c.id.desc())
    after = stays_query().where(where, stays.c.first > moment).order_by(stays.c.first)
    found = all_of(connection, StayRow, before.limit(limit))
    return found + all_of(connection, StayRow, after.limit(limit))


def after(connection: Connection, macs: Sequence[MacNumber], moment: int, limit: int) -> list[StayRow]:
    """The stays of some MACs that began next after a moment."""
    query = stays_query().where(in_list(stays.c.mac, macs), stays.c.last > moment, stays.c.first > moment)
    return all_of(connection, StayRow, query.order_by(stays.c.first).limit(limit))


def around(
    connection: Connection, site: int, first: int, last: int, moment: int, reach: int, *, bare: bool = False
) -> list[StayRow]:  # fmt: skip
    """Stays within a span of a site's addresses that touch the time up to `reach` ms before and after a moment, without the silence
    that lasts still; `bare` without subnet and device too."""
    query = (bare_query() if bare else stays_query(silent=False)).where(
        of_span(site, first, last), stays.c.last >= moment - reach, stays.c.first <= moment + reach
    )
    return all_of(connection, StayRow, query.order_by(stays.c.address, stays.c.last.desc()))


def of_span(site: int, first: int, last: int) -> ColumnElement[bool]:
    """Stays within a span of a site's addresses."""
    return and_(stays.c.address.between(first, last), at_site(site))


def of_any(macs: Sequence[MacNumber]) -> ColumnElement[bool]:
    """Stays of some MACs."""
    return in_list(stays.c.mac, macs)


def span(connection: Connection, where: ColumnElement[bool], buckets: int, until: int) -> tuple[int, list[int]]:
    """When anybody was seen first among some stays (0: never), and how many of them began in each of `buckets` equal parts
    of the time from then on."""
    began = connection.execute(select(func.min(stays.c.first)).where(where)).scalar() or 0
    if not began or until <= began:
        return began, [0] * buckets
    size = max((until - began) // buckets, 1)
    place = (stays.c.first - began) // size
    found = [0] * buckets
    for number, count in connection.execute(select(place, func.count()).where(where).group_by(place)):
        found[min(int(number), buckets - 1)] += count
    return began, found


def beside(connection: Connection, where: ColumnElement[bool], moment: int) -> tuple[StayRow | None, StayRow | None]:
    """The nearest stay that ended before a moment, and the nearest that began after it."""
    before = stays_query().where(where, stays.c.last < moment).order_by(stays.c.last.desc())
    after = stays_query().where(where, stays.c.first > moment).order_by(stays.c.first)
    return one_of(connection, StayRow, before), one_of(connection, StayRow, after)


def turns_about(
    connection: Connection, subject: str, since: int, until: int, limit: int
) -> list[TurnRow]:  # fmt: skip
    """Turns of findings about a subject within a stretch of time, the latest first."""
    each = func.json_each(findings.c.subjects).table_valued("value")
    about = select(func.count()).select_from(each).where(func.json_extract(each.c.value, "$[1]") == subject)
    query = (
        select(finding_turns, findings.c.kind)
        .join(findings, findings.c.id == finding_turns.c.finding_id)
        .where(finding_turns.c.at.between(since, until), about.scalar_subquery() > 0)
    )
    return all_of(connection, TurnRow, query.order_by(finding_turns.c.id.desc()).limit(limit))


def compact(connection: Connection, before: int, most: int = 1 << 30) -> tuple[int, bool]:
    """Fold the stays of each pair that ended before a time into one, from its first to its last moment, for at most `most`
    pairs. Gives how many stays were dropped, and whether there are more pairs to fold."""
    old = stays.c.last < before
    groups = (
        select(
            func.min(stays.c.id).label("keep"), func.min(stays.c.first).label("first"),
            func.max(stays.c.last).label("last"), func.sum(stays.c.sightings).label("sightings"),
            func.count().label("many"),
        )
        .where(old)
        .group_by(stays.c.segment_id, stays.c.address, stays.c.mac)
        .having(func.count() > 1)
        .limit(most)
    )  # fmt: skip
    kept = list(connection.execute(groups))
    dropped = 0
    for row in kept:
        first = connection.execute(select(stays).where(stays.c.id == row.keep)).one()
        same = stays.c.mac.is_(None) if first.mac is None else stays.c.mac == first.mac
        pair = and_(stays.c.segment_id == first.segment_id, stays.c.address == first.address, same, old)
        sources = int(Source.FOLDED)
        for known in connection.execute(select(stays.c.sources).where(pair).distinct()).scalars():
            sources |= known
        query = select(stays).where(pair).order_by(stays.c.last.desc(), stays.c.id.desc()).limit(1)
        latest = connection.execute(query).one()
        goes = select(stays.c.id).where(pair)
        lasting = connection.execute(
            select(silences).where(silences.c.stay_id == latest.id, silences.c.after == 0)
        ).one_or_none()
        connection.execute(delete(silences).where(silences.c.stay_id.in_(goes)))
        connection.execute(delete(stays).where(pair, stays.c.id != row.keep))
        if lasting is not None:
            connection.execute(insert(silences).values(**{**lasting._asdict(), "stay_id": row.keep}))
        values = {
            "first": row.first, "last": row.last, "sightings": row.sightings, "sources": sources, "widest": None,
            "heard": latest.heard, "reason": latest.reason,
        }  # fmt: skip
        connection.execute(update(stays).where(stays.c.id == row.keep).values(**values))
        dropped += row.many - 1
    return dropped, len(kept) >= most


def forget_names(connection: Connection, before: int) -> int:
    """Drop names heard last before a time, of pairs that were heard to bear newer ones. Gives how many."""
    newer = (
        select(name_stays.c.mac, name_stays.c.address).where(name_stays.c.last >= before).distinct().subquery()
    )  # fmt: skip
    superseded = select(name_stays.c.id).join(
        newer, and_(newer.c.mac == name_stays.c.mac, newer.c.address == name_stays.c.address)
    )
    dropped = delete(name_stays).where(name_stays.c.last < before, name_stays.c.id.in_(superseded))
    return int(connection.execute(dropped).rowcount)


def of_many(
    connection: Connection, site: int, macs: Collection[MacNumber], addresses: Collection[Address], since: int
) -> list[StayRow]:  # fmt: skip
    """The stays of some MACs anywhere at a site, and of any device at some addresses, that touch the time since a moment, and the
    last one of each pair before it; bare, in the order of time."""
    whose = and_(or_(in_list(stays.c.mac, macs), in_list(stays.c.address, addresses)), at_site(site))
    before = (
        select(stays.c.address, stays.c.mac, func.max(stays.c.last).label("latest"))
        .where(whose, stays.c.last <= since)
        .group_by(stays.c.address, stays.c.mac)
        .subquery()
    )
    latest = select(stays.c.id).join(
        before,
        and_(
            before.c.address == stays.c.address, before.c.latest == stays.c.last,
            func.coalesce(before.c.mac, 0) == func.coalesce(stays.c.mac, 0),
        ),
    )  # fmt: skip
    query = bare_query().where(whose, or_(stays.c.last > since, stays.c.id.in_(latest)))
    return all_of(connection, StayRow, query.order_by(stays.c.first))
