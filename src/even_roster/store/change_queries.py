"""Reads recorded edits."""

from __future__ import annotations

from sqlalchemy import Connection, select

from .rows import ChangeItemRow, ChangeRow, all_of, one_of
from .tables import change_devices, change_items, changes


def latest(connection: Connection, limit: int, before: int | None, device: int | None) -> list[ChangeRow]:
    """Edits, the latest first: of everything, or of one device with its adapters and assignments, former ones too; `before` is the
    last id of the page before."""
    query = select(changes)
    if device is not None:
        about = select(change_devices.c.change_id).where(change_devices.c.device == device)
        query = query.where(changes.c.id.in_(about))
    if before is not None:
        query = query.where(changes.c.id < before)
    return all_of(connection, ChangeRow, query.order_by(changes.c.id.desc()).limit(limit))


def one(connection: Connection, identity: int) -> ChangeRow | None:
    """One edit."""
    return one_of(connection, ChangeRow, select(changes).where(changes.c.id == identity))


def items_of(connection: Connection, change: int) -> list[ChangeItemRow]:
    """The rows that one edit touched, as they were before and after."""
    return all_of(connection, ChangeItemRow, select(change_items).where(change_items.c.change_id == change))
