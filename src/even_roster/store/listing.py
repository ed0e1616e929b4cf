"""Keyset paging, shared by every list: a page costs the same whether it is the first or the thousandth."""

from __future__ import annotations

import base64
import binascii
import json
from collections.abc import Iterable
from typing import Any

from sqlalchemy import ColumnElement, Select, and_, func, or_, select

from ..core.mac import fragment_digits

FEW = 24
MOST_INTEGER = (1 << 63) - 1


class CursorError(ValueError):
    """A cursor was not made by this service, or belongs to another order."""


def encode_cursor(order: str, value: Any, identity: int) -> str:
    """An opaque text that names the last row of a page under an order."""
    return base64.urlsafe_b64encode(json.dumps([order, value, identity]).encode()).decode().rstrip("=")


def decode_cursor(cursor: str, order: str) -> tuple[Any, int]:
    """The sort value and id a cursor stands for. Raises CursorError."""
    try:
        made_for, value, identity = json.loads(base64.urlsafe_b64decode(cursor + "=" * (-len(cursor) % 4)))
    except (ValueError, binascii.Error, TypeError):
        raise CursorError("this cursor is not one of ours; begin again without it") from None
    if made_for != order or not isinstance(identity, int) or not isinstance(value, (int, str, float)):
        raise CursorError("this cursor belongs to another order; begin again without it")
    return value, identity


def after(
    query: Select[Any], column: ColumnElement[Any], identity: ColumnElement[int], descending: bool, at: tuple[Any, int]
) -> Select[Any]:
    """The rows behind a place in the order of (column, id)."""
    value, last = at
    if descending:
        return query.where(and_(column <= value, or_(column < value, identity < last)))
    return query.where(and_(column >= value, or_(column > value, identity > last)))


def in_list(column: ColumnElement[Any], values: Iterable[int]) -> ColumnElement[bool]:
    """`column IN (…)` for any number of integers: a few are bound one by one, which is quicker to say, many as one JSON array
    (SQLite's json_each); IPv6 addresses, which are no integers there, one by one too."""
    wanted = list(values)
    if len(wanted) <= FEW:
        return column.in_(wanted)
    large = [one for one in wanted if one > MOST_INTEGER]
    each = func.json_each(json.dumps([one for one in wanted if one <= MOST_INTEGER] if large else wanted)).table_valued(
        "value"
    )
    found = column.in_(select(each.c.value))
    return or_(found, column.in_(large)) if large else found


def terms_match(column: ColumnElement[str], text: str) -> list[ColumnElement[bool]]:
    """One condition per word: the word, or as a MAC fragment its bare digits, is contained in the search text."""
    found: list[ColumnElement[bool]] = []
    for word in text.casefold().split()[:8]:
        either = [column.contains(word, autoescape=True)]
        digits = fragment_digits(word)
        if digits is not None and digits != word:
            either.append(column.contains(digits))
        found.append(or_(*either))
    return found
