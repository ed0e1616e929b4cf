"""/api/v1/paths: the way between two devices, now, at any earlier time, and over time."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from fastapi import Query
from sqlalchemy import Connection

from ...api.wiring import PathStretch, PathTurns, PathView
from ...store import link_records, switch_records
from ...store.edits import EditError, Missing
from ..context import Context, now_ms
from ..switches.where import macs_of
from ..views import time_of
from ..web.contract import paths
from ..web.deps import ContextDep, Who
from ..web.paging import Paging, cut
from .link_picture import Wiring
from .path_finder import PathFinder

router = paths("/api/v1", "wiring")
MOST_MOMENTS = 100
Place = Annotated[str, Query(min_length=1, max_length=200)]


@router.get("/paths")
def path(
    begin: Place, context: ContextDep, who: Who, end: Annotated[str, Query(max_length=200)] = "", at: datetime | None = None
) -> PathView:  # fmt: skip
    """The way between two devices, addresses or switches, cable by cable; without `end` the way to the gateway. With `at` as it
    was then."""
    moment = round(at.timestamp() * 1000) if at is not None else None
    with context.database.read() as connection:
        return PathFinder(Wiring(context, connection, moment)).find(begin, end)[0]


@router.get("/paths/turns")
def turns(
    begin: Place, end: Place, since: datetime, context: ContextDep, who: Who, paging: Paging
) -> PathTurns:  # fmt: skip
    """The ways between two devices since a moment, the latest first: equal ones in a row are one."""
    earliest, now = round(since.timestamp() * 1000), now_ms()
    if earliest >= now:
        raise EditError("that is not over yet; give an earlier time", "since")
    with context.database.read() as connection:
        found: list[PathStretch] = []
        before: tuple[object, ...] | None = None
        for moment in _moments(context, connection, (begin, end), earliest, now):
            try:
                view, key = PathFinder(Wiring(context, connection, moment)).find(begin, end)
            except Missing as error:
                if moment is None:
                    raise
                view, key = None, (str(error),)
            if found and key == before:
                found[-1] = found[-1].model_copy(update={"since": time_of(moment if moment is not None else now)})
                continue
            until = found[-1].since if found else None
            found.append(PathStretch(
                since=time_of(moment if moment is not None else now), until=until, whole=view is not None and view.whole,
                by=view.by if view is not None else [], said=view.said if view is not None else str(key[0]),
            ))  # fmt: skip
            before = key
    shown, rest = cut(list(enumerate(found)), lambda one: [one[0]], paging)
    return PathTurns(items=[one for _, one in shown], **rest._asdict(), since=time_of(earliest))


def _moments(
    context: Context, connection: Connection, ends: tuple[str, str], begin: int, now: int
) -> list[int | None]:  # fmt: skip
    """When the way may have turned, the latest first; None is now. Of many only the latest are looked at, and the beginning."""
    found = set[int]()
    ports = set[int]()
    for row in link_records.since(connection, begin):
        ports |= row.link.ports
        found.add(row.first)
        if row.gone is not None:
            found.add(row.gone)
    macs = []
    for word in ends:
        try:
            macs += macs_of(context, connection, word, None)
        except Missing:
            continue
    for stay in switch_records.stays_of_macs(connection, macs, now):
        found.add(stay.first)
        if stay.last is not None:
            found.add(stay.last + 1)
    found |= set(switch_records.turned_since(connection, ports, begin))
    later = sorted((one for one in found if begin < one <= now), reverse=True)[:MOST_MOMENTS]
    return [None, *later, begin]
