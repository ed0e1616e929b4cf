"""Keeps what was asked: looks as they end, folded into series. Called from any thread but the event loop's."""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence

from ...core.past.looks import Kind, Look, Series, goes_on
from ...core.span import SpanSet
from ...store import look_records
from ...store.database import Database
from ...store.one_lock import OneLock

_log = logging.getLogger(__name__)
MOST_OPEN = 8192
APIECE = 8
"""Up to how many addresses of a round have a series each."""


class LookBook:
    """The series that may go on, of one service at one site. What cannot be stored is looked at as never asked."""

    def __init__(self, database: Database, site: Callable[[], int], now: Callable[[], int]) -> None:
        self._database, self._site = database, site
        self._lock = OneLock("what was asked")
        with database.read() as connection:
            kept = look_records.going_on(connection, site(), now())
        self._open: dict[tuple[object, ...], Series] = {(site(), *one.key): one for one in kept}

    def over(self, looks: Sequence[Look]) -> None:
        """These looks are over."""
        site = self._site()
        grown: list[tuple[tuple[object, ...], Series]] = []
        with self._lock:  # what is being stored is nobody else's meanwhile
            for look in (part for one in looks for part in _apiece(one) if part.spans):
                key = (site, look.kind, look.by, look.adapter, look.spans.pairs, look.controlled)
                grown.append((key, goes_on(self._open.pop(key, None), look)))
        if not grown:
            return
        try:
            with self._database.write() as connection:
                ids = look_records.keep(connection, site, [series for _, series in grown])
        except Exception as error:  # a full disk: a look that is not kept is one of which nobody knows
            _log.warning("what was asked could not be kept: %s", getattr(error, "orig", error))
            return
        with self._lock:
            for (kept, series), identity in zip(grown, ids, strict=True):
                self._open[kept] = series.stored(identity)
            while len(self._open) > MOST_OPEN:
                del self._open[next(iter(self._open))]


def _apiece(look: Look) -> list[Look]:
    """A round for few addresses as one for each of them, so that the same address is found again whatever was asked beside it."""
    if look.kind is not Kind.ROUND or len(look.spans) > APIECE:
        return [look]
    return [
        look.of(SpanSet(((address, address),)))
        for first, last in look.spans.pairs
        for address in range(first, last + 1)
    ]
