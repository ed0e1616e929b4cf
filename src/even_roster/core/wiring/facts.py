"""What is known of switches and their ports where links are looked for, and what a link is. Pure."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from ..mac import MacNumber
from ..switches.reading import Neighbour


class Known(StrEnum):
    """How well a link is known, the best first. Only `inferred` is no word of anybody."""

    STATED = "stated"
    BOTH = "told by both"
    ONE = "told by one"
    INFERRED = "inferred"


RANKS = {known: rank for rank, known in enumerate(Known)}


@dataclass(frozen=True, slots=True)
class Plug:
    """One port: what it may be called by others (name, older name, description, number, MAC, number as a bridge's port), how it
    stands, who announces itself there, who was learnt there since when, and which bridge and port the spanning tree has at its
    other end (dot1dStpPortDesignatedBridge)."""

    id: int
    name: str
    text: str = ""
    alias: str = ""
    index: int = 0
    mac: MacNumber | None = None
    base: int | None = None
    up: bool = True
    tree: str = ""
    bundle: str = ""
    uplink: bool = False
    neighbours: tuple[Neighbour, ...] = ()
    macs: Mapping[MacNumber, int] = field(default_factory=dict)
    towards: tuple[MacNumber, int] | None = None


@dataclass(frozen=True, slots=True)
class Member:
    """One switch: what it is called, the MACs and addresses that are its own, when it was read last (ms), and its ports; a `router`
    passes no frames on."""

    id: int
    name: str
    own: frozenset[MacNumber]
    addresses: Collection[str] = ()
    learnt: int = 0
    plugs: tuple[Plug, ...] = ()
    router: bool = False


@dataclass(frozen=True, slots=True, order=True)
class End:
    """One end of a link: a port of a switch that is read. Without a port it is not known which; without a switch it is one that is
    not read, by what it calls itself."""

    switch: int
    port: int = 0
    called: str = ""


UNREAD = 0
"""The switch of an end that is not read; the port of an end that is not known."""


@dataclass(frozen=True, slots=True)
class Link:
    """What joins two ports, or more where something small that is not read hangs between. `members` are the pairs of ports of a
    bundle; `between`: something that no switch tells of hangs between."""

    ends: tuple[End, ...]
    known: Known
    reasons: tuple[str, ...] = ()
    members: tuple[tuple[int, int], ...] = ()
    between: bool = False

    @property
    def key(self) -> str:
        """What tells it from others and lasts: its ends."""
        return " ".join(f"{one.switch}.{one.port}{one.called}" for one in self.ends)

    @property
    def ports(self) -> frozenset[int]:
        """All its ports that are known, those of a bundle's members too."""
        return frozenset({one.port for one in self.ends if one.port} | {port for pair in self.members for port in pair})

    def at(self, switch: int) -> End | None:
        """Its end at a switch, None where it has none there."""
        return next((one for one in self.ends if one.switch == switch), None)


@dataclass(frozen=True, slots=True)
class Word:
    """What a hand says: two ports are joined, or are not."""

    one: int
    other: int
    joined: bool


def pair(one: int, other: int) -> tuple[int, int]:
    """Two ports, whichever comes first."""
    return (one, other) if one <= other else (other, one)
