"""Tells a switch to set a port, or its power, and reads back what it did. What is not known afterwards is told as that."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from dataclasses import dataclass
from ipaddress import IPv4Address

from ...api.switches import Credential
from ...core.address import dotted
from ...probe.segment import SegmentError
from ...probe.snmp_agent import Agent, AgentError, Refused
from ...store.edits import EditError
from ...wire.snmp import Type, Variable
from ..context import Context
from ..knowing.switch_now import PortNow, SwitchNow
from ..switches import agent_reading
from ..watching.watcher import Watcher

Oid = tuple[int, ...]
_NAME: Oid = (1, 3, 6, 1, 2, 1, 31, 1, 1, 1, 1)
_TEXT: Oid = (1, 3, 6, 1, 2, 1, 2, 2, 1, 2)
_ADMIN: Oid = (1, 3, 6, 1, 2, 1, 2, 2, 1, 7)
"""ifAdminStatus (RFC 2863)"""
_POWER: Oid = (1, 3, 6, 1, 2, 1, 105, 1, 1, 1, 3)
"""pethPsePortAdminEnable (RFC 3621)"""
ON, OFF = 1, 2
VERIFY_SECONDS, VERIFY_STEP = 5.0, 0.3


class Unsure(AgentError):
    """An agent was told, and whether it has done it is not known, or it has not."""


@dataclass(frozen=True, slots=True)
class Target:
    """A port to switch: what is set there, and by what."""

    switch: SwitchNow
    port: PortNow
    what: str
    credential: Credential

    @property
    def object(self) -> Oid:
        """What is set. Raises EditError where the port has nothing of the kind."""
        if self.what == "link":
            if self.port.state is None:
                raise EditError(f"its switch does not tell of port {self.port.name} any more", "port")
            return (*_ADMIN, self.port.state.index)
        feeds = self.switch.told.get("feeds", {}).get(self.port.name)
        if feeds is None:
            raise EditError(f"port {self.port.name} feeds nothing over Ethernet, as far as its switch tells", "what")
        return (*_POWER, *feeds)


@asynccontextmanager
async def reached(context: Context, watcher: Watcher, target: Target) -> AsyncIterator[Agent]:
    """The agent of a target, which answers and still means the same port by its number. Raises AgentError, SegmentError,
    EditError."""
    address = target.switch.row.address
    adapter, why_not = await asyncio.to_thread(watcher.towards, address)
    if adapter is None:
        raise AgentError(f"{dotted(address)} cannot be asked from here: {why_not}")
    segment = context.machine.open(adapter)
    try:
        agent = Agent(segment, IPv4Address(address), agent_reading.session(target.credential))
        await _same_port(agent, target)
        yield agent
    finally:
        await segment.close()


async def set_and_read_back(agent: Agent, target: Target, value: int) -> None:
    """Tell an agent, and read back until it is so. Raises Refused where it says itself that it may not be told, else Unsure."""
    what = target.object
    try:
        await agent.set([Variable(what, Type.INTEGER, value)])
    except Refused:
        raise
    except (AgentError, SegmentError) as error:
        raise Unsure(str(error)) from error
    waited = 0.0
    while True:
        try:
            (told,) = await agent.get([what])
        except (AgentError, SegmentError) as error:
            raise Unsure(str(error)) from error
        if told.value == value:
            return
        if waited >= VERIFY_SECONDS:
            address = dotted(target.switch.row.address)
            raise Unsure(f"{address} said yes and did nothing: read back, it is as it was")
        await asyncio.sleep(VERIFY_STEP)
        waited += VERIFY_STEP


async def _same_port(agent: Agent, target: Target) -> None:
    """A restart may have numbered interfaces anew: what is set is the port that is meant, by its name."""
    if target.port.state is None:
        raise EditError(f"its switch does not tell of port {target.port.name} any more", "port")
    index, called = target.port.state.index, target.port.name.removesuffix(f" ({target.port.state.index})")
    raw = target.switch.told.get("raws", {}).get(target.port.name)
    wanted = bytes.fromhex(raw) if raw is not None else called.encode()
    name, text = await agent.get([(*_NAME, index), (*_TEXT, index)])
    said = [one.value for one in (name, text) if isinstance(one.value, bytes) and one.value]
    if wanted not in said and (wanted or said):
        raise AgentError(f"interface {index} is not port {called} any more: the switch numbers them anew")
