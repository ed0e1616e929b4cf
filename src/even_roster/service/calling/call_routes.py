"""/api/v1/calls: roll calls, and how their lines stand."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from typing import Annotated

from fastapi import Depends, Query, Request, Response

from ...api.calling import (
    CallLine,
    CallLinePage,
    ReplyHour,
    ReplyTimesView,
    RollCallEdit,
    RollCallNew,
    RollCallPage,
    RollCallView,
)
from ...api.common import Id, Word
from ...core import roll_call
from ...core.address import dotted
from ...core.reply_hours import HOUR_MS, KEPT_HOURS, SHOWN_HOURS, Tally, hour_of
from ...core.roll_call import Line, Standing, State
from ...store.edits import Missing
from ...store.roll_call_records import RollCall
from ..context import Context, now_ms
from ..naming import resolving
from ..views import clock, maybe_time, time_of
from ..web.contract import paths
from ..web.deps import ContextDep, Who, located
from ..web.matching import IfMatch, MaybeMatch, tagged
from ..web.paging import Paging, cut
from . import roll_edits
from .caller import Called, Caller, Target
from .presence import LEAST_KNOWN, Shares

router = paths("/api/v1", "calls")


async def _caller(request: Request) -> Caller:
    found: Caller = request.app.state.caller
    return found


CallerDep = Annotated[Caller, Depends(_caller)]


@router.get("/calls")
def calls(context: ContextDep, caller: CallerDep, who: Who, paging: Paging) -> RollCallPage:
    """Every roll call, by name."""
    rolls, rest = cut(caller.rolls(), lambda roll: [roll.name, roll.id], paging)
    return RollCallPage(items=[_view(context, caller, roll) for roll in rolls], **rest._asdict())


@router.post("/calls", status_code=201)
def add_call(
    request: RollCallNew, context: ContextDep, caller: CallerDep, who: Who, response: Response
) -> RollCallView:
    """A new roll call."""
    identity = roll_edits.add(context, who, request)
    located(response, f"calls/{identity}")
    return _one(context, caller, identity, response)


@router.get("/calls/{identity}")
def one_call(identity: Id, context: ContextDep, caller: CallerDep, who: Who, response: Response) -> RollCallView:
    """One roll call."""
    return _one(context, caller, identity, response)


@router.patch("/calls/{identity}")
def edit_call(
    identity: Id, versions: IfMatch, request: RollCallEdit, context: ContextDep, caller: CallerDep, who: Who, response: Response,
) -> RollCallView:  # fmt: skip
    """Change a roll call: its name, how often, or its lines."""
    roll_edits.edit(context, who, identity, request, versions)
    return _one(context, caller, identity, response)


@router.delete("/calls/{identity}", status_code=204)
def remove_call(identity: Id, versions: MaybeMatch, context: ContextDep, caller: CallerDep, who: Who) -> None:
    """A roll call no more."""
    roll_edits.remove(context, who, identity, versions)
    caller.rolls()  # so that nobody is told any more of its lines


@router.get("/calls/{identity}/lines")
def lines(identity: Id, context: ContextDep, caller: CallerDep, who: Who, paging: Paging) -> CallLinePage:
    """The lines of a roll call in their order, as they stand."""
    return _lines(context, caller, _roll(caller, identity), paging)


@router.post("/calls/{identity}/ask")
async def ask(identity: Id, context: ContextDep, caller: CallerDep, who: Who) -> RollCallView:
    """Look for all of its lines now; the answer comes when that is done."""
    roll = await asyncio.to_thread(_roll, caller, identity)
    await caller.look(roll)
    return await asyncio.to_thread(_view, context, caller, roll)


def _roll(caller: Caller, identity: int) -> RollCall:
    found = next((roll for roll in caller.rolls() if roll.id == identity), None)
    if found is None:
        raise Missing(f"there is no roll call {identity}")
    return found


def _one(context: Context, caller: Caller, identity: int, response: Response) -> RollCallView:
    view = _view(context, caller, _roll(caller, identity))
    tagged(response, view.version)
    return view


def _view(context: Context, caller: Caller, roll: RollCall) -> RollCallView:
    called = caller.called(roll.id)
    states = [_standing(called.standings.get(line.subject)).state for line in roll.lines]
    return RollCallView(
        id=roll.id, version=roll_edits.version_of(context, roll.id), name=roll.name, every_seconds=roll.every_seconds,
        warn_minutes=roll.warn_minutes, quiet_first=clock(roll.quiet_first), quiet_last=clock(roll.quiet_last),
        text=roll_call.written(roll.lines), line_count=len(states), here_count=states.count(State.HERE),
        silent_count=states.count(State.SILENT), unknown_count=states.count(State.UNKNOWN), asking=called.asking,
        asked_at=maybe_time(called.asked),
    )  # fmt: skip


def _lines(context: Context, caller: Caller, roll: RollCall, paging: Paging) -> CallLinePage:
    called = caller.called(roll.id)
    numbered, rest = cut(list(enumerate(roll.lines)), lambda one: [one[0]], paging)
    targets = [called.targets.get(line.subject) or Target() for _, line in numbered]
    hours = caller.kept.last_hours({one.address for one in targets if one.address is not None}, now_ms())
    items = [
        _line(called, line, target, hours.get(target.address, []) if target.address is not None else [])
        for (_, line), target in zip(numbered, targets, strict=True)
    ]
    return CallLinePage(items=items, **rest._asdict(), call=_view(context, caller, roll))


def _line(called: Called, line: Line, target: Target, hours: Sequence[Tally]) -> CallLine:
    standing, shares = _standing(called.standings.get(line.subject)), called.shares.get(line.subject, Shares())
    took = called.took.get(target.address) if target.address is not None and standing.state is State.HERE else None
    return CallLine(
        subject=line.subject, name=line.name, notes=line.notes, device=target.device,
        address=dotted(target.address) if target.address is not None else None,
        state=standing.state.value, since=maybe_time(standing.since), last_seen=maybe_time(standing.seen),
        said=standing.said, course=list(standing.course),
        day_share=shares.day.share(LEAST_KNOWN), week_share=shares.week.share(LEAST_KNOWN),
        month_share=shares.month.share(LEAST_KNOWN), day_known=shares.day.known, week_known=shares.week.known,
        month_known=shares.month.known,
        reply_ms=_ms(took * 1e6 if took is not None else None), reply_hours=[_ms(one.mean) for one in hours],
        asking=called.asking and not standing.course,
    )  # fmt: skip


def _ms(micros: float | None) -> float | None:
    return round(micros / 1000, 3) if micros is not None else None


@router.get("/reply-times/{subject}")
def reply_times(
    subject: Word, context: ContextDep, caller: CallerDep, who: Who,
    hours: Annotated[int, Query(ge=1, le=KEPT_HOURS)] = SHOWN_HOURS,
) -> ReplyTimesView:  # fmt: skip
    """How fast an address, or that of a device, answered roll calls in the last hours, the latest last."""
    with context.database.read() as connection:
        address = resolving.address(context, connection, subject)
    now = now_ms()
    tallies = caller.kept.last_hours([address], now, hours).get(address, [])
    first = hour_of(now) - hours + 1
    return ReplyTimesView(
        address=dotted(address),
        hours=[
            ReplyHour(
                at=time_of((first + number) * HOUR_MS), look_count=one.looks, here_count=one.here, mean_ms=_ms(one.mean),
                least_ms=_ms(one.least if one.timed else None), most_ms=_ms(one.most if one.timed else None),
            )
            for number, one in enumerate(tallies) if one.looks
        ],
    )  # fmt: skip


def _standing(one: Standing | None) -> Standing:
    return one if one is not None else Standing()
