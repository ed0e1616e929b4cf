"""Times in the records that lie ahead, because the machine's clock was ahead when they were written."""

from __future__ import annotations

from sqlalchemy import Connection, Table, delete, update

from .past_tables import looks, silences
from .tables import adapters, devices, name_stays, segments, stays

_TIMES: tuple[tuple[Table, tuple[str, ...]], ...] = (
    (stays, ("first", "last", "heard")), (silences, ("last", "before", "after")), (looks, ("first", "began", "last")),
    (name_stays, ("first", "last")),
    (adapters, ("first_seen", "last_seen", "heard")), (devices, ("first_seen", "last_seen", "heard")),
    (segments, ("first_seen", "last_seen")),
)  # fmt: skip


def bring_back(connection: Connection, now: int, slack: int) -> int:
    """Let nothing be seen later than `now` (UTC ms): what lies more than `slack` ahead was seen now at the latest. Gives how many
    times were set."""
    changed = 0
    for table, columns in _TIMES:
        for name in columns:
            statement = update(table).where(table.c[name] > now + slack).values({name: now})
            changed += connection.execute(statement).rowcount
    changed += connection.execute(delete(silences).where(silences.c.first > now + slack)).rowcount
    return changed
