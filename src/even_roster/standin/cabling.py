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


FLAP, FLAP_DOWN = 420.0, 20.0


@dataclass(frozen=True, slots=True)
class Cable:
    """Between two ports of switches; `blocked` is the end that the spanning tree keeps shut."""

    one: Socket
    other: Socket
    blocked: Socket | None = None


class Cabling:
    """The cables of one site. `version` grows with each change."""

    def __init__(self) -> None:
        self.switches: dict[str, Wired] = {}
        self.cables: list[Cable] = []
        self.sockets: dict[Mac, Socket] = {}
        self.says: dict[Mac, str] = {}
        self.turned: dict[Socket, float] = {}
        self.version = 0
        self._ways: tuple[int, dict[str, dict[str, int]]] = (-1, {})

    def add(self, host: Host, ports: int, vlans: tuple[int, ...]) -> Wired:
        """A switch."""
        self.switches[host.label] = wired = Wired(host, ports, vlans)
        self.version += 1
        return wired

    def join(self, one: Socket, other: Socket, blocked: Socket | None = None) -> None:
        """A cable between two switches."""
        self.cables.append(Cable(one, other, blocked))
        self.version += 1

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

    def cut(self, one: Socket, now: float) -> None:
        """Pull the cable between two switches at one of its ends; a blocked cable of the same ring opens."""
        gone = [cable for cable in self.cables if one in (cable.one, cable.other)]
        for cable in gone:
            self.cables.remove(cable)
            self.turned[cable.one] = self.turned[cable.other] = now
        self.cables = [Cable(cable.one, cable.other) if gone else cable for cable in self.cables]
        self.version += 1

    def around(self, label: str) -> dict[int, tuple[Socket, bool]]:
        """The other end of each cable of a switch by its port, and whether the own end is shut."""
        found = {}
        for cable in self.cables:
            for own, other in ((cable.one, cable.other), (cable.other, cable.one)):
                if own[0] == label:
                    found[own[1]] = other, cable.blocked == own
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
        shut = {cable.other if cable.blocked == cable.one else cable.one for cable in self.cables if cable.blocked}
        for port, (other, blocked) in self.around(label).items():
            if not blocked and (label, port) not in shut:
                yield port, (other, blocked)

    def flaps(self, socket: Socket, now: float) -> tuple[bool, float]:
        """Whether a port has its link by what goes wrong with it, and since when that is so."""
        wired = self.switches[socket[0]]
        turned = self.turned.get(socket, 0.0)
        if socket[1] not in wired.flapping:
            return True, turned
        begun = now // FLAP * FLAP
        return (False, begun) if now - begun < FLAP_DOWN else (True, begun + FLAP_DOWN)
