"""Who stands in for others by proxy ARP (RFC 1027): proven by what comes back for an echo, never guessed from a number."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from ..address import Address
from ..mac import MacNumber
from .model import HOUR, MINUTE

AGAIN = HOUR
SOON = MINUTE
QUESTIONS = 5


@dataclass(frozen=True, slots=True)
class Proven:
    """A MAC stands in for addresses from `first` to `last`; proven at `at`, UTC ms."""

    first: int
    last: int
    at: int


class StandIns:
    """What was proven of MACs that answer for many addresses, and when each was asked."""

    def __init__(self) -> None:
        self.proven: dict[MacNumber, Proven] = {}
        self._asked: dict[MacNumber, int] = {}

    def due(self, macs: Iterable[MacNumber], now: int) -> Iterator[MacNumber]:
        """Those of some MACs that may be asked about again."""
        return (mac for mac in macs if now - self._asked.get(mac, -AGAIN) >= AGAIN)

    def asked(self, mac: MacNumber) -> bool:
        """True when a MAC was asked about since the service began."""
        return mac in self._asked

    def sample(self, mac: MacNumber, addresses: Sequence[Address], now: int) -> list[Address]:
        """A few of the addresses a MAC answers for, spread over all of them; they are taken to be asked."""
        self._asked[mac] = now
        return list(addresses[:: max(len(addresses) // QUESTIONS, 1)][:QUESTIONS])

    def answer(self, mac: MacNumber, told: Mapping[int, bool], strange: Sequence[int], at: int) -> None:
        """What was found; `strange` are all addresses that it answers for though they are not planned for it."""
        if any(told.values()):
            self.proven[mac] = Proven(min(strange, default=min(told)), max(strange, default=max(told)), at)
        elif told:
            self.proven.pop(mac, None)
        else:  # nothing came back in time: that says nothing, and is no reason to wait for an hour
            self._asked[mac] = at - AGAIN + SOON
