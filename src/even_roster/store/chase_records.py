"""Chases as they are kept: what is watched, and the cables that are looked for. Times are UTC milliseconds."""

from __future__ import annotations

from typing import Any, NamedTuple

from sqlalchemy import Connection, delete, insert, select, update

from .rows import Json, all_of
from .wiring_tables import chases


class ChaseRow(NamedTuple):
    """A row of `chases`: `cables` are [text, port or null, when it was found or null]."""

    id: int
    name: str
    switches: Json
    devices: Json
    cables: Json
    begun: int
    until: int
    on: bool


def every(connection: Connection) -> list[ChaseRow]:
    """All chases, the latest first."""
    return all_of(connection, ChaseRow, select(chases).order_by(chases.c.id.desc()))


def add(connection: Connection, values: dict[str, Any]) -> int:
    """Keep a chase; gives its id."""
    return int(connection.execute(insert(chases).values(**values)).inserted_primary_key[0])  # type: ignore[index]


def change(connection: Connection, identity: int, values: dict[str, Any]) -> None:
    """Change a chase."""
    connection.execute(update(chases).where(chases.c.id == identity).values(**values))


def remove(connection: Connection, identity: int) -> None:
    """Keep a chase no longer."""
    connection.execute(delete(chases).where(chases.c.id == identity))
