"""Lends this machine's adapters addresses, so that a device in a foreign subnet is reached from here: renewed while its
settings are to be typed in, taken back when they are, when it is given up, and at a stop. After a crash the system itself ends
it."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Collection
from dataclasses import dataclass, replace
from ipaddress import IPv4Address, IPv4Network

from ...core.adapters import Adapter
from ...core.address import Address, dotted
from ...core.fitting import lending
from ...core.fitting.kinds import Kind
from ...core.fitting.progress import Progress
from ...probe.confirm import confirm
from ...probe.segment import SegmentError
from ...store.edits import EditError
from ..context import Context, now_ms

PROMISED_SECONDS = 60
RENEWED_AFTER = 20


@dataclass(frozen=True, slots=True)
class Lent:
    """An address that an adapter was lent, to reach a device; until when, UTC ms, unless it is renewed."""

    adapter: str
    own: IPv4Address
    device: IPv4Address
    network: IPv4Network
    until: int
    renew_at: float


class Lending:
    """What is lent for the devices that are being fitted, by their ids."""

    def __init__(self, context: Context) -> None:
        self._context = context
        self.lent: dict[int, Lent] = {}
        self._one_at_a_time = asyncio.Lock()

    def why_not(self, progress: Progress, kind: Kind | None) -> str:
        """Why nothing can be lent to reach a device, as a sentence; empty where it can."""
        found = progress.found
        if found is None or not found.address:
            return "it has no address yet"
        return self._refused(lending.foreign_subnet(found.address, kind)) or self._context.machine.lender().why_not()

    def _refused(self, network: IPv4Network) -> str:
        plan = self._context.plan.plan
        planned = [(one.network, one.name) for one in plan.subnets_of(self._context.plan.site_here) if not one.supernet]
        return lending.refused(network, planned, self._context.machine.lender().routes())

    async def lend(self, identity: int, progress: Progress, kind: Kind | None) -> Lent:
        """Lend the adapter that a device was found on an address beside it. Raises EditError, SegmentError."""
        async with self._one_at_a_time:
            return await self._lend(identity, progress, kind)

    async def _lend(self, identity: int, progress: Progress, kind: Kind | None) -> Lent:
        why_not = await asyncio.to_thread(self.why_not, progress, kind)
        if why_not:
            raise EditError(f"nothing is lent: {why_not}")
        found = progress.found
        assert found is not None
        device = found.address
        there = self.lent.get(identity)
        if there is not None and (there.adapter, there.device) == (found.adapter, IPv4Address(device)):
            return there
        if there is not None:
            await self.take_back(identity)
        if rival := next((one for one in self.lent.values() if one.device == IPv4Address(device)), None):
            raise EditError(f"{rival.own} is lent for another device at {dotted(device)}; that one comes first")
        adapter = next((one for one in self._context.machine.adapters() if one.name == found.adapter), None)
        if adapter is None:
            raise EditError(f"nothing is lent: there is no adapter {found.adapter} any more")
        own = await self._free(adapter, device, kind)
        network = lending.foreign_subnet(device, kind)
        lent = Lent(adapter.name, IPv4Address(own), IPv4Address(device), network, 0, 0.0)
        self.lent[identity] = await asyncio.to_thread(self._renewed, lent)
        return self.lent[identity]

    async def _free(self, adapter: Adapter, device: Address, kind: Kind | None) -> Address:
        """An address of the foreign subnet that nobody answers for."""
        network = lending.foreign_subnet(device, kind)
        tried = lending.to_try(network, device, {Address(int(one.own)) for one in self.lent.values()})
        segment = self._context.machine.open(adapter)
        try:
            answers = await confirm(segment, tried)
        finally:
            await segment.close()
        free = next((one for one in tried if not answers.get(one)), None)
        if free is None:
            raise EditError(f"nothing is lent: the addresses of {network} that were tried are all somebody's")
        return free

    def _renewed(self, lent: Lent) -> Lent:
        self._context.machine.lender().lend(lent.adapter, lent.own, lent.device, PROMISED_SECONDS)
        renew = self._context.monotonic() + RENEWED_AFTER
        return replace(lent, until=now_ms() + PROMISED_SECONDS * 1000, renew_at=renew)

    async def take_back(self, identity: int) -> Lent | None:
        """Take back what is lent for a device; gives what that was."""
        lent = self.lent.pop(identity, None)
        if lent is not None:
            await asyncio.to_thread(self._context.machine.lender().take_back, lent.adapter, lent.own, lent.device)
        return lent

    async def follow(self, needed: Collection[int]) -> list[int]:
        """Renew what is needed still and take back the rest; gives the devices whose address was taken back."""
        over = []
        for identity, lent in list(self.lent.items()):
            due = self._context.monotonic() >= lent.renew_at
            # A subnet may have been planned meanwhile, or another network connected: it is not to be bent either.
            refused = await asyncio.to_thread(self._refused, lent.network) if due else ""
            if identity not in needed or refused:
                over.append(identity)
                await self.take_back(identity)
            elif due:
                with contextlib.suppress(SegmentError):  # it ends by itself then
                    self.lent[identity] = await asyncio.to_thread(self._renewed, lent)
        return over

    async def close(self) -> None:
        """Take everything back."""
        for identity in list(self.lent):
            with contextlib.suppress(SegmentError):
                await self.take_back(identity)
