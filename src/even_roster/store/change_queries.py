"""Reads recorded edits."""

from __future__ import annotations

from sqlalchemy import CompoundSelect, Connection, select, union

from .rows import ChangeItemRow, ChangeRow, all_of, one_of
from .tables import assignments, change_items, changes


def latest(connection: Connection, limit: int, before: int | None, device: int | None) -> list[ChangeRow]:
    """Edits, the latest first: of one device or of everything; `before` is the last id of the page before."""
    query = select(changes)
    if device is not None:
        query = query.where(changes.c.id.in_(_about(device)))
    if before is not None:
        query = query.where(changes.c.id < before)
    return all_of(connection, ChangeRow, query.order_by(changes.c.id.desc()).limit(limit))


def one(connection: Connection, identity: int) -> ChangeRow | None:
    """One edit."""
    return one_of(connection, ChangeRow, select(changes).where(changes.c.id == identity))


def items_of(connection: Connection, change: int) -> list[ChangeItemRow]:
    """The rows that one edit touched, as they were before and after."""
    return all_of(connection, ChangeItemRow, select(change_items).where(change_items.c.change_id == change))


def _about(device: int) -> CompoundSelect[int]:
    """The edits of a device, its adapters and its assignments; those of older versions name it only."""
    named = select(changes.c.id).where(changes.c.kind == "device", changes.c.item == str(device))
    itself = select(change_items.c.change_id).where(change_items.c.kind == "device", change_items.c.item == device)
    given = select(assignments.c.id).where(assignments.c.device == device)
    theirs = select(change_items.c.change_id).where(
        change_items.c.kind == "assignment", change_items.c.item.in_(given)
    )  # fmt: skip
    return union(named, itself, theirs)
