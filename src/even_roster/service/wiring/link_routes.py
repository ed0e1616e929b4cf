"""/api/v1/links: which ports of switches are joined, now and at any earlier time, and what hands say of that."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from fastapi import Query

from ...api.common import Id
from ...api.wiring import LinkEnd, LinkPage, LinkWordNew, LinkWordView
from ...core.wiring.facts import End, pair
from ...store.edits import Missing
from ..context import Context
from ..switches import picture
from ..views import maybe_time
from ..web.contract import paths
from ..web.deps import ContextDep, Who
from ..web.paging import Paging, cut
from . import link_edits
from .link_picture import Wiring

router = paths("/api/v1", "wiring")


@router.get("/links")
def links(
    context: ContextDep, who: Who, paging: Paging, switch: Annotated[str | None, Query(max_length=200)] = None,
    at: datetime | None = None,
) -> LinkPage:  # fmt: skip
    """The links between switches, or those of one; with `at` as they were then."""
    moment = round(at.timestamp() * 1000) if at is not None else None
    with context.database.read() as connection:
        wiring = Wiring(context, connection, moment)
        views, circles, words = wiring.views(), wiring.ring_views(), wiring.words()
        if switch:
            chosen = picture.find(context, connection, switch).row.id
            views = [one for one in views if any(end.switch and end.switch.id == chosen for end in one.ends)]
            ids = {one.id for one in views}
            circles = [one for one in circles if ids & set(one.link_ids)]
            words = [one for one in words if chosen in (_switch(one.one), _switch(one.other))]
        shown, rest = cut(list(enumerate(views)), lambda one: [one[0]], paging)
        items = [one for _, one in shown]
        return LinkPage(items=items, **rest._asdict(), at=maybe_time(moment), rings=circles, words=words)


def _switch(end: LinkEnd) -> int | None:
    return end.switch.id if end.switch is not None else None


@router.post("/links/words")
def say(request: LinkWordNew, context: ContextDep, who: Who) -> LinkWordView:
    """Say of two ports that they are joined, or that they are not: that ends the weighing of them."""
    called = _called(context, request.one, request.other)
    link_edits.say(
        context, who, request.one, request.other, called, joined=request.joined, note=request.notes
    )  # fmt: skip
    key = pair(request.one, request.other)
    with context.database.read() as connection:
        words = Wiring(context, connection).words()
    return next(one for one in words if one.one.port and one.other.port and (one.one.port.id, one.other.port.id) == key)


@router.delete("/links/words/{one}/{other}", status_code=204)
def forget(one: Id, other: Id, context: ContextDep, who: Who) -> None:
    """Say nothing of two ports any more: what is told and inferred counts again."""
    link_edits.forget(context, who, one, other, _called(context, one, other))


def _called(context: Context, one: int, other: int) -> str:
    with context.database.read() as connection:
        wiring = Wiring(context, connection)
        names = []
        for key in (one, other):
            found = context.switches.port(key)
            if found is None:
                raise Missing(f"there is no port {key} of a switch that is read")
            names.append(wiring.end(End(found[0].row.id, key)).called)
    return " – ".join(names)
