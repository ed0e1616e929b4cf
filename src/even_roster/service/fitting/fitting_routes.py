"""/api/v1/fittings: bringing new devices in, from the carton to proven in place."""

from __future__ import annotations

import asyncio
from typing import Annotated

from fastapi import Depends, Request, Response

from ...api.common import Id
from ...api.events import FittingEvent
from ...api.fitting import (
    AnswerConsent,
    ChangeOverNew,
    FittedChoice,
    FittingNew,
    FittingPage,
    FittingView,
    GiveUp,
    Record,
)
from ...core.fitting.progress import Step
from ...store import fitting_records
from ...store.edits import Missing
from ..context import Context
from ..web.contract import paths
from ..web.deps import ContextDep, Who, located
from ..web.paging import Paging
from . import change_over, fitting_edits, fitting_views
from .fitter import Fitter, Running

router = paths("/api/v1", "fittings")


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


@router.post("/fittings/change-over", status_code=201)
async def begin_change_over(
    request: ChangeOverNew, context: ContextDep, fitter: FitterDep, who: Who, response: Response
) -> FittingView:
    """Begin to move a device, or to put a new box in its place: a fitting of what is in the roster already. Who uses its address is
    marked to be told. Given up, everything is taken back."""
    identity = await change_over.begin(context, who, request)
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


@router.post("/fittings/{identity}/lend")
async def lend(identity: Id, request: FittedChoice, context: ContextDep, fitter: FitterDep, who: Who) -> FittingView:
    """Lend the adapter that a device was found on an address of the device's foreign subnet, so that its page opens on this
    machine. It is renewed until the device is seen at its new address, and the system itself ends it when the service is
    gone."""
    one = await _running(fitter, identity, request.fitted_id)
    lent = await fitter.lending.lend(one.row.id, one.progress, one.kind)
    fitter.note(one.row.id, Step.REACH, f"lent {lent.adapter} {lent.own}, to reach it at {lent.device}")
    await _changed(context, fitter, identity)
    return await asyncio.to_thread(_one, context, fitter, identity)


@router.post("/fittings/{identity}/take-back")
async def take_back(
    identity: Id, request: FittedChoice, context: ContextDep, fitter: FitterDep, who: Who
) -> FittingView:
    """Take back what was lent to reach a device."""
    one = await _running(fitter, identity, request.fitted_id)
    lent = await fitter.lending.take_back(one.row.id)
    if lent is not None:
        fitter.note(one.row.id, Step.REACH, f"{lent.own} was taken back from {lent.adapter}")
    await _changed(context, fitter, identity)
    return await asyncio.to_thread(_one, context, fitter, identity)


@router.post("/fittings/{identity}/answer")
async def answer(identity: Id, request: AnswerConsent, context: ContextDep, fitter: FitterDep, who: Who) -> FittingView:
    """Answer what a device asks by DHCP or BOOTP, with its new address and for it alone. First the link is asked for ten seconds
    whether there is a server; where one is planned, was heard within a day, or offers now, it is refused."""
    one = await _running(fitter, identity, request.fitted_id)
    fitter.note(one.row.id, Step.REACH, f"{who} consents that its questions are answered from here")
    await fitter.answers.begin(one.row.id, one.row.mac, one.progress, one.target, fitter.changed)
    await _changed(context, fitter, identity)
    return await asyncio.to_thread(_one, context, fitter, identity)


@router.post("/fittings/{identity}/answer-no-more")
async def answer_no_more(
    identity: Id, request: FittedChoice, context: ContextDep, fitter: FitterDep, who: Who
) -> FittingView:
    """Answer a device's questions no more."""
    one = await _running(fitter, identity, request.fitted_id)
    if fitter.answers.end(one.row.id):
        fitter.note(one.row.id, Step.REACH, "answered no more")
    await _changed(context, fitter, identity)
    return await asyncio.to_thread(_one, context, fitter, identity)


async def _running(fitter: Fitter, fitting: int, device: int) -> Running:
    """A device that is being fitted."""
    await fitter.refresh()
    one = fitter.running.get(device)
    if one is None or one.row.fitting != fitting:
        raise Missing(f"fitting {fitting} has no device {device} that is being fitted")
    return one


async def _changed(context: Context, fitter: Fitter, identity: int) -> None:
    await fitter.refresh()
    context.tell(FittingEvent(id=identity))


def _one(context: Context, fitter: Fitter, identity: int) -> FittingView:
    with context.database.read() as connection:
        row = fitting_records.one(connection, identity)
        if row is None:
            raise Missing(f"there is no fitting {identity}")
        return fitting_views.whole(context, connection, fitter, row)
