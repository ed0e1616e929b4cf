"""/api/v1/wiring: the map of the wiring, drawn and as text, and where hands put switches on it."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from fastapi import Query

from ...api.common import Id
from ...api.switches import SwitchMoments
from ...api.wiring import MapPlaceEdit, MapSheet, MapView
from ...core.wiring.drawing import svg
from ...store import link_records
from ...store.edits import EditError, Missing
from ..context import Context, now_ms
from ..switches.picture import Names
from ..views import time_of
from ..web.contract import paths
from ..web.deps import ContextDep, Who
from . import link_edits, map_picture
from .link_picture import Wiring
from .path_finder import PathFinder

router = paths("/api/v1/wiring", "wiring")
End = Annotated[str | None, Query(max_length=200)]


@router.get("/map")
def wiring_map(context: ContextDep, who: Who, at: datetime | None = None) -> MapView:
    """The map of the wiring, drawn and as lines of text; with `at` as it was then."""
    with context.database.read() as connection:
        return map_picture.view(Wiring(context, connection, _moment(at)))


@router.get("/moments")
def moments(context: ContextDep, who: Who, buckets: Annotated[int, Query(ge=1, le=1000)] = 100) -> SwitchMoments:
    """When links began or ended: how many in each of equal stretches, from the first that is known until now."""
    now = now_ms()
    with context.database.read() as connection:
        rows = link_records.since(connection, 0)
    begin = min((row.first for row in rows), default=now)
    width, counts = max((now - begin) / buckets, 1), [0] * buckets
    for row in rows:
        for at in (row.first, row.last):
            if at is not None and at > begin:
                counts[min(int((at - begin) / width), buckets - 1)] += 1
    return SwitchMoments(since=time_of(begin), until=time_of(now), counts=counts)


@router.get("/sheet")
def sheet(
    context: ContextDep, who: Who, at: datetime | None = None, begin: End = None, end: End = None
) -> MapSheet:  # fmt: skip
    """The map as an SVG document of its own, on white; the way between `begin` and `end` is drawn strong."""
    if (begin is None) != (end is None):
        raise EditError("a way has two ends: give both, or none", "end" if end is None else "begin")
    with context.database.read() as connection:
        wiring = Wiring(context, connection, _moment(at))
        lit = frozenset[int]()
        title = f"The wiring of {context.plan.plan.sites[context.plan.site_here].name}"
        if begin is not None and end is not None:
            path, _ = PathFinder(wiring).find(begin, end)
            ids = {hop.link_id for hop in path.hops}
            lit = frozenset(number for number, one in enumerate(wiring.kept) if one.id in ids)
            title = path.said
        if at is not None:
            title += f", as it was at {at.isoformat(timespec='minutes')}"
        return MapSheet(svg=svg(map_picture.drawing(wiring), title, lit))


@router.put("/places/{identity}", status_code=204)
def put(identity: Id, request: MapPlaceEdit, context: ContextDep, who: Who) -> None:
    """Put a switch somewhere on the map, for good."""
    link_edits.put(context, who, identity, _called(context, identity), (request.x, request.y))


@router.delete("/places/{identity}", status_code=204)
def free(identity: Id, context: ContextDep, who: Who) -> None:
    """Let a switch stand where the map puts it."""
    link_edits.put(context, who, identity, _called(context, identity), None)


def _moment(at: datetime | None) -> int | None:
    return round(at.timestamp() * 1000) if at is not None else None


def _called(context: Context, identity: int) -> str:
    switch = context.switches.switches.get(identity)
    if switch is None:
        raise Missing(f"there is no switch {identity}")
    with context.database.read() as connection:
        return Names(context, connection).switch(switch)[1]
