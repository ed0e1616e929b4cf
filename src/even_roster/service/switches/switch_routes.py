"""/api/v1/switches and /api/v1/switch-readings: which switches are read, and reading them."""

from __future__ import annotations

import asyncio
from collections import defaultdict
from datetime import datetime
from ipaddress import IPv4Address
from typing import Annotated

from fastapi import Depends, Query, Request, Response

from ...api.common import DeviceRef, Id
from ...api.switches import (
    BehindView,
    LackView,
    NotAdded,
    PortTurns,
    PortView,
    SwitchEdit,
    SwitchesAdded,
    SwitchMoments,
    SwitchNew,
    SwitchPage,
    SwitchReading,
    SwitchReadingNew,
    SwitchSearch,
    SwitchView,
)
from ...core.address import Address, dotted
from ...core.mac import MacNumber
from ...core.switches.reading import Learnt, Reading
from ...probe.snmp_agent import AgentError
from ...store import device_queries
from ...store.edits import EditError, Missing
from ..context import Context, now_ms
from ..knowing.switch_now import SwitchNow
from ..views import device_ref, mac_view
from ..watching.watcher import Watcher
from ..web.contract import paths
from ..web.deps import ContextDep, Who, located
from ..web.matching import IfMatch, MaybeMatch, tagged
from ..web.paging import Paging, cut
from ..web.problems import Refusal
from . import agent_reading, credential_edits, differing, finding_switches, port_views, switch_edits
from .picture import Names
from .switch_reader import SwitchReader

router = paths("/api/v1", "switches")


async def _reader(request: Request) -> SwitchReader:
    found: SwitchReader = request.app.state.switch_reader
    return found


ReaderDep = Annotated[SwitchReader, Depends(_reader)]
SomeId = Annotated[int, Query(ge=0, le=(1 << 53) - 1)]


@router.get("/switches")
def switches(context: ContextDep, reader: ReaderDep, who: Who, paging: Paging) -> SwitchPage:
    """The switches that are read, by name."""
    with context.database.read() as connection:
        names = Names(context, connection)
        here = sorted(context.switches.switches.values(), key=lambda one: (names.switch(one)[1].casefold(), one.row.id))
        shown, rest = cut(here, lambda one: [names.switch(one)[1].casefold(), one.row.id], paging)
        items = [port_views.switch_view(context, connection, reader, one, names) for one in shown]
    return SwitchPage(items=items, **rest._asdict())


@router.post("/switches", status_code=201)
def add_switch(
    request: SwitchNew, context: ContextDep, reader: ReaderDep, who: Who, response: Response
) -> SwitchView:  # fmt: skip
    """Read a switch from now on. It is read by itself at once; `read` waits for that."""
    address = switch_edits.address_of_switch(context, request.switch)
    credential = None
    if request.credential is not None:
        with context.database.read() as connection:
            credential = credential_edits.find(connection, request.credential).id
    called = finding_switches.called(context, address)
    identity = switch_edits.add(context, who, address, called, credential, request.every_seconds)
    located(response, f"switches/{identity}")
    return _view(context, reader, identity, response)


@router.post("/switches/search")
async def search(request: SwitchSearch, context: ContextDep, reader: ReaderDep, who: Who) -> SwitchesAdded:
    """Read all switches of some ranges from now on: whoever has the role `network` there, and answers. Takes seconds."""
    added, refused = await finding_switches.search(context, reader, who, request)
    return await asyncio.to_thread(_added, context, reader, added, refused)


def _added(
    context: Context, reader: SwitchReader, added: list[int], refused: list[tuple[Address, str]]
) -> SwitchesAdded:
    with context.database.read() as connection:
        names = Names(context, connection)
        views = [
            port_views.switch_view(context, connection, reader, context.switches.switches[one], names)
            for one in added if one in context.switches.switches
        ]  # fmt: skip
        not_added = [
            NotAdded(address=dotted(address), device=finding_switches.device(context, connection, address), why=why)
            for address, why in refused
        ]
    return SwitchesAdded(added=views, refused=not_added)


@router.get("/switches/{identity}")
def one_switch(identity: Id, context: ContextDep, reader: ReaderDep, who: Who, response: Response) -> SwitchView:
    """One switch."""
    return _view(context, reader, identity, response)


@router.patch("/switches/{identity}")
def edit_switch(
    identity: Id, versions: IfMatch, request: SwitchEdit, context: ContextDep, reader: ReaderDep, who: Who, response: Response,
) -> SwitchView:  # fmt: skip
    """Change how a switch is read: at which address, by what, how often, or not at all for the time being."""
    switch_edits.edit(context, who, identity, _called(context, identity), request, versions)
    return _view(context, reader, identity, response)


@router.delete("/switches/{identity}", status_code=204)
def remove_switch(identity: Id, versions: MaybeMatch, context: ContextDep, who: Who) -> None:
    """Read a switch no longer. Undoing that brings back what was read of it."""
    switch_edits.remove(context, who, identity, _called(context, identity), versions)


