"""How the lines of roll calls stood when they were kept last, so that a restart forgets nothing."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from sqlalchemy import Connection, delete, insert, select

from .calling_tables import roll_standings


@dataclass(frozen=True, slots=True)
class Stood:
    """How a line stood: its state, since when, when it answered last, and when it was asked last (UTC ms)."""

    state: str
    since: int | None
    seen: int | None
    asked: int


def of_call(connection: Connection, call: int) -> dict[str, Stood]:
    """The lines of one roll call, by whom they name."""
    query = select(roll_standings).where(roll_standings.c.call == call)
    return {row.subject: Stood(row.state, row.since, row.seen, row.asked) for row in connection.execute(query)}


def keep(connection: Connection, call: int, lines: Mapping[str, Stood]) -> None:
    """These are the lines of a roll call now; the ones before are gone."""
    connection.execute(delete(roll_standings).where(roll_standings.c.call == call))
    if lines:
        connection.execute(
            insert(roll_standings),
            [
                {"call": call, "subject": subject, "state": one.state, "since": one.since, "seen": one.seen,
                 "asked": one.asked}
                for subject, one in lines.items()
            ],
        )  # fmt: skip
