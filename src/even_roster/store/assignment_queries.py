"""Lists of assignments: a page by cursor or by position, in an order, with filters."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, Connection, Select, func, or_, select

from ..core.mac import fragment_digits
from ..core.plan.model import Assignment
from .listing import after, decode_cursor, encode_cursor
from .plan_records import from_values
from .tables import assignments, devices

_ROLE = func.coalesce(devices.c.role, "")
_MAC = func.coalesce(assignments.c.mac, 1 << 49)
_JOINED = assignments.join(devices, devices.c.id == assignments.c.device, isouter=True)
SORTS: dict[str, ColumnElement[Any]] = {
    "address": assignments.c.address, "name": func.lower(assignments.c.name), "role": _ROLE, "mac": _MAC,
    "kind": assignments.c.kind,
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class AssignmentFilter:
    """Which assignments: all conditions must hold. With `own_words` the text must stand in the assignment itself, not
    in what is known of its device."""

    site: int | None = None
    subnet: int | None = None
    kind: str | None = None
    role: str | None = None
    on: bool | None = None
    text: str = ""
    own_words: bool = False


@dataclass(frozen=True, slots=True)
class AssignmentPage:
    """A page and the cursor of the next, None at the end."""

    items: list[Assignment]
    next: str | None


def page(
    connection: Connection, wanted: AssignmentFilter, sort: str, descending: bool, cursor: str | None, limit: int,
    offset: int = 0,
) -> AssignmentPage:  # fmt: skip
    """Up to `limit` assignments in an order, from a cursor or an offset on. Raises CursorError."""
    column = SORTS[sort]
    order = f"{'-' if descending else ''}{sort}"
    query = _where(select(assignments, _ROLE.label("role"), column.label("sort_value")).select_from(_JOINED), wanted)
    if cursor is not None:
        query = after(query, column, assignments.c.id, descending, decode_cursor(cursor, order))
    ways = (column.desc(), assignments.c.id.desc()) if descending else (column, assignments.c.id)
    rows = list(connection.execute(query.order_by(*ways).offset(offset).limit(limit + 1)).mappings())
    more = len(rows) > limit
    rows = rows[:limit]
    items = [from_values("assignment", dict(row)) for row in rows]
    return AssignmentPage(
        [item for item in items if isinstance(item, Assignment)],
        encode_cursor(order, rows[-1]["sort_value"], rows[-1]["id"]) if more else None,
    )


def count(connection: Connection, wanted: AssignmentFilter) -> int:
    """How many assignments a filter leaves."""
    found: int = connection.execute(_where(select(func.count()).select_from(_JOINED), wanted)).scalar_one()
    return found


def _where(query: Select[Any], wanted: AssignmentFilter) -> Select[Any]:
    for column, value in (
        (assignments.c.site, wanted.site), (assignments.c.subnet, wanted.subnet), (assignments.c.kind, wanted.kind),
        (_ROLE, wanted.role), (assignments.c.on, wanted.on),
    ):  # fmt: skip
        if value is not None:
            query = query.where(column == value)
    for word in wanted.text.split()[:8]:
        query = query.where(_contains(word, wanted.own_words))
    return query


def _contains(word: str, own_words: bool) -> ColumnElement[bool]:
    """A word stands in a name, role or note, in the address, in the MAC, or in what its device is called."""
    either: list[ColumnElement[bool]] = [
        assignments.c.name.icontains(word, autoescape=True),
        assignments.c.note.icontains(word, autoescape=True),
        _ROLE.icontains(word, autoescape=True),
        _dotted().contains(word, autoescape=True),
    ]
    if digits := fragment_digits(word):
        either.append(func.printf("%012x", assignments.c.mac).contains(digits))
    if own_words:
        return or_(*either)
    either.append(devices.c.search.contains(word.casefold(), autoescape=True))
    return or_(*either)


def _dotted() -> ColumnElement[str]:
    address = assignments.c.address
    parts = [address.op(">>")(shift).op("&")(255) for shift in (24, 16, 8, 0)]
    return func.printf("%d.%d.%d.%d", *parts)
