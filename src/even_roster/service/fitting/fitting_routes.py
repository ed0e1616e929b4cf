"""/api/v1/fittings: bringing new devices in, from the carton to proven in place."""

from __future__ import annotations

import asyncio
from typing import Annotated

from fastapi import APIRouter, Depends, Request, Response

from ...api.common import Id
from ...api.events import FittingEvent
from ...api.fitting import FittingNew, FittingPage, FittingView, GiveUp, Record
from ...store import fitting_records
from ...store.edits import Missing
from ..context import Context
from ..web.deps import ContextDep, Who, located
from ..web.paging import Paging
from . import fitting_edits, fitting_views
from .fitter import Fitter

router = APIRouter(prefix="/api/v1", tags=["fittings"])


async def _fitter(request: Request) -> Fitter:
    found: Fitter = request.app.state.fitter
    return found


FitterDep = Annotated[Fitter, Depends(_fitter)]


@router.get("/fittings")
def fittings(context: ContextDep, who: Who, paging: Paging, open: bool = False) -> FittingPage:
    """Fittings, the latest first; all of them, or those that are not over."""
    with context.database.read() as connection:
        found = fitting_records.page(connection, open, paging.after_number(), paging.limit + 1)
        shown = found[: paging.limit]
        rows = fitting_views.rows(context, connection, shown)
    more = len(found) > paging.limit
    return FittingPage(items=rows, next=paging.next([shown[-1].id]) if more else None, total=None)


@router.post("/fittings", status_code=201)
async def begin_fitting(
    request: FittingNew, context: ContextDep, fitter: FitterDep, who: Who, response: Response
) -> FittingView:
    """Begin to bring devices in. Free addresses are chosen, proven on the wire and taken at once, which takes about three seconds;
    then each device is looked for on every adapter."""
    identity = await fitting_edits.begin(context, who, request)
    await _changed(context, fitter, identity)
    located(response, f"fittings/{identity}")
    return await asyncio.to_thread(_one, context, fitter, identity)


@router.get("/fittings/{identity}")
def one_fitting(identity: Id, context: ContextDep, fitter: FitterDep, who: Who) -> FittingView:
    """One fitting with its devices, each at its own step."""
    return _one(context, fitter, identity)


@router.post("/fittings/{identity}/give-up")
async def give_up_fitting(
    identity: Id, request: GiveUp, context: ContextDep, fitter: FitterDep, who: Who
) -> FittingView:
    """Give devices of a fitting up, or all of it: what was taken for them is released."""
    await fitter.refresh()
    await asyncio.to_thread(fitting_edits.give_up, context, who, identity, request)
    await _changed(context, fitter, identity)
    return await asyncio.to_thread(_one, context, fitter, identity)


@router.post("/fittings/{identity}/record")
async def record_fitting(
    identity: Id, request: Record, context: ContextDep, fitter: FitterDep, who: Who
) -> FittingView:
    """Close the fitting of a device that is proven in place, and write into the roster what is to be known of it."""
    await fitter.refresh()
    await asyncio.to_thread(fitting_edits.record, context, who, identity, request)
    await _changed(context, fitter, identity)
    return await asyncio.to_thread(_one, context, fitter, identity)


async def _changed(context: Context, fitter: Fitter, identity: int) -> None:
    await fitter.refresh()
    context.tell(FittingEvent(id=identity))


def _one(context: Context, fitter: Fitter, identity: int) -> FittingView:
    with context.database.read() as connection:
        row = fitting_records.one(connection, identity)
        if row is None:
            raise Missing(f"there is no fitting {identity}")
        return fitting_views.whole(context, connection, fitter, row)
