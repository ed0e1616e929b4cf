"""The leases of a world, as the servers that are read told them last."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

from ..address import Address
from ..mac import MacNumber
from ..plan.following import Lease
from .facts import Ground


class Leased:
    """`at` are leases by address, `of_mac` the addresses leased to a MAC, `since` when an address was first told to be leased to
    whom it is, `read` when each server was read. `touch` marks what is to be looked at again. Times are UTC ms."""

    def __init__(self, ground: Ground, touch: Callable[[Address, MacNumber | None], None]) -> None:
        self._ground, self._touch = ground, touch
        self.at: dict[Address, Lease] = {}
        self.of_mac: dict[MacNumber, set[Address]] = {}
        self.since: dict[Address, int] = {}
        self.read: dict[int, int] = {}
        self._of_server: dict[int, dict[Address, Lease]] = {}

    def told(self, server: int, leases: Iterable[Lease], at: int) -> None:
        """What a server told of its leases now; it replaces what it told before. Of several servers' leases of one address, as
        pairs that stand in for each other have them, that which runs longest counts."""
        self._ground.now = max(self._ground.now, at)
        self.read[server] = at
        before, after = self._of_server.get(server, {}), {one.address: one for one in leases}
        self._of_server[server] = after
        for address in before.keys() | after.keys():
            if before.get(address) != after.get(address):
                self._settle(address, at)

    def _settle(self, address: Address, at: int) -> None:
        """Whose an address is by now, after what a server told of it."""
        there = [told[address] for told in self._of_server.values() if address in told]
        new = max(there, key=lambda one: math.inf if one.expires is None else one.expires, default=None)
        was = self.at.get(address)
        if was is not None and (new is None or new.mac != was.mac):
            self._forget(address, was)
        if new is None:
            return
        self.at[address] = new
        if new.mac is not None:
            self.of_mac.setdefault(new.mac, set()).add(address)
        if was is None or was.mac != new.mac or was.expires != new.expires:
            self._touch(address, new.mac)
        if was is None or was.mac != new.mac:
            self.since[address] = at

    def _forget(self, address: Address, old: Lease) -> None:
        del self.at[address]
        self.since.pop(address, None)
        self._touch(address, old.mac)
        if old.mac is not None and address in self.of_mac.get(old.mac, ()):
            self.of_mac[old.mac].discard(address)

    def active(self, address: Address) -> Lease | None:
        """The running lease of an address."""
        lease = self.at.get(address)
        return lease if lease is not None and lease.active(self._ground.now) else None
