"""/api/v1/chases: finding which cable is where by pulling one and watching."""

from __future__ import annotations

import asyncio
from typing import Annotated, Any

from fastapi import Depends, Request, Response

from ...api.chases import (
    ChaseCable,
    ChasedDevice,
    ChasedSwitch,
    ChaseEdit,
    ChaseFound,
    ChaseNew,
    ChasePage,
    ChaseTurn,
    ChaseView,
)
from ...api.common import Id
from ...api.events import ChaseEvent
from ...api.switches import PortEdit, PortRef, SwitchRef
from ...core.address import Address
from ...core.text import clean
from ...store import chase_records
from ...store.chase_records import ChaseRow
from ...store.edits import EditError, Missing
from ..context import Context, now_ms
from ..naming import resolving
from ..switches import picture, switch_edits
from ..switches.picture import Names
from ..views import maybe_time, time_of
from ..web.contract import paths
from ..web.deps import ContextDep, Who, located
from ..web.paging import Paging, cut
from .chaser import LASTS_MS, Chaser, Running

router = paths("/api/v1", "wiring")
LONGEST = 200
SHOWN_TURNS = 200


async def _chaser(request: Request) -> Chaser:
    found: Chaser = request.app.state.chaser
    return found


ChaserDep = Annotated[Chaser, Depends(_chaser)]


@router.get("/chases")
def chases(context: ContextDep, chaser: ChaserDep, who: Who, paging: Paging) -> ChasePage:
    """The chases, the latest first."""
    shown, rest = cut(list(chaser.rows()), lambda one: [-one.id], paging)
    return ChasePage(items=[_view(context, chaser, one) for one in shown], **rest._asdict())


@router.post("/chases", status_code=201)
async def begin(
    new: ChaseNew, context: ContextDep, chaser: ChaserDep, who: Who, response: Response
) -> ChaseView:  # fmt: skip
    """Watch some switches and devices from now on, for four hours at most."""
    values = await asyncio.to_thread(_values, context, new)
    row = await asyncio.to_thread(chaser.keep, values)
    chaser.start(row)
    located(response, f"chases/{row.id}")
    context.tell(ChaseEvent(id=row.id))
    return await asyncio.to_thread(_view, context, chaser, row)


def _values(context: Context, new: ChaseNew) -> dict[str, Any]:
    with context.database.read() as connection:
        switches = [picture.find(context, connection, str(one)) for one in new.switches]
        devices: list[tuple[Address, str]] = []
        for one in new.devices:
            address = resolving.address(context, connection, str(one))
            devices.append((address, str(one)))
        names = Names(context, connection)
        called = ", ".join(names.switch(one)[1] for one in switches[:3]) or ", ".join(name for _, name in devices[:3])
    if not switches and not devices:
        raise EditError("say which switches, or which devices, are to be watched", "switches")
    now = now_ms()
    return {
        "name": clean(new.name, 60) or called, "switches": list(dict.fromkeys(one.row.id for one in switches)),
        "devices": devices, "cables": [[text, None, None] for text in _texts(new.cables)], "begun": now, "until": now + LASTS_MS,
        "on": True,
    }  # fmt: skip


def _texts(given: list[str]) -> list[str]:
    found = [clean(text, LONGEST) for text in given]
    return [text for text in found if text]


@router.get("/chases/{identity}")
def one_chase(identity: Id, context: ContextDep, chaser: ChaserDep, who: Who) -> ChaseView:
    """One chase: what turned in it, the latest first."""
    return _view(context, chaser, chaser.row(identity))


@router.patch("/chases/{identity}")
async def edit(identity: Id, edit: ChaseEdit, context: ContextDep, chaser: ChaserDep, who: Who) -> ChaseView:
    """Watch on or no longer, or look for more cables; those that are there already stay."""
    row = await asyncio.to_thread(chaser.row, identity)
    values: dict[str, Any] = {}
    if edit.cables is not None:
        there = {one[0] for one in row.cables}
        values["cables"] = [*row.cables, *([text, None, None] for text in _texts(edit.cables) if text not in there)]
    if edit.on is not None:
        values |= {"on": edit.on, **({"until": now_ms() + LASTS_MS} if edit.on else {})}
    row = await asyncio.to_thread(_change, context, chaser, row, values)
    if edit.on is False:
        chaser.stop(identity)
    elif edit.on:
        chaser.stop(identity)
        chaser.start(row)
    return await asyncio.to_thread(_view, context, chaser, row)


