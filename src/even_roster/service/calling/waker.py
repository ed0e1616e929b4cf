"""Wakes sleeping devices by magic packets on the links where they were seen last, and says when they came up."""

from __future__ import annotations

import asyncio
import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address

from ...api.common import DeviceRef
from ...api.events import WakeEvent
from ...core.adapters import Adapter
from ...core.address import Address, dotted
from ...core.mac import Mac, MacNumber
from ...probe import waking
from ...store import device_queries
from ...store.address_column import NO_ADDRESS
from ...store.edits import EditError
from ..aids.repeating import attempt_here
from ..context import Context, now_ms
from ..naming import resolving
from ..views import device_ref
from ..watching.watcher import Watcher
from .wake_passwords import WakePasswords, octets

PATIENCE_SECONDS = 180.0
LOOK_SECONDS = 1.0
MOST_KEPT = 200


@dataclass(slots=True)
class Wake:
    """One device that was woken, or is on its way; `secured` with a SecureOn password."""

    id: int
    device: DeviceRef
    macs: tuple[MacNumber, ...]
    address: Address | None
    adapters: tuple[str, ...]
    sent_at: int
    secured: bool
    up_at: int | None = None
    over: bool = False
    said: str = ""

    @property
    def state(self) -> str:
        """waiting, up, or silent when nothing came of it."""
        return "up" if self.up_at is not None else "silent" if self.over else "waiting"


class Waker:
    """Who was woken since the service started, the latest MOST_KEPT."""

    def __init__(self, context: Context, watcher: Watcher) -> None:
        self._context, self._watcher = context, watcher
        self.passwords = WakePasswords(context)
        self.wakes: dict[int, Wake] = {}
        self._ids = itertools.count(1)
        self._tasks: set[asyncio.Task[None]] = set()

    async def close(self) -> None:
        """Wait for nobody any more."""
        for task in list(self._tasks):
            task.cancel()
        await asyncio.gather(*self._tasks, return_exceptions=True)

    async def wake(self, named: str, password: str) -> Wake:
        """Wake a device, with the password that is kept where none is given. Raises EditError, Missing, Ambiguous, SegmentError."""
        given = octets(password)
        device, macs, address, last = await asyncio.to_thread(self._who, named)
        secrets = dict.fromkeys(macs, given) if given else await asyncio.to_thread(self.passwords.of, macs)
        adapters = self._links(address, last)
        if not adapters:
            where = f" at {dotted(address)}" if address is not None else ""
            raise EditError(
                f"{device.name or device.id} was seen last{where}, where this machine has no adapter; a magic packet does not pass "
                "routers"
            )
        one = Wake(
            next(self._ids), device, macs, address, tuple(adapter.name for adapter in adapters), now_ms(), bool(secrets)
        )
        on_already = await self._answers(one)
        for adapter in adapters:
            subnet = next((n for n in adapter.networks if address is not None and IPv4Address(address) in n), None)
            segment = self._context.machine.open(adapter)
            try:
                for mac in macs:
                    await waking.send(segment, Mac(mac), subnet, secrets.get(mac, b""))
            finally:
                await segment.close()
        one.sent_at = now_ms()
        if on_already:
            one.up_at, one.said = one.sent_at, "it is on already"
        self.wakes[one.id] = one
        while len(self.wakes) > MOST_KEPT:
            del self.wakes[next(iter(self.wakes))]
        if not on_already:
            task = asyncio.create_task(attempt_here(self._wait(one), "waiting for a device that was woken failed"))
            self._tasks.add(task)
            task.add_done_callback(self._tasks.discard)
        return one

    def _who(self, named: str) -> tuple[DeviceRef, tuple[MacNumber, ...], Address | None, str]:
        """A device with its MACs, where it was seen last or is planned, and the adapter it was seen on."""
        with self._context.database.read() as connection:
            found = device_queries.one(connection, resolving.device_to_change(self._context, connection, named))
            assert found is not None
            macs = tuple(one.mac for one in device_queries.adapters_of(connection, found.id))
        if not macs:
            raise EditError(f"{found.called or named} has no MAC that it could be woken by")
        planned = next(
            (i.address for i in self._context.plan.plan.of_device(found.id) if i.site == self._context.plan.site_here),
            None,
        )
        address = found.address if found.address != NO_ADDRESS else planned
        heard = self._context.asking.heard_on(address) if address is not None else ""
        return device_ref(found), macs, address, heard

    def _links(self, address: Address | None, heard: str) -> list[Adapter]:
        usable = [a for a in self._context.machine.adapters() if a.up and a.mac is not None and a.medium != "loopback"]
        usable = [a for a in usable if not self._context.known_links.elsewhere(a.name)]
        if address is None:
            return usable
        return [a for a in usable if address in a.onlink or a.name == heard]

    def keep_password(self, who: str, device: int, password: str) -> None:
        """Keep the SecureOn password of a device's adapters, or with an empty one forget it. Raises EditError."""
        with self._context.database.read() as connection:
            found = device_queries.one(connection, device)
            macs = tuple(one.mac for one in device_queries.adapters_of(connection, device))
        called = found.called if found is not None and found.called else str(device)
        if not macs:
            raise EditError(f"{called} has no MAC that it could be woken by")
        self.passwords.keep(who, called, macs, password)

    async def _answers(self, one: Wake) -> bool:
        """True when it answers now."""
        if one.address is None:
            return False
        found = await self._watcher.confirm([one.address])
        return bool(set(found.get(one.address, ())) & set(one.macs))

    async def _wait(self, one: Wake) -> None:
        until = self._context.monotonic() + PATIENCE_SECONDS
        while self._context.monotonic() < until and one.up_at is None:
            await asyncio.sleep(LOOK_SECONDS)
            if await self._answers(one) or await asyncio.to_thread(self._seen_since, one.macs, one.sent_at):
                one.up_at = now_ms()
                one.said = f"it came up after {max((one.up_at - one.sent_at) // 1000, 1)} s"
        if one.up_at is None:
            one.over, one.said = True, f"nothing came of it within {PATIENCE_SECONDS / 60:.0f} minutes"
        self._context.tell(WakeEvent(id=one.id))

    def _seen_since(self, macs: Sequence[MacNumber], at: int) -> bool:
        """True when one of some MACs was seen elsewhere meanwhile: a server may have given it another address."""
        with self._context.findings.looking() as world:
            steady = self._context.steady_ms() - (now_ms() - at)
            return any(held.last > steady for mac in macs for held in world.places.get(mac, {}).values())
