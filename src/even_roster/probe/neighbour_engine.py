"""The scan engine without privileges: the kernel asks the neighbours, this engine reads its table. No I/O, no clock.

The kernel's table holds few entries (1,024 by default) and keeps one that answered until it has been stale for five
seconds, which takes up to a minute. So a range goes through it in slices, as fast as the table itself shows room:
nothing is lost, larger ranges take longer.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import IntFlag
from ipaddress import IPv4Address

from ..core.adapters import Adapter
from ..core.address import Address, address_of
from ..core.span import SpanSet
from ..core.stays import Source
from .front import Front
from .rtt import WaitingTime
from .segment import Neighbour
from .sweep_engine import Answer, SweepPlan

KEPT_STALE = 5.0
GIVE_UP = 3.6
GIVE_UP_STALE = 9.0
LOOK_EVERY = 0.06
STUCK_AFTER = 120.0


class NeighbourState(IntFlag):
    """States of linux/neighbour.h (NUD_*)."""

    INCOMPLETE = 0x01
    REACHABLE = 0x02
    STALE = 0x04
    DELAY = 0x08
    PROBE = 0x10
    FAILED = 0x20
    NOARP = 0x40
    PERMANENT = 0x80


_UNSURE = NeighbourState.STALE | NeighbourState.DELAY | NeighbourState.PROBE


@dataclass(slots=True)
class _Asked:
    at: float
    tries: int
    unsure: bool = False


class NeighbourEngine:
    """A sweep through the kernel's table. Nudge what `due` gives, hand the table to `told`, until `finished`.

    Where `echo` is permitted, addresses behind the gateway are asked by echo.

    An answer is an entry that the kernel holds to be reachable, by its own request and within its own time limit.
    """

    def __init__(self, plan: SweepPlan, adapter: Adapter, capacity: int, echo: bool) -> None:
        own = SpanSet(tuple(sorted((int(a.ip), int(a.ip)) for a in adapter.addresses)))
        near = (plan.targets & adapter.onlink) - own
        far = plan.targets - adapter.onlink if echo else SpanSet()
        self._waiting = WaitingTime()
        self._far = Front(far, plan.rounds, plan.extra_rounds, plan.expected, lambda: self._waiting.seconds, plan.slow)
        self._near_total = len(near)
        self.total = self._near_total + self._far.total
        self._ahead = near.addresses()
        self._capacity = capacity
        self._asked: dict[Address, _Asked] = {}
        self._again: deque[int] = deque()
        self._expected = set(plan.expected)
        self._tries = 1 + plan.extra_rounds
        self._occupied = 0
        self._since_look = 0
        self._answers: list[Answer] = []
        self._echo = plan.echo and echo
        self._to_echo: deque[int] = deque()
        self._echoed: dict[int, float] = {}
        self._far_said: set[int] = set()
        self._exhausted = self._near_total == 0
        self._next_look = 0.0
        self._moved_at: float | None = None
        self._before: float | None = None
        self.probes = 0
        self.answered = 0
        self.settled = 0

    def due(self, now: float, room: int) -> list[IPv4Address]:
        """At most `room` addresses to nudge at this moment."""
        free = self._capacity - self._occupied - self._since_look
        nudges: list[IPv4Address] = []
        while len(nudges) < min(room, free):
            address = self._next_address()
            if address is None:
                break
            asked = self._asked.setdefault(address_of(address), _Asked(now, 0))
            asked.at, asked.tries = now, asked.tries + 1
            nudges.append(address)
        self.probes += len(nudges)
        self._since_look += len(nudges)
        self._before = self._moved_at if self._moved_at is not None else now
        if nudges or self._moved_at is None:
            self._moved_at = now
        return nudges

    def _next_address(self) -> IPv4Address | None:
        if self._again:
            return IPv4Address(self._again.popleft())
        address = next(self._ahead, None)
        if address is None:
            self._exhausted = True
        return address

    def full(self, address: IPv4Address) -> None:
        """The kernel had no room for a nudge: the address is asked again later."""
        self._asked.pop(address_of(address), None)
        self._again.append(address_of(address))
        self._since_look = self._capacity
        self._moved_at = self._before

    def due_echoes(self, now: float, room: int) -> list[IPv4Address]:
        """Responders to be asked for their reply time, and addresses behind the gateway; at most `room`."""
        found = [self._to_echo.popleft() for _ in range(min(room, len(self._to_echo)))]
        for address in found:
            self._echoed[address] = now
        while len(found) < room and (target := self._far.next(now)) is not None:
            found.append(target)
        self.probes += len(found)
        return [IPv4Address(address) for address in found]

    def told(self, table: Sequence[Neighbour], now: float) -> None:
        """What the kernel's table says now: settles the addresses that are under way."""
        self._next_look = now + LOOK_EVERY
        self._since_look = 0
        self._occupied = sum(1 for entry in table if not _can_go(entry))
        for entry in table:
            address = address_of(entry.address)
            asked = self._asked.get(address)
            if asked is None:
                continue
            if entry.state & NeighbourState.REACHABLE and entry.mac and not entry.mac.unusable_as_source:
                self._answers.append(Answer(address, entry.mac, Source.NEIGHBOUR, now, None, False))
                self.answered += 1
                self._settle(address)
                if self._echo:
                    self._to_echo.append(address)
            elif entry.state & _UNSURE:
                asked.unsure = True
            elif entry.state & NeighbourState.FAILED and now - asked.at > 0.5:
                self._silent(address, asked, now)
        late = [(a, asked) for a, asked in self._asked.items() if now - asked.at > _patience(asked)]
        for address, asked in late:
            self._silent(address, asked, now)

    def echoed(self, replies: Iterable[tuple[float, IPv4Address]]) -> None:
        """Echo replies that came."""
        for at, address in replies:
            sent = self._echoed.pop(address_of(address), None)
            if sent is not None:
                self._answers.append(Answer(address_of(address), None, Source.ECHO, at, at - sent, False))
                continue
            heard = self._far.heard(address_of(address), at)
            if heard is not None and address_of(address) not in self._far_said:
                self._far_said.add(address_of(address))
                self.answered += 1
                if heard.rtt is not None:
                    self._waiting.measured(heard.rtt)
                self._answers.append(Answer(address_of(address), None, Source.ECHO, at, heard.rtt, False, heard.late))

    def _silent(self, address: Address, asked: _Asked, now: float) -> None:
        if address in self._expected and asked.tries < self._tries:
            asked.at = now
            self._again.append(address)
        else:
            self._settle(address)

    def _settle(self, address: Address) -> None:
        del self._asked[address]
        self.settled += 1

    def look_due(self, now: float) -> bool:
        """True when the table should be read again."""
        return self._under_way() and now >= self._next_look

    def _stuck(self, now: float) -> bool:
        """Somebody else fills the kernel's table for good: no address was nudged for STUCK_AFTER seconds."""
        return self._moved_at is not None and self._under_way() and now - self._moved_at > STUCK_AFTER

    def _under_way(self) -> bool:
        return bool(self._asked or self._again) or not self._exhausted

    def probes_left(self) -> int:
        """Addresses on the link that are not settled yet, and echoes still to be sent behind the gateway."""
        return self.unsettled() + (0 if self._far.done else self._far.probes_left())

    def unsettled(self) -> int:
        """Addresses on the link that are not settled yet."""
        return self._near_total - self.settled

    def take(self) -> list[Answer]:
        """The answers since the last call."""
        answers, self._answers = self._answers, []
        return answers

    def wake(self, now: float) -> float:
        """When to come again."""
        return self._next_look if self._under_way() else now + LOOK_EVERY

    def finished(self, now: float) -> bool:
        """True when every address is settled and no echo is awaited, or the table has shown no room for long."""
        if self._stuck(now):
            return True
        if not self._exhausted or self._asked or self._again or self._to_echo or not self._far.done:
            return False
        return not self._echoed or now > max(self._echoed.values()) + 1.0


def _can_go(entry: Neighbour) -> bool:
    """True for entries that the kernel drops when it needs room (neigh_forced_gc): failed ones, and stale old ones."""
    if entry.state & NeighbourState.FAILED:
        return True
    return bool(entry.state & NeighbourState.STALE) and entry.updated_ago > KEPT_STALE


def _patience(asked: _Asked) -> float:
    return GIVE_UP_STALE if asked.unsure else GIVE_UP
