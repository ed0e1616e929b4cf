"""Answers the DHCP or BOOTP questions of a device that is being fitted, by consent given for it, where no server is. Before it,
the link is asked whether there is one; it ends when one shows itself, when the device has its settings, and after a quarter of
an hour."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Collection
from dataclasses import dataclass
from ipaddress import IPv4Address

from ...core.adapters import Adapter
from ...core.address import Address, dotted
from ...core.fitting.progress import Progress
from ...core.mac import Mac, MacNumber
from ...core.plan.model import Subnet
from ...probe import dhcp_ask
from ...probe.answering import Answerer, Given
from ...store.edits import EditError
from ..context import Context

ASKED_SECONDS = 10.0
LONGEST_SECONDS = 15 * 60.0
LATELY_MS = 24 * 3600 * 1000


@dataclass(slots=True)
class Answering:
    """What is answered for one device, and until when on the monotonic clock."""

    answerer: Answerer
    until: float
    told: str = ""


class Answers:
    """Whose questions are answered, by the ids of the devices that are being fitted."""

    def __init__(self, context: Context) -> None:
        self._context = context
        self.running: dict[int, Answering] = {}
        self._asking: set[int] = set()

    def why_not(self, progress: Progress, target: Address | None) -> str:
        """Why a device's questions cannot be answered, as a sentence; empty where they can, as far as is known without asking."""
        where = progress.found or progress.heard
        if where is None or target is None:
            return "it was not heard yet"
        subnet = self._context.plan.plan.subnet_at(self._context.plan.site_here, target)
        if subnet is None:
            return f"{dotted(target)} lies in no planned subnet"
        if self._own(where.adapter, subnet) is None:
            return f"{where.adapter} has no address of {subnet.name or subnet.network} to answer from"
        return self._servers(subnet)

    def _own(self, name: str, subnet: Subnet) -> tuple[Adapter, IPv4Address] | None:
        for adapter in self._context.machine.adapters():
            for one in adapter.addresses if adapter.name == name else ():
                if one.ip in subnet.network:
                    return adapter, one.ip
        return None

    def _servers(self, subnet: Subnet) -> str:
        """A server that is planned for a subnet, or was heard there within a day."""
        with self._context.findings.looking() as world:
            planned = world.dhcp.servers_for(subnet.id)
            steady = self._context.steady_ms()
            heard = [
                server for server, one in world.dhcp.servers.get(subnet.id, {}).items() if steady - one.last < LATELY_MS
            ]
        if planned:
            return f"{planned[0].name} is planned to hand out addresses there"
        return f"a DHCP server was heard there within a day: {dotted(heard[0])}" if heard else ""

    async def begin(
        self, identity: int, mac: MacNumber, progress: Progress, target: Address | None, tell: Callable[[], None]
    ) -> None:  # fmt: skip
        """Ask the link for servers, and answer when there is none. Raises EditError, SegmentError."""
        if identity in self.running:
            return
        if identity in self._asking:
            raise EditError("the link is being asked for servers already; wait for that")
        self._asking.add(identity)
        try:
            await self._begin(identity, mac, progress, target, tell)
        finally:
            self._asking.discard(identity)

    async def _begin(
        self, identity: int, mac: MacNumber, progress: Progress, target: Address | None, tell: Callable[[], None]
    ) -> None:  # fmt: skip
        why_not = await asyncio.to_thread(self.why_not, progress, target)
        if why_not:
            raise EditError(f"nothing is answered: {why_not}")
        where = progress.found or progress.heard
        assert where is not None and target is not None
        subnet = self._context.plan.plan.subnet_at(self._context.plan.site_here, target)
        own = self._own(where.adapter, subnet) if subnet is not None else None
        if subnet is None or own is None or own[0].mac is None:
            raise EditError(f"nothing is answered: {where.adapter} is not as it was any more")
        (adapter, server), answering_mac = own, own[0].mac
        segment = self._context.machine.open(adapter)
        offers = await dhcp_ask.ask(segment, ASKED_SECONDS, client=Mac(mac), ours=True)
        if offers:
            who = dotted(offers[0].offer.server)
            raise EditError(
                f"nothing is answered: a DHCP server offers here, {who}; the device will get its address from that"
            )
        given = Given(Mac(mac), IPv4Address(target), subnet.network.netmask, server, answering_mac)
        answerer = Answerer(segment, given, tell, LONGEST_SECONDS)
        self.running[identity] = Answering(answerer, self._context.monotonic() + LONGEST_SECONDS)
        self._context.supervisor.start(f"answering {Mac(mac)}", answerer.run, answerer.ended)

    def said(self, identity: int) -> str:
        """How it goes, as a phrase; empty where nothing is answered."""
        one = self.running.get(identity)
        if one is None:
            return ""
        return one.answerer.engine.over or one.answerer.engine.said or "its questions are answered from here"

    def end(self, identity: int) -> bool:
        """Answer a device no more; False where it was not answered."""
        one = self.running.pop(identity, None)
        if one is not None:
            one.answerer.ended.set()
        return one is not None

    def follow(self, needed: Collection[int]) -> list[tuple[int, str]]:
        """End what is not needed any more; gives by device what is to be told of it."""
        told: list[tuple[int, str]] = []
        for identity, one in list(self.running.items()):
            engine = one.answerer.engine
            if engine.over:
                told.append((identity, f"answered no more: {engine.over}"))
            elif identity not in needed:
                told.append((identity, "answered no more: it has gone, and is to come back by its own settings"))
            elif self._context.monotonic() > one.until:
                told.append((identity, "answered no more: a quarter of an hour is over"))
            else:
                if engine.said != one.told:
                    one.told = engine.said
                    told.append((identity, engine.said))
                continue
            self.end(identity)
        return told

    def close(self) -> None:
        """Answer nobody any more."""
        for identity in list(self.running):
            self.end(identity)
