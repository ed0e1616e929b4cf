"""How a simulated site is cabled: which host is plugged into which port of which switch, and how the switches hang together.
Cables can be moved and pulled while the site runs; whoever hangs behind a port follows from that."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from dataclasses import dataclass, field

from ..core.mac import Mac
from .hosts import Host

Socket = tuple[str, int]
"""A switch by its label, and the number of one of its ports."""


@dataclass(slots=True)
class Wired:
    """One switch: how many ports it has, what people wrote at some, and what goes wrong with some. A flapping port is without its
    link for FLAP_DOWN of every FLAP seconds."""

    host: Host
    ports: int
    vlans: tuple[int, ...]
    aliases: dict[int, str] = field(default_factory=dict)
    half: set[int] = field(default_factory=set)
    slow: dict[int, int] = field(default_factory=dict)
    flapping: set[int] = field(default_factory=set)
    damaged: set[int] = field(default_factory=set)
    powers: set[int] = field(default_factory=set)
    off: set[int] = field(default_factory=set)
    unpowered: set[int] = field(default_factory=set)


FLAP, FLAP_DOWN = 420.0, 20.0


@dataclass(frozen=True, slots=True)
class Cable:
    """Between two ports of switches."""

    one: Socket
    other: Socket


@dataclass(slots=True)
class Tree:
    """What the spanning tree makes of the cables: the root of each switch's part, the port towards it, and the ends that are
    shut."""

    roots: dict[str, str] = field(default_factory=dict)
    ways: dict[str, int] = field(default_factory=dict)
    shut: set[Socket] = field(default_factory=set)


class Cabling:
    """The cables of one site. `version` grows with each change; `loose` are cables to other switches of which one end hangs free,
    by what they are called, with the socket of the other end; `pulled` are hosts without a cable."""

    def __init__(self) -> None:
        self.switches: dict[str, Wired] = {}
        self.cables: list[Cable] = []
        self.sockets: dict[Mac, Socket] = {}
        self.says: dict[Mac, str] = {}
        self.turned: dict[Socket, float] = {}
        self.loose: dict[str, Socket] = {}
        self.pulled: dict[str, Host] = {}
        self.version = 0
        self._ways: tuple[int, dict[str, dict[str, int]]] = (-1, {})
        self._tree: tuple[int, Tree] = (-1, Tree())

    def add(self, host: Host, ports: int, vlans: tuple[int, ...]) -> Wired:
        """A switch."""
        self.switches[host.label] = wired = Wired(host, ports, vlans)
        self.version += 1
        return wired

    def join(self, one: Socket, other: Socket, now: float = 0.0) -> None:
        """A cable between two switches. Raises ValueError where one of the ports has one already."""
        for socket in (one, other):
            if self.taken(socket):
                raise ValueError(f"port {socket[1]} of {socket[0]} has a cable already")
        self.cables.append(Cable(one, other))
        if now:
            self.turned[one] = self.turned[other] = now
        self.version += 1

    def taken(self, socket: Socket) -> bool:
        """Whether a port has a cable to another switch."""
        return any(socket in (cable.one, cable.other) for cable in self.cables)

    def plug(self, mac: Mac, socket: Socket, says: str = "", now: float = 0.0) -> None:
        """Plug an adapter in, or move its cable; it `says` by LLDP what it is (telephone, access point), if anything."""
        before = self.sockets.get(mac)
        self.sockets[mac] = socket
        if says:
            self.says[mac] = says
        for turned in {before, socket} - {None}:
            assert turned is not None
            self.turned[turned] = now
        self.version += 1

    def pull(self, mac: Mac, now: float) -> None:
        """Pull an adapter's cable."""
        before = self.sockets.pop(mac, None)
        if before is not None:
            self.turned[before] = now
            self.version += 1

    def cut(self, one: Socket, now: float) -> Cable | None:
        """Pull the cable between two switches at one of its ends; what the spanning tree kept shut opens. Gives the cable."""
        gone = next((cable for cable in self.cables if one in (cable.one, cable.other)), None)
        if gone is not None:
            self.cables.remove(gone)
            self.turned[gone.one] = self.turned[gone.other] = now
            self.version += 1
        return gone

    def around(self, label: str) -> dict[int, tuple[Socket, bool]]:
        """The other end of each cable of a switch by its port, and whether the own end is shut."""
        shut, found = self.tree().shut, {}
        for cable in self.cables:
            for own, other in ((cable.one, cable.other), (cable.other, cable.one)):
                if own[0] == label and self._on(own) and self._on(other):
                    found[own[1]] = other, own in shut
        return found

    def _on(self, socket: Socket) -> bool:
        return socket[1] not in self.switches[socket[0]].off

    def tree(self) -> Tree:
        """The spanning tree (IEEE 802.1D 17): of each part the switch that was added first is the root; of two ways the one by
        the earlier switch is open."""
        if self._tree[0] != self.version:
            self._tree = self.version, self._grow()
        return self._tree[1]

    def _grow(self) -> Tree:
        found, opened = Tree(), set[Cable]()
        live = [cable for cable in self.cables if self._on(cable.one) and self._on(cable.other)]
        order = {label: place for place, label in enumerate(self.switches)}
        for begin in self.switches:
            if begin in found.roots:
                continue
            found.roots[begin] = begin
            waiting = deque([begin])
            while waiting:
                at = waiting.popleft()
                ends = sorted(
                    (order[other[0]], own[1], other, cable)
                    for cable in live for own, other in ((cable.one, cable.other), (cable.other, cable.one)) if own[0] == at
                )  # fmt: skip
                for _, _, other, cable in ends:
                    if other[0] not in found.roots:
                        found.roots[other[0]] = begin
                        found.ways[other[0]] = other[1]
                        opened.add(cable)
                        waiting.append(other[0])
        for cable in live:
            if cable not in opened:
                found.shut.add(max(cable.one, cable.other, key=lambda end: (order[end[0]], end[1])))
        return found

    def towards(self, label: str) -> dict[str, int]:
        """Through which port of a switch each other switch is reached."""
        if self._ways[0] != self.version:
            self._ways = self.version, {}
        if label not in self._ways[1]:
            self._ways[1][label] = self._reach(label)
        return self._ways[1][label]

    def _reach(self, label: str) -> dict[str, int]:
        found: dict[str, int] = {}
        waiting = deque[tuple[str, int]]()
        for port, (other, _) in self._open(label):
            waiting.append((other[0], port))
        while waiting:
            at, port = waiting.popleft()
            if at in found or at == label:
                continue
            found[at] = port
            waiting.extend((other[0], port) for _, (other, _) in self._open(at))
        return found

    def _open(self, label: str) -> Iterator[tuple[int, tuple[Socket, bool]]]:
        shut = self.tree().shut
        for port, (other, blocked) in self.around(label).items():
            if not blocked and other not in shut:
                yield port, (other, blocked)

    def flaps(self, socket: Socket, now: float) -> tuple[bool, float]:
        """Whether a port has its link by what goes wrong with it, and since when that is so."""
        wired = self.switches[socket[0]]
        turned = self.turned.get(socket, 0.0)
        if socket[1] not in wired.flapping:
            return True, turned
        begun = now // FLAP * FLAP
        return (False, begun) if now - begun < FLAP_DOWN else (True, begun + FLAP_DOWN)
