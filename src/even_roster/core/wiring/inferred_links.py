"""Links that nobody tells of, found in forwarding tables: between two switches there is one way, so that each has whoever hangs
on the other behind one port. Pure.

Who hangs on a switch is who is learnt at its edge ports, and its own MACs. The told links make parts of which each is one way off
from any switch; all of a part say together behind which port it is, so that single MACs that are missing or lie are outvoted. Two
switches are joined where neither has a third one between: one that has both of them behind different ports.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ..mac import MacNumber
from .facts import End, Member


@dataclass(frozen=True, slots=True)
class Guess:
    """Two ports that are joined by what was learnt: how many speak for it at each end, and how many against."""

    one: End
    other: End
    here: int
    there: int
    against: int


class Parts:
    """Which switches hang together, put together bit by bit."""

    def __init__(self, count: int) -> None:
        self._at = list(range(count))

    def of(self, one: int) -> int:
        """The part that a switch is in."""
        while self._at[one] != one:
            self._at[one] = self._at[self._at[one]]
            one = self._at[one]
        return one

    def join(self, one: int, other: int) -> bool:
        """Put two parts together; False where they are one already."""
        one, other = self.of(one), self.of(other)
        self._at[other] = one
        return one != other


def guesses(
    members: Sequence[Member], joined: Sequence[tuple[int, int, int, int]], shut: frozenset[int]
) -> list[Guess]:
    """Links between parts that no told link joins, the surest first. `joined` are the told ones that forward, as switch, port,
    switch, port (0: not known); `shut` ports are those at whose other end it is told who is there."""
    places = {member.id: number for number, member in enumerate(members)}
    parts = Parts(len(members))
    around: dict[int, list[tuple[int, int]]] = defaultdict(list)
    for one, port, other, there in joined:
        if one in places and other in places and parts.join(places[one], places[other]):
            around[places[one]].append((port, places[other]))
            around[places[other]].append((there, places[one]))
    if len({parts.of(number) for number in range(len(members))}) < 2:
        return []
    ways = _Ways(members, around)
    found = []
    for number in range(len(members)):
        for port, behind in ways.behind[number].items():
            if port in shut:
                continue
            for other in _bits(behind & ~ways.beyond(number, behind)):
                there = ways.port[other].get(number, 0)
                if other < number or parts.of(other) == parts.of(number) or not there or there in shut:
                    continue
                mutual = ways.behind[other].get(there, 0)
                if not (mutual & ~ways.beyond(other, mutual)) >> number & 1:
                    continue
                here, back = ways.votes(number, other), ways.votes(other, number)
                against = sum(here.values()) - here[port] + sum(back.values()) - back[there]
                found.append(
                    Guess(
                        End(members[number].id, port), End(members[other].id, there), here[port], back[there], against
                    )
                )
    found.sort(key=lambda one: (one.against - min(one.here, one.there), -one.here - one.there, one.one))
    return [
        one for one in found
        if parts.join(places[one.one.switch], places[one.other.switch])
    ]  # fmt: skip


class _Ways:
    """Behind which port of each switch every other one is, by votes; masks of switches are whole numbers, a bit for each."""

    def __init__(self, members: Sequence[Member], around: Mapping[int, Sequence[tuple[int, int]]]) -> None:
        self._around = around
        self._count = len(members)
        self._votes = _votes(members)
        self.port: list[dict[int, int]] = []
        self.behind: list[dict[int, int]] = []
        for number in range(self._count):
            ports, behind = dict[int, int](), defaultdict[int, int](int)
            for part, mask, told in self._parts_without(number):
                total = Counter[int]()
                for other in part:
                    total.update(self._votes[number].get(other, {}))
                port = told or (total.most_common(1)[0][0] if total else 0)
                if port:
                    ports.update(dict.fromkeys(part, port))
                    behind[port] |= mask
            self.port.append(ports)
            self.behind.append(dict(behind))

    def _parts_without(self, number: int) -> list[tuple[list[int], int, int]]:
        """The parts that are left without a switch: who is in each, as a mask too, and the port towards it where that is told."""
        told = {other: port for port, other in self._around.get(number, ())}
        seen, found = {number}, []
        for begin in range(self._count):
            if begin in seen:
                continue
            seen.add(begin)
            part, mask, port = [begin], 1 << begin, told.get(begin, 0)
            for at in part:
                for _, other in self._around.get(at, ()):
                    if other not in seen:
                        seen.add(other)
                        part.append(other)
                        mask |= 1 << other
                        port = port or told.get(other, 0)
            found.append((part, mask, port))
        return found

    def beyond(self, number: int, behind: int) -> int:
        """Who of those behind a port of a switch has another one of them between: each of them has them behind other ports than the
        switch."""
        found = 0
        for third in _bits(behind):
            back = self.port[third].get(number)
            if back is not None:
                for port, mask in self.behind[third].items():
                    if port != back:
                        found |= mask
        return found

    def votes(self, number: int, other: int) -> Counter[int]:
        """How many of those that hang on another switch, or on what is told to hang on it, each port of a switch has."""
        total = Counter[int]()
        for part, _, _ in self._parts_without(number):
            if other in part:
                for one in part:
                    total.update(self._votes[number].get(one, {}))
        return total


def _votes(members: Sequence[Member]) -> list[dict[int, Counter[int]]]:
    """For each switch: behind which of its ports it has how many of those that hang on each other one."""
    hangs: dict[MacNumber, int | None] = {}
    for number, member in enumerate(members):
        for plug in member.plugs:
            if not plug.uplink:
                for mac in plug.macs:
                    hangs[mac] = number if mac not in hangs else None
    for number, member in enumerate(members):
        for mac in member.own:
            hangs[mac] = number
    found: list[dict[int, Counter[int]]] = []
    for number, member in enumerate(members):
        mine: dict[int, Counter[int]] = defaultdict(Counter)
        for plug in member.plugs:
            if plug.up:
                for mac in plug.macs:
                    other = hangs.get(mac)
                    if other is not None and other != number:
                        mine[other][plug.id] += 1
        found.append(mine)
    return found


def _bits(mask: int) -> list[int]:
    found = []
    while mask:
        low = mask & -mask
        found.append(low.bit_length() - 1)
        mask ^= low
    return found
