"""Addresses that want a directed question: what contradicts what is known is asked at once, and for as long as that stands.

Each contradiction has the rank of its subject, and each rank a budget of its own, shared among its addresses in turn: a flood about
addresses that nobody knows takes nothing from those of the plan. Whoever is only new is asked about in a line apart. An address is
asked again after AGAIN at the earliest, then after twice as long each time, up to SLOWEST. The ranks and the line of the new are
bounded; what finds no room is counted. Times are UTC ms on the world's clock.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import IntEnum

from ..address import Address
from .model import SECOND

AGAIN = SECOND
SLOWEST = 6 * SECOND
STANDS = 15 * SECOND
"""How long a contradiction is asked about after it was heard of last."""
OPEN = 3 * SECOND
"""How long a question may still be answered."""
MOST_WAITING = 1024
MOST_REMEMBERED = 16_384


class Rank(IntEnum):
    """Whose an address is: this machine's own or a gateway's, of the plan, leased, of a known device, none of these."""

    OWN = 0
    PLANNED = 1
    LEASED = 2
    KNOWN = 3
    REST = 4


BUDGETS: Mapping[Rank, tuple[int, int]] = {
    Rank.OWN: (32, 64), Rank.PLANNED: (128, 256), Rank.LEASED: (64, 128), Rank.KNOWN: (64, 128), Rank.REST: (32, 64),
}  # fmt: skip
"""How many questions a second each rank may have, and how many at once after a rest."""
CURIOUS = (32, 128)
"""The same for whoever is only new."""


@dataclass(slots=True)
class _Budget:
    """So many questions a second, and so many at once."""

    rate: int
    most: int
    left: float = 0.0
    at: int | None = None

    def fill(self, now: int) -> None:
        """It is `now`."""
        gone = now - self.at if self.at is not None else self.most * SECOND
        self.left = min(self.left + max(gone, 0) * self.rate / SECOND, float(self.most))
        self.at = now


@dataclass(slots=True)
class _Standing:
    """A contradiction: when it may be asked about, after how long again, and until when it stands."""

    due: int
    step: int
    until: int


class Questions:
    """Lines of addresses, by rank; within one the first that came is asked first. `held_back` counts what found no room, last
    at `held_back_at`."""

    held_back_at: int | None

    def __init__(self) -> None:
        self._lines: dict[Rank, dict[Address, _Standing]] = {rank: {} for rank in Rank}
        self._rank: dict[Address, Rank] = {}
        self._curious: dict[Address, None] = {}
        self._budgets = {rank: _Budget(*BUDGETS[rank]) for rank in Rank}
        self._for_new = _Budget(*CURIOUS)
        self._asked: dict[Address, int] = {}
        self.held_back, self.held_back_at = 0, None

    def __len__(self) -> int:
        return len(self._rank) + len(self._curious)

    def __contains__(self, address: object) -> bool:
        return address in self._rank or address in self._curious

    def want(self, address: Address, rank: Rank, now: int, *, news: bool = True, stands: int = 0) -> None:
        """What is known of an address is contradicted: it is asked for as soon as may be, and again for `stands` ms from now.
        Without `news` a contradiction that was known before goes on: it is asked at its next time."""
        self._curious.pop(address, None)
        if self._rank.get(address, rank) is not rank:
            self.leave(address)
        line = self._lines[rank]
        one = line.get(address)
        soon = max(now, self._asked.get(address, -AGAIN) + AGAIN)
        if one is not None:
            one.until = max(one.until, now + stands)
            if news:
                one.due, one.step = min(one.due, soon), AGAIN
        elif len(line) >= MOST_WAITING:
            self.held_back, self.held_back_at = self.held_back + 1, now
        else:
            line[address] = _Standing(soon, AGAIN, now + stands)
            self._rank[address] = rank

    def wonder(self, address: Address, now: int) -> None:
        """Somebody new is at an address: it is asked for when there is room."""
        if address in self._rank or address in self._curious:
            return
        if len(self._curious) >= MOST_WAITING:
            self.held_back, self.held_back_at = self.held_back + 1, now
        else:
            self._curious[address] = None

    def asked_at(self, address: Address) -> int:
        """When a directed question for an address went out last, as far as is remembered; long ago where it is not."""
        return self._asked.get(address, -(1 << 62))

    def is_open(self, address: Address, now: int) -> bool:
        """True while a question for an address may still be answered."""
        return 0 <= now - self.asked_at(address) <= OPEN

    def due(self, now: int) -> bool:
        """True when some address may be asked for now."""
        return bool(self._curious) or any(one.due <= now for line in self._lines.values() for one in line.values())

    def take(self, now: int) -> list[Address]:
        """Those that may be asked now; they are taken to be asked. A contradiction that stands stays in its line, at its end."""
        found: list[Address] = []
        for rank, line in self._lines.items():
            budget = self._budgets[rank]
            budget.fill(now)
            taken = [address for address, one in line.items() if one.due <= now][: int(budget.left)]
            budget.left -= len(taken)
            for address in taken:
                one = line[address]
                self._asked_now(address, now)
                one.due, one.step = now + one.step, min(2 * one.step, SLOWEST)
                if one.due > one.until:
                    self.leave(address)
                else:
                    line[address] = line.pop(address)
            found += taken
        self._for_new.fill(now)
        ready = [address for address in self._curious if now - self._asked.get(address, -AGAIN) >= AGAIN]
        ready = ready[: int(self._for_new.left)]
        self._for_new.left -= len(ready)
        for address in ready:
            del self._curious[address]
            self._asked_now(address, now)
        return found + ready

    def asked(self, address: Address, now: int) -> None:
        """A directed question for an address went out."""
        self._curious.pop(address, None)
        self._asked_now(address, now)
        rank = self._rank.get(address)
        if rank is not None:
            one = self._lines[rank][address]
            one.due = max(one.due, now + AGAIN)

    def leave(self, address: Address) -> None:
        """Nothing is to be asked of an address any more."""
        self._curious.pop(address, None)
        rank = self._rank.pop(address, None)
        if rank is not None:
            del self._lines[rank][address]

    def _asked_now(self, address: Address, now: int) -> None:
        self._asked.pop(address, None)
        self._asked[address] = now
        while len(self._asked) > MOST_REMEMBERED:
            del self._asked[next(iter(self._asked))]
