"""Generated networks with a service, a gateway, a DHCP server, somebody who orders, and somebody who forges: what their switches say,
and who really reaches whom once cables are dead. Built without a look at how orders are judged."""

from __future__ import annotations

import random
from collections import deque
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace
from ipaddress import IPv4Address

from even_roster.core.address import Address
from even_roster.core.mac import MacNumber
from even_roster.core.switches.reading import Description, Learnt, Link, Neighbour, Port, Reading
from tests.support.topologies import PORTS, Topology

SHAPES = ("tree", "ring", "mesh")
FORGERIES = ("nothing", "telephone", "access point", "switch", "gateway's MAC", "switch's MAC", "answers", "everything")
OWN_INTERFACE = 900
Place = tuple[int, int]
"""A switch and a port of it, both by number from the topology."""
_FIRST = int(IPv4Address("10.44.10.0"))


@dataclass
class Network:
    """One of them. `places` is where each host is plugged in; `weak` are switches that are read without authentication, `lying` the one
    whose answers are forged."""

    seed: int
    source: random.Random = field(init=False)
    topology: Topology = field(init=False)
    places: dict[MacNumber, Place] = field(default_factory=dict)
    roles: dict[str, MacNumber] = field(default_factory=dict)
    weak: set[int] = field(default_factory=set)
    forgery: str = ""
    lying: int | None = None

    def __post_init__(self) -> None:
        source = self.source = random.Random(self.seed)
        self.topology = Topology.make(source, source.choice(SHAPES), source.randint(2, 6), source.randint(12, 24))
        for place, mac in enumerate(MacNumber(0x02BB00000000 + number) for number in range(self.topology.hosts)):
            shared = source.random() < 0.15 and self.places
            self.places[mac] = (
                source.choice(list(self.places.values()))
                if shared
                else (source.randrange(self.topology.switches), 1 + place % PORTS)
            )
        names = ("service", "gateway", "dhcp", "orderer", "forger")
        self.roles = dict(zip(names, source.sample(list(self.places), len(names)), strict=True))
        self.forgery = source.choice(FORGERIES)
        if source.random() < 0.3:
            self.weak = {number for number in range(self.topology.switches) if source.random() < 0.4}
        if self.forgery in ("answers", "everything") and self.weak:
            self.lying = source.choice(sorted(self.weak))

    def own(self, switch: int) -> MacNumber:
        """The MAC of a switch."""
        return MacNumber(0x02AA00000000 + switch)

    def address(self, switch: int) -> Address:
        """Where a switch is managed."""
        return Address(_FIRST + 100 + switch)

    # What switches say

    def readings(self, forged: bool) -> list[Reading]:
        """A reading of each switch; those that are `forged` are as the forger has made them."""
        tables = self._tables(forged)
        made = []
        for number in range(self.topology.switches):
            ports = [self._port(number, place) for place in range(1, PORTS + 40)]
            own = Port(OWN_INTERFACE, "management", mac=self.own(number), kind=6, link=Link.UP, wanted=Link.UP)
            around = tuple(self._around(number, forged))
            learnt = tuple(Learnt(mac, place) for place, macs in tables[number].items() for mac in sorted(macs))
            reading = Reading(
                Description(name=f"switch-{number}", up_ticks=1_000_000), (*ports, own), learnt, around, (), (), (self.address(number),),
                frozenset({self.own(number)}), addressed=frozenset({OWN_INTERFACE}),
            )  # fmt: skip
            if forged and number == self.lying:
                reading = self._lied(reading)
            made.append(reading)
        return made

    def _port(self, switch: int, place: int) -> Port:
        used = (switch, place) in self.places.values() or any((switch, place) in ends for ends in self.topology.cables)
        link = Link.UP if used else Link.DOWN
        tree = "forwarding"
        for number, ends in enumerate(self.topology.cables):
            if number in self.topology.blocked and ends[1] == (switch, place):
                tree = "blocking"
        return Port(place, str(place), kind=6, link=link, wanted=Link.UP, base=place, tree=tree)

    def _around(self, switch: int, forged: bool) -> list[Neighbour]:
        found = []
        for ends in self.topology.cables:
            for here, there in (ends, ends[::-1]):
                if here[0] == switch:
                    found.append(Neighbour(here[1], _text(self.own(there[0])), str(there[1]), capabilities=("bridge",)))
        at = self.places[self.roles["forger"]]
        if forged and at[0] == switch:
            said = {
                "telephone": ("bridge", "telephone"), "access point": ("bridge", "access point"), "switch": ("bridge",),
                "everything": ("bridge", "router", "telephone"),
            }.get(self.forgery)  # fmt: skip
            if said is not None:
                other = self.source.randrange(self.topology.switches)
                chassis = _text(self.own(other)) if self.forgery == "switch" else _text(self.roles["forger"])
                found.append(
                    Neighbour(at[1], chassis, str(self.source.randint(1, PORTS)), name="lobby", capabilities=said)
                )
        return found

    def _tables(self, forged: bool) -> list[dict[int, set[MacNumber]]]:
        ways = self._ways()
        tables: list[dict[int, set[MacNumber]]] = [{} for _ in range(self.topology.switches)]
        at = {**self.places, **{self.own(number): (number, 0) for number in range(self.topology.switches)}}
        moved = {
            "gateway's MAC": [self.roles["gateway"], self.roles["dhcp"]],
            "switch's MAC": [self.own(number) for number in range(self.topology.switches)],
            "everything": [self.roles["gateway"], self.roles["dhcp"], self.roles["orderer"], self.own(0)],
        }.get(self.forgery, [])  # fmt: skip
        for mac, place in at.items():
            for number in range(self.topology.switches):
                # A frame of the forger moves it where that came by; the next true frame moves it back.
                here = (
                    self.places[self.roles["forger"]]
                    if forged and mac in moved and self.source.random() < 0.7
                    else place
                )
                if here[0] != number:
                    tables[number].setdefault(ways[number][here[0]], set()).add(mac)
                elif here[1]:
                    tables[number].setdefault(here[1], set()).add(mac)
        return tables

    def _lied(self, reading: Reading) -> Reading:
        """What a forger answers in a switch's place: everybody is somewhere else, and nobody announces himself."""
        places = [one.port for one in reading.learnt]
        self.source.shuffle(places)
        learnt = tuple(replace(one, port=place) for one, place in zip(reading.learnt, places, strict=True))
        return replace(
            reading, learnt=learnt, neighbours=tuple(one for one in reading.neighbours if self.source.random() < 0.5)
        )

    def _ways(self) -> list[dict[int, int]]:
        around: dict[int, list[tuple[int, int]]] = {number: [] for number in range(self.topology.switches)}
        for number, (one, other) in enumerate(self.topology.cables):
            if number not in self.topology.blocked:
                around[one[0]].append((one[1], other[0]))
                around[other[0]].append((other[1], one[0]))
        return [self.topology._ways(number, around) for number in range(self.topology.switches)]

    # Who really reaches whom

    def cut_off(self, off: Collection[Place], ordered: Collection[int], asks: Collection[str]) -> list[str]:
        """Who of those that must stay is not reached from this service any more while some ports are off. Spanning trees open what
        they had shut."""
        reached = self._reached(off)
        found = [f"switch-{number}" for number in ordered if number not in reached]
        for who in asks:
            switch, port = self.places[self.roles[who]]
            if switch not in reached or (switch, port) in off:
                found.append(who)
        return found

    def _reached(self, off: Collection[Place]) -> set[int]:
        begin = self.places[self.roles["service"]]
        if begin in off:
            return set()
        around: Mapping[int, list[int]] = {number: [] for number in range(self.topology.switches)}
        for one, other in self.topology.cables:
            if one not in off and other not in off:
                around[one[0]].append(other[0])
                around[other[0]].append(one[0])
        found, waiting = {begin[0]}, deque([begin[0]])
        while waiting:
            for far in around[waiting.popleft()]:
                if far not in found:
                    found.add(far)
                    waiting.append(far)
        return found


def _text(mac: MacNumber) -> str:
    return ":".join(f"{mac:012x}"[place : place + 2] for place in range(0, 12, 2))
