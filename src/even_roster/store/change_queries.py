"""Reads recorded edits."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Connection, Row, select

from .tables import changes


def latest(connection: Connection, limit: int, before: int | None, device: int | None) -> list[Row[Any]]:
    """Edits, the latest first: of one device or of everything; `before` is the last id of the page before."""
    query = select(changes)
    if device is not None:
        query = query.where(changes.c.kind == "device", changes.c.item == str(device))
    if before is not None:
        query = query.where(changes.c.id < before)
    return list(connection.execute(query.order_by(changes.c.id.desc()).limit(limit)))
