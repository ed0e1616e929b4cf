"""/api/v1/history, /api/v1/at, /api/v1/why: what was true when, and why an address is silent."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from fastapi import Query, Response

from ...api.common import Word
from ...api.history import History, HistorySpan, Moment, Why
from ...store.edits import EditError
from ..context import now_ms
from ..watching.watch_routes import WatcherDep
from ..web.contract import paths
from ..web.deps import ContextDep, Who, as_json
from . import history as histories
from . import why as reasons

router = paths("/api/v1", "history")


@router.get("/history", response_model=History)
def history(
    context: ContextDep, who: Who, subject: Annotated[str, Query(min_length=1, max_length=200)],
    since: datetime | None = None, until: datetime | None = None,
    limit: Annotated[int, Query(ge=1, le=20_000)] = 500,
) -> Response:  # fmt: skip
    """Everything about an address, MAC, name or subnet between two times, the latest first."""
    first = round(since.timestamp() * 1000) if since is not None else 0
    last = round(until.timestamp() * 1000) if until is not None else now_ms()
    if last < first:
        raise EditError("the end lies before the beginning; exchange them", "until")
    with context.database.read() as connection:
        return as_json(histories.between(context, connection, subject, first, last, limit))


@router.get("/history/span")
def span(
    context: ContextDep, who: Who, subject: Annotated[str, Query(min_length=1, max_length=200)]
) -> HistorySpan:  # fmt: skip
    """How far the records of an address or subnet reach back."""
    with context.database.read() as connection:
        return histories.span(context, connection, subject)


@router.get("/at", response_model=Moment)
def at(
    context: ContextDep, who: Who, subject: Annotated[str, Query(min_length=1, max_length=200)], time: datetime
) -> Response:  # fmt: skip
    """Who was there at a moment."""
    with context.database.read() as connection:
        return as_json(histories.at(context, connection, subject, round(time.timestamp() * 1000)))


@router.get("/why/{address}")
async def why(address: Word, context: ContextDep, watcher: WatcherDep, who: Who) -> Why:
    """Why an address is silent: checks in order of likelihood. Asks the network; takes a few seconds."""
    return await reasons.ask(context, watcher, address)