@router.post("/switches/{identity}/read")
async def read_one(
    identity: Id, context: ContextDep, reader: ReaderDep, who: Who, response: Response
) -> SwitchView:  # fmt: skip
    """Read a switch now; the answer comes when that is done."""
    await asyncio.to_thread(_known, context, identity)
    await reader.read(identity)
    return await asyncio.to_thread(_view, context, reader, identity, response)


@router.get("/switches/{identity}/moments")
def moments(
    identity: Id, context: ContextDep, who: Who, since: datetime | None = None, until: datetime | None = None,
    buckets: Annotated[int, Query(ge=1, le=500)] = 100,
) -> SwitchMoments:  # fmt: skip
    """When anything turned at a switch."""
    switch = _known(context, identity)
    with context.database.read() as connection:
        return differing.moments(connection, switch, _ms(since), _ms(until) or now_ms(), buckets)


@router.get("/switches/{identity}/turns")
def turns(
    identity: Id, since: datetime, context: ContextDep, who: Who, paging: Paging, until: datetime | None = None
) -> PortTurns:  # fmt: skip
    """What is different at a switch between two moments, port by port."""
    switch = _known(context, identity)
    first, last = _ms(since) or 0, _ms(until) or now_ms()
    if last < first:
        raise EditError("the end lies before the beginning; exchange them", "until")
    with context.database.read() as connection:
        return differing.turns(context, connection, switch, first, last, paging)


@router.post("/switch-readings")
async def read(request: SwitchReadingNew, context: ContextDep, who: Who, http: Request) -> SwitchReading:
    """Read a switch by SNMP now: its ports and who is behind each. Nothing of it is kept, the credential least of all."""
    how = agent_reading.session(request.credential)
    address = await asyncio.to_thread(switch_edits.address_of_switch, context, request.switch)
    watcher: Watcher = http.app.state.watcher
    adapter, why_not = watcher.towards(address)
    if adapter is None:
        raise EditError(f"{dotted(address)} cannot be asked from here: {why_not}", "switch")
    began = context.monotonic()
    try:
        reading = await agent_reading.read(context.machine.open(adapter), IPv4Address(address), how)
    except AgentError as error:
        raise Refusal(422, "agent", str(error), "switch") from error
    return await asyncio.to_thread(_reading, context, address, reading, context.monotonic() - began)


def _known(context: Context, identity: int) -> SwitchNow:
    found = context.switches.switches.get(identity)
    if found is None:
        raise Missing(f"there is no switch {identity}")
    return found


def _called(context: Context, identity: int) -> str:
    switch = _known(context, identity)
    with context.database.read() as connection:
        return Names(context, connection).switch(switch)[1]


def _view(context: Context, reader: SwitchReader, identity: int, response: Response) -> SwitchView:
    switch = _known(context, identity)
    with context.database.read() as connection:
        view = port_views.switch_view(context, connection, reader, switch, Names(context, connection))
    tagged(response, view.version)
    return view


def _ms(time: datetime | None) -> int | None:
    return round(time.timestamp() * 1000) if time is not None else None


def _reading(context: Context, address: Address, reading: Reading, seconds: float) -> SwitchReading:
    behind: dict[int, list[Learnt]] = defaultdict(list)
    for one in reading.learnt:
        if one.mac not in reading.own:
            behind[one.port].append(one)
    devices = _devices(context, {one.mac for one in reading.learnt})
    told = reading.description
    with context.database.read() as connection:
        device = finding_switches.device(context, connection, address)
    return SwitchReading(
        address=dotted(address), device=device, name=told.name, text=told.text,
        contact=told.contact, place=told.place, model=told.model, serial=told.serial,
        firmware=told.firmware, up_seconds=told.up_ticks // 100 if told.up_ticks is not None else None,
        seconds=round(seconds, 2),
        ports=[
            PortView(
                index=port.index, name=port.name, alias=port.alias, wanted=port.wanted.value, link=port.link.value,
                speed=port.speed, duplex=port.duplex, vlan=port.vlan,
                neighbours=[port_views.neighbour_view(one) for one in reading.neighbours if one.at == port.index],
                behind_count=len(behind[port.index]),
                behind=[_behind(context, one, devices) for one in behind[port.index]],
            )
            for port in reading.ports
        ],
        missing=[LackView(what=one.what, why=one.why) for one in reading.lacks],
    )  # fmt: skip


def _devices(context: Context, macs: set[MacNumber]) -> dict[MacNumber, DeviceRef]:
    with context.database.read() as connection:
        ids = device_queries.devices_of_macs(connection, macs)
        rows = {row.id: device_ref(row) for row in device_queries.several(connection, sorted(set(ids.values())))}
    return {mac: rows[identity] for mac, identity in ids.items() if identity in rows}


def _behind(context: Context, one: Learnt, devices: dict[MacNumber, DeviceRef]) -> BehindView:
    seen = mac_view(one.mac, context.vendors)
    return BehindView(**dict(seen), device=devices.get(one.mac), vlans=list(one.vlans))
