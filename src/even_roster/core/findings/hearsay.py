"""Who was heard to speak as an address without having answered there. Anybody can send such a frame: it raises questions, and is
told as heard; nothing else follows from it.

Its memory is bounded by MAC and address, and what lies longer back than KEPT is forgotten. Times are UTC ms on the world's clock.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from ..address import Address
from ..mac import MacNumber
from .facts import Held
from .model import DAY, HOUR, MINUTE, SECOND

Lines = dict[Address, deque[tuple[int, MacNumber]]]
"""By address, which MACs took turns there, the latest last, each with when it began (UTC ms)."""
KEPT = DAY
FRESH = HOUR
ONCE = SECOND
RECENT = 2 * MINUTE
MOST_LATEST = 16_384
MOST_AGAIN = 1024
MOST_MACS = 1024
MOST_ADDRESSES = 16


@dataclass(slots=True)
class Heard:
    """From when to when a MAC was heard as an address, how often, on the link of which adapter, and when it was first asked there
    since without an answer (0: not yet)."""

    first: int
    last: int
    times: int
    link: str | None
    asked: int = 0

    @property
    def every(self) -> int:
        """How long it usually takes until it is heard again, in ms; 0 while it was heard once."""
        return (self.last - self.first) // (self.times - 1) if self.times > 1 else 0


class Hearsay:
    """By MAC, the addresses it was heard as; beyond the bounds those heard longest ago go. `left_out` counts by MAC how many more
    addresses it was heard as than are kept; `since` is when it was heard first. `lines` are the turns that were heard, with
    the answers between them; `changes` counts what came and went; `ranked` keeps the MACs of a link in an order that was worked
    out, until something changes."""

    def __init__(self) -> None:
        self._of_mac: dict[MacNumber, dict[Address, Heard]] = {}
        self._of_address: dict[Address, dict[MacNumber, Heard]] = {}
        self.left_out: dict[MacNumber, int] = {}
        self.since: dict[MacNumber, int] = {}
        self.lines: Lines = {}
        self._latest: dict[Address, tuple[MacNumber, int]] = {}
        self.again: dict[Address, int] = {}
        self.changes = 0
        self.ranked: dict[str, tuple[int, int, list[MacNumber]]] = {}

    def __contains__(self, mac: object) -> bool:
        return mac in self._of_mac

    def __iter__(self) -> Iterator[MacNumber]:
        return iter(self._of_mac)

    def __len__(self) -> int:
        return len(self._of_mac)

    def heard(self, address: Address, mac: MacNumber, at: int, link: str | None) -> bool:
        """A MAC was heard as an address; True when that is news, or none for an hour."""
        there = self._of_mac.pop(mac, None)
        if there is None:
            there, self.since[mac] = {}, at
        self._of_mac[mac] = there
        one = there.pop(address, None)
        news = one is None or at - one.last > FRESH
        if one is None:
            one = Heard(at, at, 0, link)
            self._of_address.setdefault(address, {})[mac] = one
            self.changes += 1
        one.first, one.last, one.times = min(one.first, at), max(one.last, at), one.times + 1
        one.link = link or one.link
        there[address] = one
        while len(there) > MOST_ADDRESSES:
            self._drop(mac, next(iter(there)))
            self.left_out[mac] = self.left_out.get(mac, 0) + 1
        while len(self.lines) > MOST_MACS:
            del self.lines[next(iter(self.lines))]
        while len(self._of_mac) > MOST_MACS:
            self._drop_mac(next(iter(self._of_mac)))
        return news

    def just_now(self, address: Address, mac: MacNumber, at: int) -> bool:
        """True when the same MAC was the last one heard as an address, less than ONCE ago: again says nothing more."""
        latest = self._latest.get(address)
        if latest is not None and latest[0] == mac and 0 <= at - latest[1] < ONCE:
            return True
        if len(self._latest) >= MOST_LATEST:
            self._latest.clear()
        self._latest[address] = mac, at
        return False

    def answered(self, address: Address, mac: MacNumber) -> None:
        """It answered there: it is no hearsay any more."""
        if address in self._of_mac.get(mac, ()):
            self._drop(mac, address)

    def at(self, address: Address, now: int, within: int = FRESH) -> dict[MacNumber, Heard]:
        """Who was heard as an address within the last hour, or another time."""
        found = self._of_address.get(address)
        return {mac: one for mac, one in found.items() if now - one.last <= within} if found else {}

    def claimed(self, now: int) -> Iterator[Address]:
        """The addresses that somebody was heard as within the last minutes, in the order in which they were heard first."""
        for address, there in self._of_address.items():
            if any(now - one.last <= RECENT for one in there.values()):
                yield address
        for address, at in self.again.items():
            if now - at <= RECENT and address not in self._of_address:
                yield address

    def spoken(self, address: Address) -> bool:
        """True for an address that somebody who does not answer there was heard as."""
        return address in self._of_address or address in self.again

    def asked(self, address: Address, at: int) -> None:
        """An address was asked for: none of those that were heard as it answered."""
        for one in self._of_address.get(address, {}).values():
            one.asked = one.asked or at

    def heard_again(self, address: Address, at: int) -> None:
        """A MAC that answered at an address once, and does not any more, was heard as it."""
        self.again.setdefault(address, at)
        self.again[address] = max(self.again[address], at)
        while len(self.again) > MOST_AGAIN:
            del self.again[next(iter(self.again))]

    def beside(
        self, address: Address, holders: Mapping[MacNumber | None, Held], now: int
    ) -> Mapping[MacNumber | None, Held | Heard]:
        """Who answered at an address together with who was heard as it within the last hour."""
        if address not in self._of_address:
            return holders
        found: dict[MacNumber | None, Held | Heard] = {}
        found.update(self.at(address, now).items())
        found.update(holders)
        return found

    def of(self, mac: MacNumber, now: int, within: int = FRESH) -> dict[Address, Heard]:
        """What a MAC was heard as within the last hour, or another time; the latest last."""
        found = self._of_mac.get(mac)
        return {address: one for address, one in found.items() if now - one.last <= within} if found else {}

    def link(self, address: Address) -> str | None:
        """The adapter on whose link an address was heard last."""
        there = self._of_address.get(address)
        return max(there.values(), key=lambda one: one.last).link if there else None

    def forget(self, now: int) -> None:
        """Forget what was heard before KEPT."""
        for address in [address for address, line in self.lines.items() if now - line[-1][0] > KEPT]:
            del self.lines[address]
        self.again = {address: at for address, at in self.again.items() if now - at <= RECENT}
        for mac, there in list(self._of_mac.items()):
            for address in [a for a, one in there.items() if now - one.last > KEPT]:
                self._drop(mac, address)

    def _drop_mac(self, mac: MacNumber) -> None:
        for address in list(self._of_mac.get(mac, ())):
            self._drop(mac, address)

    def _drop(self, mac: MacNumber, address: Address) -> None:
        there = self._of_mac.get(mac, {})
        self.changes += there.pop(address, None) is not None
        if not there:
            self._of_mac.pop(mac, None)
            self.left_out.pop(mac, None)
            self.since.pop(mac, None)
        at = self._of_address.get(address, {})
        at.pop(mac, None)
        if not at:
            self._of_address.pop(address, None)
