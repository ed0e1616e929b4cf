"""Reads recorded edits."""

from __future__ import annotations

import functools
from collections.abc import Collection
from typing import Any

from sqlalchemy import BindParameter, Connection, Integer, Select, bindparam, func, select

from .rows import ChangeItemRow, ChangeRow, all_of, one_of
from .tables import change_devices, change_items, changes


def latest(connection: Connection, limit: int, before: int | None, device: int | None) -> list[ChangeRow]:
    """Edits, the latest first: of everything, or of one device with its adapters and assignments, former ones too; `before` is the
    last id of the page before."""
    given = {"device": device, "before": before, "most": limit}
    query = _latest(before is not None, device is not None)
    return all_of(connection, ChangeRow, query, {name: one for name, one in given.items() if one is not None})


@functools.cache
def _latest(older: bool, of_device: bool) -> Select[Any]:
    """The question, put together once: each device's sheet asks it."""
    device: BindParameter[int] = bindparam("device", type_=Integer)
    query = _about(select(changes), device if of_device else None)
    if older:
        query = query.where(changes.c.id < bindparam("before"))
    return query.order_by(changes.c.id.desc()).limit(bindparam("most", type_=Integer))


def count(connection: Connection, device: int | None) -> int:
    """How many edits there are, of everything or of one device."""
    return int(connection.execute(_about(select(func.count()).select_from(changes), device)).scalar_one())


def _about(query: Select[Any], device: int | BindParameter[int] | None) -> Select[Any]:
    if device is None:
        return query
    about = select(change_devices.c.change_id).where(change_devices.c.device == device)
    return query.where(changes.c.id.in_(about))


def one(connection: Connection, identity: int) -> ChangeRow | None:
    """One edit."""
    return one_of(connection, ChangeRow, select(changes).where(changes.c.id == identity))


def last_of(connection: Connection, kind: str, key: str | None, item: int = 0) -> int:
    """The last edit of a setting, by its key as it is written down (None: of any of that kind); 0 when nobody ever edited it. It is
    the setting's version: whatever is edited, or taken back, has another one."""
    query = select(func.max(change_items.c.change_id)).where(change_items.c.kind == kind, change_items.c.item == item)
    if key is not None:
        query = query.where(change_items.c.key == key)
    return int(connection.execute(query).scalar() or 0)


def last_of_all(connection: Connection, kind: str) -> dict[int, int]:
    """As `last_of`, of every setting of a kind that is told apart by one number."""
    query = (
        select(change_items.c.item, func.max(change_items.c.change_id))
        .where(change_items.c.kind == kind)
        .group_by(change_items.c.item)
    )
    return {item: change for item, change in connection.execute(query)}


_UNDOING = (
    select(changes.c.undoes, func.max(changes.c.id))
    .where(changes.c.undoes.in_(bindparam("among", expanding=True)))
    .group_by(changes.c.undoes)
)


def taken_back(connection: Connection, among: Collection[int]) -> dict[int, int]:
    """Which of some edits are taken back now, and by which edit: one that was itself taken back does not count."""
    if not among:
        return {}
    found = {int(undone): int(by) for undone, by in connection.execute(_UNDOING, {"among": [*among]})}
    again = taken_back(connection, found.values())
    return {undone: by for undone, by in found.items() if by not in again}


def items_of(connection: Connection, change: int) -> list[ChangeItemRow]:
    """The rows that one edit touched, as they were before and after."""
    return all_of(connection, ChangeItemRow, select(change_items).where(change_items.c.change_id == change))
