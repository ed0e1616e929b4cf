"""Pages of lists that are at hand whole: cut by the key of the last one shown, so that what is added or taken away meanwhile shifts
nothing. Lists that stand in the database are cut there (see store/listing.py)."""

from __future__ import annotations

import base64
import json
from collections.abc import Callable, Sequence
from typing import Annotated, Any, NamedTuple, TypeVar

from fastapi import Depends, Query, Request

from ...store.listing import CursorError

X = TypeVar("X")
USUAL, MOST = 200, 2000
Cursor = Annotated[
    str | None, Query(max_length=400, description="`next` of the page before; left out, the list begins.")
]
Limit = Annotated[int, Query(ge=1, le=MOST, description="How many of them at most.")]


class Asked(NamedTuple):
    """Which page of which list is wanted."""

    of: str
    cursor: str | None
    limit: int

    def next(self, key: Sequence[Any]) -> str:
        """The cursor of the page behind an item's key."""
        text = json.dumps([self.of, *key], separators=(",", ":"))
        return base64.urlsafe_b64encode(text.encode()).decode().rstrip("=")

    def after(self, like: Sequence[Any] | None) -> list[Any] | None:
        """The key that the page begins behind, of the same kind as one that is `like` it (None: of any); None: at the beginning.
        Raises CursorError."""
        if self.cursor is None:
            return None
        try:
            of, *rest = json.loads(base64.urlsafe_b64decode(self.cursor + "=" * (-len(self.cursor) % 4)))
        except (ValueError, TypeError, RecursionError):
            raise CursorError("this cursor is not one of ours; begin again without it") from None
        key: list[Any] = rest
        alike = like is None or [type(part) for part in key] == [type(part) for part in like]
        if of != self.of or not alike:
            raise CursorError("this cursor belongs to another list; begin again without it")
        return key

    def after_number(self) -> int | None:
        """As `after`, of a key that is one number."""
        key = self.after([0])
        if key is None:
            return None
        if not 0 <= key[0] < 1 << 62:
            raise CursorError("this cursor is not one of ours; begin again without it")
        return int(key[0])


class Cut(NamedTuple):
    """What every page has beside its items."""

    next: str | None
    total: int


async def _asked(request: Request, cursor: Cursor = None, limit: Limit = USUAL) -> Asked:
    return Asked(request.scope["route"].name, cursor, limit)


Paging = Annotated[Asked, Depends(_asked)]


def cut(items: Sequence[X], key: Callable[[X], Sequence[Any]], asked: Asked) -> tuple[list[X], Cut]:
    """A page of items that stand in the order of `key`, which no two of them share. Raises CursorError."""
    first = 0
    if asked.cursor is not None:
        after = asked.after(key(items[0]) if items else None)
        try:
            first = sum(1 for one in items if list(key(one)) <= (after or []))
        except TypeError:
            raise CursorError("this cursor is not one of ours; begin again without it") from None
    shown = list(items[first : first + asked.limit])
    more = first + asked.limit < len(items)
    return shown, Cut(asked.next(key(shown[-1])) if more else None, len(items))