@router.post("/chases/{identity}/found")
def found(identity: Id, request: ChaseFound, context: ContextDep, chaser: ChaserDep, who: Who) -> ChaseView:
    """A cable was found at a port: what it is called becomes the port's note, an edit with a way back."""
    row = chaser.row(identity)
    if not 0 <= request.cable < len(row.cables):
        raise Missing(f"this chase looks for no cable {request.cable}")
    cables = [list(one) for one in row.cables]
    text = cables[request.cable][0]
    if request.port is None:
        cables[request.cable][1:] = [None, None]
    else:
        known = context.switches.port(request.port)
        if known is None:
            raise Missing(f"there is no port {request.port} of a switch that is read")
        with context.database.read() as connection:
            called = f"{Names(context, connection).switch(known[0])[1]} {known[1].name}"
        switch_edits.say(context, who, {request.port: called}, PortEdit(notes=text))
        cables[request.cable][1:] = [request.port, now_ms()]
    return _view(context, chaser, _change(context, chaser, row, {"cables": cables}))


@router.delete("/chases/{identity}", status_code=204)
async def remove(identity: Id, context: ContextDep, chaser: ChaserDep, who: Who) -> None:
    """Keep a chase no longer; the notes that came of it stay."""
    row = await asyncio.to_thread(chaser.row, identity)
    chaser.stop(row.id)
    chaser.running.pop(row.id, None)
    await asyncio.to_thread(_remove, context, row.id)


def _remove(context: Context, identity: int) -> None:
    with context.database.write() as connection:
        chase_records.remove(connection, identity)
    context.tell(ChaseEvent(id=identity))


def _change(context: Context, chaser: Chaser, row: ChaseRow, values: dict[str, Any]) -> ChaseRow:
    if values:
        with context.database.write() as connection:
            chase_records.change(connection, row.id, values)
        context.tell(ChaseEvent(id=row.id))
    return chaser.row(row.id)


def _view(context: Context, chaser: Chaser, row: ChaseRow) -> ChaseView:
    running = chaser.running.get(row.id, Running())
    by_port, switches = context.switches.by_port, context.switches.switches
    with context.database.read() as connection:
        names = Names(context, connection)

        def switch(identity: int | None) -> SwitchRef | None:
            known = switches.get(identity) if identity is not None else None
            return SwitchRef(id=known.row.id, name=names.switch(known)[1]) if known is not None else None

        def port(identity: int | None) -> PortRef | None:
            known = by_port.get(identity) if identity is not None else None
            return PortRef(id=known[1].id, name=known[1].name) if known is not None else None

        watched = [
            ChasedSwitch(switch=one, asked_at=maybe_time(state.asked), trouble=state.trouble)
            for key, state in running.switches.items()
            if (one := switch(key)) is not None
        ] or [
            ChasedSwitch(switch=one, asked_at=None, trouble="")
            for key in row.switches
            if (one := switch(key)) is not None
        ]
        turns = [
            ChaseTurn(
                number=turn.number, at=time_of(turn.at), switch=switch(turn.switch), port=port(turn.port), up=turn.up,
                names=list(turn.names), said=turn.said,
            )
            for turn in list(running.turns)[:SHOWN_TURNS]
        ]  # fmt: skip
        cables = [
            ChaseCable(
                number=number, text=text, switch=switch(by_port[at][0].row.id) if at in by_port else None, port=port(at),
                found_at=maybe_time(when),
            )
            for number, (text, at, when) in enumerate(row.cables)
        ]  # fmt: skip
    return ChaseView(
        id=row.id, name=row.name, on=row.on and row.until > now_ms(), begun_at=time_of(row.begun), until=time_of(row.until),
        switches=watched, turns=turns, cables=cables,
        devices=[ChasedDevice(name=name, answers=running.devices.get(address)) for address, name in row.devices],
    )  # fmt: skip
