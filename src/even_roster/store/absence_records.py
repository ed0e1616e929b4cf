"""Silences in the records: when the pairs of stays were asked without an answer."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from sqlalchemy import Connection, bindparam, literal, select, update
from sqlalchemy.dialects.sqlite import insert as upsert

from ..core.absence import Reason, Silence
from ..core.address import Address
from ..core.mac import MacNumber
from ..core.past.rule import Run
from .listing import in_list
from .of_site import at_site
from .past_tables import ANSWERED, silences
from .tables import stays

Key = tuple[Address, MacNumber, int]
"""A pair of address and MAC, and when its silence began (UTC ms)."""


def keep(connection: Connection, site: int, found: Mapping[Key, Silence]) -> None:
    """Enter silences of pairs at a site; times are UTC ms. Of a pair that has no stay there nothing is kept."""
    if not found:
        return
    of_pair = (
        stays.c.address == bindparam("at_address"), stays.c.mac == bindparam("of_mac"), at_site(site),
        stays.c.first <= bindparam("until"), ANSWERED,
    )  # fmt: skip
    whose = select(
        stays.c.id, bindparam("since"), bindparam("until"), bindparam("count"), bindparam("answered"), bindparam("again"),
        bindparam("why"),
    ).where(*of_pair)  # fmt: skip
    new = upsert(silences).from_select(
        ["stay_id", "first", "last", "times", "before", "after", "reason"], whose.order_by(stays.c.last.desc()).limit(1)
    )
    changed = {name: new.excluded[name] for name in ("last", "times", "after", "reason")}
    rows = [
        {
            "at_address": address, "of_mac": mac, "since": one.first, "until": one.last, "count": one.count,
            "answered": one.before, "again": one.after, "why": int(one.reason),
        }
        for (address, mac, _), one in found.items()
    ]  # fmt: skip
    connection.execute(new.on_conflict_do_update(index_elements=["stay_id", "first"], set_=changed), rows)
    ended = [row for row in rows if row["why"]]
    if ended:
        latest = select(stays.c.id).where(*of_pair).order_by(stays.c.last.desc()).limit(1).scalar_subquery()
        ends = update(stays).where(stays.c.id == latest, stays.c.last < bindparam("until"))
        connection.execute(ends.values(reason=bindparam("why")), ended)


def answered_again(connection: Connection, answers: Collection[tuple[int, int]]) -> None:
    """Stays of these ids went on with answers at these times (UTC ms): their open silences end."""
    rows: list[tuple[object, ...]] = [(at, identity, at) for identity, at in answers]
    if rows:
        statement = "UPDATE silences SET after = ? WHERE stay_id = ? AND after = 0 AND last < ?"
        connection.exec_driver_sql(statement, rows)


def around(connection: Connection, stay_ids: Collection[int], moment: int) -> dict[int, Run]:
    """The looks without an answer between the answers around a moment, by stay."""
    if not stay_ids:
        return {}
    query = select(silences).where(
        in_list(silences.c.stay_id, stay_ids), silences.c.before < moment,
        (silences.c.after == literal(0)) | (silences.c.after > moment),
    ).order_by(silences.c.first)  # fmt: skip
    return {
        row.stay_id: Run(row.first, row.last, row.times, row.before, row.after, row.reason)
        for row in connection.execute(query)
    }


def of_stays(
    connection: Connection, stay_ids: Collection[int], since: int, until: int, limit: int
) -> list[tuple[int, Run]]:
    """The latest silences of some stays that touch a stretch of time, the latest first, each with the id of its stay."""
    if not stay_ids:
        return []
    query = select(silences).where(
        in_list(silences.c.stay_id, stay_ids), silences.c.first <= until, silences.c.last >= since
    )
    return [
        (row.stay_id, Run(row.first, row.last, row.times, row.before, row.after, row.reason))
        for row in connection.execute(query.order_by(silences.c.last.desc()).limit(limit))
    ]


def all_of_stays(connection: Connection, stay_ids: Collection[int], since: int) -> dict[int, list[Run]]:
    """Every silence of some stays that touches the time since a moment, or lasts still, by stay."""
    found: dict[int, list[Run]] = {}
    if stay_ids:
        query = select(silences).where(
            in_list(silences.c.stay_id, stay_ids),
            (silences.c.last >= since) | (silences.c.after >= since) | (silences.c.after == literal(0)),
        )
        for row in connection.execute(query.order_by(silences.c.first)):
            run = Run(row.first, row.last, row.times, row.before, row.after, row.reason)
            found.setdefault(row.stay_id, []).append(run)
    return found


def words(run: Run) -> str:
    """Why the stay ended with this silence; empty where it did not."""
    return Reason(run.reason).words
