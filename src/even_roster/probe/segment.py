"""Segment: the one door to a network, and what it can and cannot see.

Three implementations: `packet` (raw frames), `kernel` (no privileges) and the stand-in site. Whoever holds a
segment never asks which one it is, only what its `abilities` are.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import Enum
from ipaddress import IPv4Address, IPv4Network
from typing import Protocol, TypeVar

from ..core.adapters import Adapter
from ..core.mac import Mac

T = TypeVar("T")


class SegmentError(OSError):
    """The network cannot be used as asked; the message is a sentence for the user."""


@dataclass(frozen=True, slots=True)
class Abilities:
    """What is possible here. `limits` says in sentences what a scan through this door cannot see."""

    frames: bool
    echo: bool
    neighbours: bool
    limits: tuple[str, ...] = ()


class FrameDoor(Protocol):
    """Raw link-layer frames, used from one thread."""

    def send(self, frame: bytes) -> None:
        """Put one frame on the wire. Raises SegmentError when the link is gone."""

    def receive(self, timeout: float) -> Sequence[tuple[float, bytes]]:
        """Wait up to `timeout` seconds for frames; (time, frame) pairs on the clock of `now`."""

    def read_until(self) -> float:
        """Everything that arrived until this time, on the clock of `now`, was given out by `receive`."""

    def now(self) -> float:
        """Monotonic seconds."""

    def lost(self) -> int:
        """Frames lost since the last call, because nobody took them in time."""

    def close(self) -> None:
        """Give the door back; it may be called twice."""


@dataclass(frozen=True, slots=True)
class Neighbour:
    """One entry of the kernel's neighbour table; `state` as in NeighbourState, `updated_ago` in seconds."""

    address: IPv4Address
    mac: Mac | None
    state: int
    updated_ago: float


class NeighbourDoor(Protocol):
    """Makes the kernel resolve neighbours and reads what it found; used from one thread."""

    capacity: int

    def nudge(self, address: IPv4Address) -> bool:
        """Send something harmless so that the kernel asks for this neighbour; False when its table is full."""

    def echo(self, address: IPv4Address, sequence: int) -> bool:
        """Send an echo request where the system allows it; False where not."""

    def echoes(self) -> Sequence[tuple[float, IPv4Address]]:
        """Echo replies that have come since the last call: when, and from whom."""

    def table(self) -> Sequence[Neighbour]:
        """The neighbours of this adapter that the kernel knows now."""

    def wait(self, timeout: float) -> None:
        """Sleep, but no longer than until an echo reply comes."""

    def now(self) -> float:
        """Monotonic seconds."""

    def close(self) -> None:
        """Give the door back; it may be called twice."""


class Reached(Enum):
    """How a TCP connect ended: accepted, refused by the host itself, or nothing came back."""

    OPEN = "open"
    REFUSED = "refused"
    SILENT = "silent"


class Segment(Protocol):
    """The link this service is attached to through one adapter, and everything behind its gateway."""

    kind: str
    adapter: Adapter
    own_process: bool  # True when a sweep is better run in a process of its own, where nothing disturbs its pace

    def abilities(self) -> Abilities:
        """What this door can do, found out once by trying."""

    def frames(self) -> FrameDoor:
        """Open raw frames. Raises SegmentError when `abilities().frames` is False."""

    def frames_as(self, client: Mac) -> FrameDoor:
        """Open raw frames that let DHCP answers to a MAC through, whosever it is. Raises SegmentError as `frames`."""

    def arp_answers(self) -> FrameDoor:
        """Open raw frames that let ARP replies through and nothing else. Raises SegmentError as `frames`."""

    def listen(self) -> FrameDoor:
        """Open a door for what devices tell everybody. Raises SegmentError when `abilities().frames` is False."""

    def seek(self, macs: Sequence[Mac]) -> FrameDoor:
        """Open a door that lets through ARP, and everything that some MACs send. Raises SegmentError as `frames`."""

    def neighbours(self) -> NeighbourDoor:
        """Open the kernel's table. Raises SegmentError when `abilities().neighbours` is False."""

    async def datagram(
        self, to: IPv4Address, port: int, payload: bytes, accept: Callable[[bytes], T | None], *,
        answers_from: IPv4Address, timeout: float,
    ) -> T | None:  # fmt: skip
        """One UDP exchange: send, then the first datagram of `answers_from` that `accept` turns into a value.

        None when the time is up. `to` may be a multicast group, `answers_from` never.
        """

    async def stream(self, to: IPv4Address, port: int, timeout: float) -> Reached:
        """One TCP connection, opened and closed again at once."""

    async def close(self) -> None:
        """Give everything back."""


class Lender(Protocol):
    """Lends adapters addresses for a short time, which the system itself ends."""

    def why_not(self) -> str:
        """Why this process may not lend anything; empty where it may."""

    def routes(self) -> Sequence[IPv4Network]:
        """Every route of this machine but the default."""

    def lend(self, adapter: str, own: IPv4Address, device: IPv4Address, seconds: int) -> None:
        """Lend an adapter `own`, so that `device` is reached through it, for `seconds` from now. Raises SegmentError."""

    def take_back(self, adapter: str, own: IPv4Address, device: IPv4Address) -> None:
        """Take an address back; nothing happens where it is gone already. Raises SegmentError."""


class Machine(Protocol):
    """The computer the service runs on, real or simulated."""

    hostname: str
    simulated: bool

    def adapters(self) -> list[Adapter]:
        """Its adapters now, those with an address first."""

    def open(self, adapter: Adapter) -> Segment:
        """The best segment of an adapter that this account may use."""

    def lender(self) -> Lender:
        """What lends its adapters addresses."""

    def dhcp_control(self, name: str) -> Callable[[bytes], bytes] | None:
        """The control door of a simulated DHCP server; None on a real machine, whose servers have doors of their own."""
