"""/api/v1/switch-readings: reading switches."""

from __future__ import annotations

import asyncio
from collections import defaultdict
from ipaddress import IPv4Address

from fastapi import APIRouter, Request

from ...api.common import DeviceRef
from ...api.switches import BehindView, LackView, PortNeighbour, PortView, SwitchReading, SwitchReadingNew
from ...core.address import Address, dotted
from ...core.mac import MacNumber
from ...core.switches.reading import Learnt, Reading
from ...probe.snmp_agent import AgentError
from ...store import device_queries
from ...store.edits import EditError
from ..context import Context
from ..naming import resolving
from ..views import device_ref, mac_view
from ..watching.watcher import Watcher
from ..web.deps import ContextDep, Who
from ..web.problems import Refusal
from . import agent_reading

router = APIRouter(prefix="/api/v1", tags=["switches"])


@router.post("/switch-readings")
async def read(request: SwitchReadingNew, context: ContextDep, who: Who, http: Request) -> SwitchReading:
    """Read a switch by SNMP now: its ports and who is behind each. Nothing of it is kept, the credential least of all."""
    how = agent_reading.session(request.credential)
    address = await asyncio.to_thread(_address, context, request.switch)
    watcher: Watcher = http.app.state.watcher
    adapter, why_not = watcher.towards(address)
    if adapter is None:
        raise EditError(f"{dotted(address)} cannot be asked from here: {why_not}", "switch")
    began = context.monotonic()
    try:
        reading = await agent_reading.read(context.machine.open(adapter), IPv4Address(address), how)
    except AgentError as error:
        raise Refusal(422, "agent", str(error), "switch") from error
    return await asyncio.to_thread(_view, context, address, reading, context.monotonic() - began)


def _address(context: Context, text: str) -> Address:
    with context.database.read() as connection:
        address = resolving.address(context, connection, text)
    ip = IPv4Address(address)
    if ip.is_multicast or ip.is_unspecified or ip.is_reserved or ip.is_loopback:
        raise EditError(f"{ip} is no address that a switch has", "switch")
    return address


def _view(context: Context, address: Address, reading: Reading, seconds: float) -> SwitchReading:
    behind: dict[int, list[Learnt]] = defaultdict(list)
    own = {port.mac for port in reading.ports}
    for one in reading.learnt:
        if one.mac not in own:
            behind[one.port].append(one)
    devices = _devices(context, {one.mac for one in reading.learnt})
    item = context.plan.plan.at(context.plan.site_here, address)
    with context.database.read() as connection:
        holder = device_queries.last_holders(connection, context.plan.site_here, [address]).get(address)
        identity = item.device if item is not None and item.device else None
        if identity is None and holder is not None:
            identity = device_queries.device_of_mac(connection, holder)
        row = device_queries.one(connection, identity) if identity is not None else None
    told = reading.description
    return SwitchReading(
        address=dotted(address), device=device_ref(row) if row is not None else None, name=told.name, text=told.text,
        contact=told.contact, place=told.place, model=told.model, serial=told.serial,
        firmware=told.firmware, up_seconds=told.up_ticks // 100 if told.up_ticks is not None else None,
        seconds=round(seconds, 2),
        ports=[
            PortView(
                index=port.index, name=port.name, alias=port.alias, wanted=port.wanted.value, link=port.link.value,
                speed=port.speed, duplex=port.duplex, vlan=port.vlan,
                neighbours=[
                    PortNeighbour(
                        name=one.name, chassis=one.chassis, port=one.port, port_text=one.port_text, text=one.text,
                        capabilities=list(one.capabilities), address=one.address,
                    )
                    for one in reading.neighbours if one.at == port.index
                ],
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
