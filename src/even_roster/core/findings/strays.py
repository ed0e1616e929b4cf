"""What devices said of themselves without being asked: addresses they sent to beyond their subnet, or announced as virtual routers.

Anybody can send that, so its memory is bounded.
"""

from __future__ import annotations

from collections.abc import Iterator

from ..address import Address
from ..mac import MacNumber

MOST_MACS = 1024
MOST_TARGETS = 16


class Strays:
    """By MAC, the targets and the latest time (UTC ms) of each; beyond the bounds the oldest go. `in_turn` are the MACs in the
    order in which they were noted first."""

    def __init__(self) -> None:
        self._sent: dict[MacNumber, dict[Address, int]] = {}
        self.in_turn: dict[MacNumber, None] = {}

    def __contains__(self, mac: object) -> bool:
        return mac in self._sent

    def __iter__(self) -> Iterator[int]:
        return iter(self._sent)

    def note(self, mac: MacNumber, target: Address, at: int) -> None:
        """A device sent to a target."""
        there = self._sent.pop(mac, {})
        self._sent[mac] = there
        self.in_turn.setdefault(mac)
        there.pop(target, None)
        there[target] = at
        while len(there) > MOST_TARGETS:
            del there[next(iter(there))]
        while len(self._sent) > MOST_MACS:
            oldest = next(iter(self._sent))
            del self._sent[oldest], self.in_turn[oldest]

    def said(self, mac: MacNumber, target: Address) -> bool:
        """True when a MAC sent to a target, or announced it, before."""
        return target in self._sent.get(mac, {})

    def since(self, mac: MacNumber, at: int) -> list[int]:
        """The targets of a MAC since a time, sorted."""
        return sorted(target for target, when in self._sent.get(mac, {}).items() if when >= at)
