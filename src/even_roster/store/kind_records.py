"""Kinds of devices as they are kept."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, func, select

from ..core.fitting.kinds import Comes, Field, Kind
from .fitting_tables import fittings, kinds


@dataclass(frozen=True, slots=True)
class KindKept:
    """A kind with its id."""

    id: int
    kind: Kind


def all_of_them(connection: Connection) -> list[KindKept]:
    """Every kind, by name."""
    return [_kept(row) for row in connection.execute(select(kinds).order_by(func.lower(kinds.c.name), kinds.c.id))]


def one(connection: Connection, identity: int) -> KindKept | None:
    """A kind by its id."""
    row = connection.execute(select(kinds).where(kinds.c.id == identity)).first()
    return _kept(row) if row is not None else None


def used(connection: Connection) -> dict[int, int]:
    """How many fittings each kind had, by its id."""
    query = select(fittings.c.kind, func.count()).where(fittings.c.kind.is_not(None)).group_by(fittings.c.kind)
    return {row[0]: row[1] for row in connection.execute(query)}


def values(kind: Kind) -> dict[str, Any]:
    """What people enter, as a row."""
    return {
        "name": kind.name, "comes": kind.comes.value, "factory": kind.factory, "page": kind.page, "reset": kind.reset,
        "store": kind.store, "fields": [field.value for field in kind.fields], "notation": kind.notation, "role": kind.role,
        "notes": kind.notes,
    }  # fmt: skip


def of_values(row: Any) -> Kind:
    """A kind from a row's values."""
    return Kind(
        row["name"], Comes(row["comes"]), row["factory"], row["page"], row["reset"], row["store"],
        tuple(Field(field) for field in row["fields"]), row["notation"], row["role"], row["notes"],
    )  # fmt: skip


def _kept(row: Any) -> KindKept:
    return KindKept(row.id, of_values(row._mapping))
