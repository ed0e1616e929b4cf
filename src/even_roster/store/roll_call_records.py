"""Roll calls as they are kept."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, select

from ..core.roll_call import Line
from .tables import roll_calls
from .watch_records import within


@dataclass(frozen=True, slots=True)
class RollCall:
    """A standing list: its name, how often its lines are looked for, and the lines in their order."""

    id: int
    name: str
    every_seconds: int
    lines: tuple[Line, ...]
    warn_minutes: int = 0
    quiet_first: int | None = None
    quiet_last: int | None = None

    def quiet(self, minute: int) -> bool:
        """True within the quiet hours, in which nobody is told of an absence."""
        return within(self.quiet_first, self.quiet_last, minute)


def all_of_them(connection: Connection) -> list[RollCall]:
    """Every roll call, by name."""
    query = select(roll_calls).order_by(roll_calls.c.name, roll_calls.c.id)
    return [
        RollCall(
            row.id,
            row.name,
            row.every_seconds,
            tuple(Line(*parts) for parts in row.lines),
            row.warn_minutes,
            row.quiet_first,
            row.quiet_last,
        )
        for row in connection.execute(query)
    ]


def stored(lines: tuple[Line, ...]) -> list[list[Any]]:
    """Lines as their column holds them."""
    return [[line.subject, line.name, line.notes, line.warn, line.until] for line in lines]


def values(
    name: str, every_seconds: int, lines: tuple[Line, ...], warn_minutes: int, quiet: tuple[int | None, int | None]
) -> dict[str, Any]:
    """What people enter, as a row."""
    return {
        "name": name, "every_seconds": every_seconds, "lines": stored(lines), "warn_minutes": warn_minutes,
        "quiet_first": quiet[0], "quiet_last": quiet[1],
    }  # fmt: skip
