"""Which addresses answer slowly, from what looks measured: how long a question to each of them must wait. Pure, and bounded.

Times are seconds. An address that answered only after it was asked again is slow until a reply to an only question (RFC 6298
section 3) says how slow; one that answers within USUAL is like any other.
"""

from __future__ import annotations

from collections.abc import Iterable

from .address import Address

USUAL = 0.4
LONGEST = 3.0
MOST_KEPT = 10_000


class ReplyTimes:
    """The slow addresses of one link. The latest word on an address counts; the oldest are forgotten beyond MOST_KEPT."""

    def __init__(self) -> None:
        self._slow: dict[int, float | None] = {}

    def late(self, address: Address) -> None:
        """It answered, but which question is not certain."""
        self._note(address, None)

    def measured(self, address: Address, seconds: float) -> None:
        """It answered an only question after so long."""
        if seconds > USUAL:
            self._note(address, seconds)
        else:
            self._slow.pop(address, None)

    def _note(self, address: Address, seconds: float | None) -> None:
        self._slow.pop(address, None)
        self._slow[address] = seconds
        while len(self._slow) > MOST_KEPT:
            del self._slow[next(iter(self._slow))]

    @property
    def addresses(self) -> frozenset[int]:
        """The slow ones."""
        return frozenset(self._slow)

    def patience(self, addresses: Iterable[Address]) -> float:
        """How long a question to some addresses must wait for the slowest of them."""
        times = [self._slow[a] for a in addresses if a in self._slow]
        if not times:
            return USUAL
        return max(LONGEST if seconds is None else min(2 * seconds, LONGEST) for seconds in times)
