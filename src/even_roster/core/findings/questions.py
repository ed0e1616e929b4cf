"""Addresses that want a directed question: whoever contradicts what is known is asked about at once, within a budget.

Contradictions come first, newcomers have what is left. A storm of forged claims cannot have more than PER_SECOND addresses a
second asked after a first burst of AT_ONCE; one address is asked again after AGAIN at the earliest, and is not forgotten until
then. What finds no room is counted. Times are UTC ms on the world's clock.
"""

from __future__ import annotations

from ..address import Address
from .model import SECOND

AGAIN = SECOND
AT_ONCE = 128
PER_SECOND = 32
MOST_WAITING = 1024
MOST_REMEMBERED = 4096


class Questions:
    """A line of addresses; the first that came is asked first."""

    def __init__(self) -> None:
        self._waiting: dict[Address, None] = {}
        self._curious: dict[Address, None] = {}
        self._asked: dict[Address, int] = {}
        self._budget, self._budget_at = float(AT_ONCE), 0
        self.held_back = 0

    def __len__(self) -> int:
        return len(self._waiting) + len(self._curious)

    def __contains__(self, address: object) -> bool:
        return address in self._waiting or address in self._curious

    def want(self, address: Address) -> None:
        """Ask for an address as soon as may be: what is known is contradicted there."""
        self._curious.pop(address, None)
        self._enter(self._waiting, address)

    def wonder(self, address: Address) -> None:
        """Ask for an address when nothing else wants the budget: somebody new is there."""
        if address not in self._waiting:
            self._enter(self._curious, address)

    def _enter(self, line: dict[Address, None], address: Address) -> None:
        if address in line:
            return
        if len(line) >= MOST_WAITING:
            self.held_back += 1
            return
        line[address] = None

    def asked_at(self, address: Address) -> int:
        """When a directed question for an address went out last, as far as is remembered; long ago where it is not."""
        return self._asked.get(address, -(1 << 62))

    def take(self, now: int) -> list[Address]:
        """Those that may be asked now; they are taken to be asked."""
        if now > self._budget_at:
            self._budget = min(self._budget + (now - self._budget_at) * PER_SECOND / SECOND, float(AT_ONCE))
        self._budget_at = now
        found = []
        for address in (*self._waiting, *self._curious):
            if self._budget < 1:
                break
            if now - self._asked.get(address, -AGAIN) >= AGAIN:
                found.append(address)
                self._budget -= 1
        for address in found:
            self.asked(address, now)
        return found

    def asked(self, address: Address, now: int) -> None:
        """A directed question for an address goes out; it waits no more."""
        self._waiting.pop(address, None)
        self._curious.pop(address, None)
        self._asked.pop(address, None)
        self._asked[address] = now
        while len(self._asked) > MOST_REMEMBERED:
            del self._asked[next(iter(self._asked))]
