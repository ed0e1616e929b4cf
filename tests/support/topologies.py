"""Generated switches and cables with a spanning tree and the tables that follow from them: what the wiring is looked for in. Built
without a look at how it is looked for."""

from __future__ import annotations

import random
from collections import deque
from dataclasses import dataclass, field, replace

from even_roster.core.mac import MacNumber
from even_roster.core.switches.reading import Neighbour
from even_roster.core.switches.uplinks import Behind, Told, verdicts
from even_roster.core.wiring.facts import Member, Plug

PORTS = 24
READ = 10_000_000


@dataclass
class Topology:
    """Cables between (switch, port) ends; `blocked` are those that the spanning tree shuts at their second end."""

    switches: int
    hosts: int
    cables: list[tuple[tuple[int, int], tuple[int, int]]] = field(default_factory=list)
    blocked: set[int] = field(default_factory=set)
    silent: set[int] = field(default_factory=set)

    @staticmethod
    def make(source: random.Random, shape: str, switches: int, hosts: int) -> Topology:
        """A tree, a ring with trees hanging on it, or a mesh."""
        made = Topology(switches, hosts)
        used: dict[int, int] = dict.fromkeys(range(switches), 0)

        def join(one: int, other: int) -> None:
            used[one] += 1
            used[other] += 1
            made.cables.append(((one, PORTS + used[one]), (other, PORTS + used[other])))

        begin = 1
        if shape == "ring" and switches > 2:
            size = source.randint(3, min(switches, 8))
            for number in range(size):
                join(number, (number + 1) % size)
            begin = size
        for number in range(begin, switches):
            join(source.randrange(max(0, number - 12), number), number)
        if shape == "mesh":
            for _ in range(max(1, switches // 5)):
                one, other = source.randrange(switches), source.randrange(switches)
                there = {frozenset((a[0], b[0])) for a, b in made.cables}
                if one != other and frozenset((one, other)) not in there:
                    join(one, other)
        made._tree()
        return made

    def _tree(self) -> None:
        """Which cables the spanning tree leaves open: the ways of breadth from switch 0."""
        seen, waiting, opened = {0}, deque([0]), set[int]()
        while waiting:
            at = waiting.popleft()
            for number, ends in enumerate(self.cables):
                for here, there in (ends, ends[::-1]):
                    if here[0] == at and there[0] not in seen:
                        seen.add(there[0])
                        opened.add(number)
                        waiting.append(there[0])
        self.blocked = set(range(len(self.cables))) - opened

    def members(self, source: random.Random, missing: float = 0.0) -> list[Member]:
        """What all switches tell, without a share of it; those that are silent neither send nor take announcements."""
        own = [MacNumber(0x02AA00000000 + number) for number in range(self.switches)]
        hosts = [(MacNumber(0x02BB00000000 + number), source.randrange(self.switches)) for number in range(self.hosts)]
        open_ones = [ends for number, ends in enumerate(self.cables) if number not in self.blocked]
        around: dict[int, list[tuple[int, int]]] = {number: [] for number in range(self.switches)}
        for one, other in open_ones:
            around[one[0]].append((one[1], other[0]))
            around[other[0]].append((other[1], one[0]))
        macs: dict[tuple[int, int], dict[MacNumber, int]] = {}

        def learn(switch: int, port: int, mac: MacNumber) -> None:
            if source.random() >= missing:
                macs.setdefault((switch, port), {})[mac] = 0

        ways = [self._ways(number, around) for number in range(self.switches)]
        for place, (mac, switch) in enumerate(hosts):
            for number in range(self.switches):
                learn(number, 1 + place % PORTS if number == switch else ways[number][switch], mac)
        for switch, mac in enumerate(own):
            for number in range(self.switches):
                if number != switch:
                    learn(number, ways[number][switch], mac)
        plugs = [
            {port: Plug(1000 * number + port, str(port), index=100 + port, base=port,
                        macs=macs.get((number, port), {})) for port in range(1, PORTS + 40)}
            for number in range(self.switches)
        ]  # fmt: skip
        for number, ends in enumerate(self.cables):
            for place, (here, there) in enumerate((ends, ends[::-1])):
                plug = plugs[here[0]][here[1]]
                shut = number in self.blocked
                if not {here[0], there[0]} & self.silent and source.random() >= missing:
                    said = Neighbour(plug.index, _text(own[there[0]]), str(there[1]), capabilities=("bridge",))
                    plug = replace(plug, neighbours=(said,))
                upwards = (shut and place == 1) or (not shut and here[0] != 0 and ways[here[0]][0] == here[1])
                if upwards and source.random() >= missing:
                    tree = "blocking" if shut else "root"
                    plug = replace(plug, tree=tree, towards=(own[there[0]], 0x8000 | there[1]))
                plugs[here[0]][here[1]] = plug
        told = [
            Told(f"switch-{number}", frozenset({own[number]}), {
                plug.id: Behind(plug.neighbours, frozenset(plug.macs), plug.tree) for plug in mine.values()
            })
            for number, mine in enumerate(plugs)
        ]  # fmt: skip
        found = verdicts(told)
        return [
            Member(number + 1, f"switch-{number}", frozenset({own[number]}), (), READ,
                   tuple(replace(plug, uplink=found[plug.id].uplink) for plug in mine.values()))
            for number, mine in enumerate(plugs)
        ]  # fmt: skip

    def _ways(self, begin: int, around: dict[int, list[tuple[int, int]]]) -> dict[int, int]:
        """Through which port of a switch each other one is reached."""
        found: dict[int, int] = {}
        waiting = deque((other, port) for port, other in around[begin])
        seen = {begin}
        while waiting:
            at, port = waiting.popleft()
            if at not in seen:
                seen.add(at)
                found[at] = port
                waiting.extend((other, port) for _, other in around[at])
        return found

    @property
    def joined(self) -> set[tuple[int, int]]:
        """The pairs of port ids that are joined."""
        return {
            (min(a, b), max(a, b))
            for a, b in ((1000 * one[0] + one[1], 1000 * other[0] + other[1]) for one, other in self.cables)
        }


def _text(mac: MacNumber) -> str:
    return ":".join(f"{mac:012x}"[place : place + 2] for place in range(0, 12, 2))
