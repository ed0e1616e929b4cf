"""Reply times of addresses hour by hour: bounded, as only KEPT_HOURS are kept."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from sqlalchemy import Connection, delete, func, select
from sqlalchemy.dialects.sqlite import insert as upsert

from ..core.address import Address
from ..core.reply_hours import KEPT_HOURS, Tally
from .calling_tables import reply_hours

_MANY = 500


def add(connection: Connection, site: int, tallies: Mapping[tuple[Address, int], Tally]) -> None:
    """The looks of some addresses and hours besides those that are kept."""
    if not tallies:
        return
    statement = upsert(reply_hours)
    old, new = reply_hours.c, statement.excluded
    statement = statement.on_conflict_do_update(
        index_elements=["site", "address", "hour"],
        set_={
            "looks": old.looks + new.looks, "here": old.here + new.here, "timed": old.timed + new.timed,
            "total": old.total + new.total, "most": func.max(old.most, new.most),
            "least": func.iif(old.timed == 0, new.least, func.iif(new.timed == 0, old.least, func.min(old.least, new.least))),
        },
    )  # fmt: skip
    rows = [
        {"site": site, "address": address, "hour": hour, "looks": one.looks, "here": one.here, "timed": one.timed,
         "least": one.least, "total": one.total, "most": one.most}
        for (address, hour), one in tallies.items()
    ]  # fmt: skip
    connection.execute(statement, rows)


def forget(connection: Connection, now: int) -> None:
    """Let go of what is older than KEPT_HOURS before an hour."""
    connection.execute(delete(reply_hours).where(reply_hours.c.hour <= now - KEPT_HOURS))


def since(
    connection: Connection, site: int, addresses: Collection[Address], hour: int
) -> dict[Address, dict[int, Tally]]:
    """What is kept of some addresses from an hour on, by address and hour."""
    found: dict[Address, dict[int, Tally]] = {}
    wanted = list(addresses)
    for start in range(0, len(wanted), _MANY):
        query = (
            select(reply_hours)
            .where(reply_hours.c.site == site, reply_hours.c.address.in_(wanted[start : start + _MANY]))
            .where(reply_hours.c.hour >= hour)
        )
        for row in connection.execute(query):
            tally = Tally(row.looks, row.here, row.timed, row.least, row.total, row.most)
            found.setdefault(row.address, {})[row.hour] = tally
    return found
