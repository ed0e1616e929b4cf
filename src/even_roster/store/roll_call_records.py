"""Roll calls as they are kept."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, select

from ..core.roll_call import Line
from .tables import roll_calls


@dataclass(frozen=True, slots=True)
class RollCall:
    """A standing list: its name, how often its lines are looked for, and the lines in their order."""

    id: int
    name: str
    every_seconds: int
    lines: tuple[Line, ...]


def all_of_them(connection: Connection) -> list[RollCall]:
    """Every roll call, by name."""
    query = select(roll_calls).order_by(roll_calls.c.name, roll_calls.c.id)
    return [
        RollCall(row.id, row.name, row.every_seconds, tuple(Line(*parts) for parts in row.lines))
        for row in connection.execute(query)
    ]


def stored(lines: tuple[Line, ...]) -> list[list[str]]:
    """Lines as their column holds them."""
    return [[line.subject, line.name, line.notes] for line in lines]


def values(name: str, every_seconds: int, lines: tuple[Line, ...]) -> dict[str, Any]:
    """What people enter, as a row."""
    return {"name": name, "every_seconds": every_seconds, "lines": stored(lines)}
