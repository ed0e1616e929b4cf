"""Asks the wire whether anybody holds an address: by ARP probes on the own link, by echo and connects behind it.

On the link: three probes from 0.0.0.0, PROBE_MIN apart, then ANNOUNCE_WAIT of listening (RFC 5227 2.1.1), for
many addresses at once. A second device that probes for the same address counts as an answer. Without raw frames the
kernel's own ARP is asked instead; behind the gateway only echo and TCP connects are possible, which prove less.
"""

from __future__ import annotations

import asyncio
import resource
import threading
from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address

from ..core.address import Address, address_of
from ..core.mac import Mac, MacNumber
from ..core.plan.proof import Asked, Heard
from ..core.span import Span, SpanSet
from ..core.stays import Source
from ..wire import arp, ethernet
from ..wire.errors import WireError
from .results import Result
from .scan import Scan, ScanOrder, Stage
from .segment import FrameDoor, Reached, Segment, SegmentError
from .sweep_engine import Answer

BY_ARP = "arp"
PROBES = 3
PROBE_MIN = 1.0
ANNOUNCE_WAIT = 1.0
_SPREAD = 0.003
_PORTS = (443, 80, 22, 445, 9100)
_CONNECT_TIMEOUT = 1.0
_FILES_OF_OTHERS = 500
MOST = 256
ASKED_AT_ONCE = 4
"""How many calls of `ask` there should be at a time."""


@dataclass(frozen=True, slots=True)
class WireWord:
    """What the wire said of one address; an echo was answered after `took` seconds."""

    asked: Asked
    heard: tuple[Heard, ...] = ()
    why_not: str = ""
    took: float | None = None


Progress = Callable[[float], None]


async def ask(
    segment: Segment, addresses: Sequence[Address], progress: Progress = lambda part: None
) -> dict[Address, WireWord]:
    """Ask for up to MOST addresses at once; `progress` gets the part done from 0 to 1. Never raises SegmentError."""
    onlink = segment.adapter.onlink
    near = [a for a in addresses if a in onlink]
    far = [a for a in addresses if a not in onlink]
    found: dict[Address, WireWord] = {}
    try:
        if near and segment.abilities().frames:
            found |= await _by_probes(segment, near, progress)
        elif near:
            found |= await _by_scan(segment, near, Asked.KERNEL)
        if far:
            found |= await _from_afar(segment, far)
    except SegmentError as error:
        for address in addresses:
            found.setdefault(address, WireWord(Asked.FAILED, why_not=str(error)))
    finally:
        await segment.close()
    return found


async def _by_probes(segment: Segment, addresses: Sequence[Address], progress: Progress) -> dict[Address, WireWord]:
    mac = segment.adapter.mac
    if mac is None:
        raise SegmentError(f"{segment.adapter.name} has no MAC to send from")
    stop = threading.Event()
    loop = asyncio.get_running_loop()

    def told(part: float) -> None:
        loop.call_soon_threadsafe(progress, part)

    door = segment.frames()
    work = asyncio.create_task(asyncio.to_thread(_probe, door, mac, addresses, stop, told))
    try:
        heard = await asyncio.shield(work)
    finally:
        stop.set()
        await asyncio.wait({work})
        door.close()
    return {address: WireWord(Asked.PROBES, tuple(heard.get(address, ()))) for address in addresses}


def _probe(
    door: FrameDoor, mac: Mac, addresses: Sequence[Address], stop: threading.Event, told: Progress
) -> dict[Address, list[Heard]]:
    """Send all probes and listen; ends early when every address was answered for."""
    frames = [(a, ethernet.encode(arp.probe(mac, IPv4Address(a)))) for a in addresses]
    wanted = set(addresses)
    heard: dict[Address, list[Heard]] = defaultdict(list)
    began = door.now()
    whole = (PROBES - 1) * PROBE_MIN + ANNOUNCE_WAIT
    sent: dict[Address, float] = {}
    """When each was asked last, by the clock after the sending: a machine that is late once must not be early the next time."""
    last = began
    for number in range(PROBES):
        for place, (address, frame) in enumerate(frames):
            due = began + number * PROBE_MIN + place * _SPREAD
            if address in sent:
                due = max(due, sent[address] + PROBE_MIN)
            _listen(door, due, mac, wanted, heard, stop)
            if stop.is_set():
                return heard
            if address not in heard:
                door.send(frame)
                sent[address] = last = door.now()
        told(min((door.now() - began) / whole, 0.99))
    _listen(door, last + ANNOUNCE_WAIT, mac, wanted, heard, stop)
    return heard


def _listen(
    door: FrameDoor,
    until: float,
    mac: Mac,
    wanted: set[Address],
    heard: dict[Address, list[Heard]],
    stop: threading.Event,
) -> None:
    while (left := until - door.now()) > 0 and not stop.is_set() and len(heard) < len(wanted):
        for _, frame in door.receive(min(left, 0.1)):
            if (found := _claim(frame, mac)) and found[0] in wanted and found[1] not in heard[found[0]]:
                heard[found[0]].append(found[1])
        for address in [a for a, claims in heard.items() if not claims]:
            del heard[address]


def _claim(frame: bytes, own: Mac) -> tuple[Address, Heard] | None:
    """Which address a frame claims, and for whom. Whatever claims it speaks against it (RFC 5227 2.1.1); only a reply to us is an
    answer."""
    try:
        outer = ethernet.decode(frame)
        if outer.ethertype != ethernet.EtherType.ARP:
            return None
        packet = arp.decode(outer.payload)
    except WireError:
        return None
    if packet.sender_mac == own or packet.sender_mac.unusable_as_source:
        return None
    if address_of(packet.sender_address):
        reply = packet.operation is arp.Operation.REPLY and packet.target_mac == own
        return address_of(packet.sender_address), Heard(packet.sender_mac.value, BY_ARP, overheard=not reply)
    if packet.operation is arp.Operation.REQUEST:
        return address_of(packet.target_address), Heard(packet.sender_mac.value, "its own arp probe")
    return None


class _Collect:
    """A sink that keeps what a small scan finds."""

    def __init__(self) -> None:
        self.heard: dict[Address, list[Heard]] = defaultdict(list)
        self.took: dict[Address, float] = {}

    async def found(self, results: list[Result], answers: list[Answer]) -> None:
        """See Sink.found."""
        for result in results:
            by = ", ".join((result.by & ~Source.SELF).words)
            self.heard[result.address] = [Heard(mac, by) for mac in result.macs] or [Heard(None, by)]
            if result.rtt_min is not None:
                self.took[result.address] = result.rtt_min / 1000

    async def stage(self, stage: Stage) -> None:
        """See Sink.stage."""


async def _by_scan(segment: Segment, addresses: Sequence[Address], asked: Asked) -> dict[Address, WireWord]:
    sink = _Collect()
    targets = SpanSet.of(Span.of_ints(a, a) for a in addresses)
    await Scan(segment, ScanOrder(targets, pace=200.0, names=False, ports=()), sink).run()
    return {a: WireWord(asked, tuple(sink.heard.get(a, ())), took=sink.took.get(a)) for a in addresses}


async def by_kernel(
    segment: Segment, addresses: Sequence[Address], took: dict[Address, float] | None = None
) -> dict[Address, tuple[MacNumber, ...]]:
    """Who answers the system's own ARP at each of some addresses on the own link, one MAC at most; to `took` come the times of
    echoes, in seconds. Raises SegmentError."""
    words = await _by_scan(segment, addresses, Asked.KERNEL)
    if took is not None:
        took.update((a, word.took) for a, word in words.items() if word.took is not None)
    return {
        a: tuple(one.mac for one in word.heard if one.mac is not None and "neighbour" in one.by)
        for a, word in words.items()
    }


async def _from_afar(segment: Segment, addresses: Sequence[Address]) -> dict[Address, WireWord]:
    gate = asyncio.Semaphore(_connects_at_once())
    found, reached = await asyncio.gather(
        _by_scan(segment, addresses, Asked.FAR), asyncio.gather(*(_connect(segment, a, gate) for a in addresses))
    )
    for address, accepted in zip(addresses, reached, strict=True):
        if accepted and not found[address].heard:
            found[address] = WireWord(Asked.FAR, (Heard(None, "connect"),))
    return found


def _connects_at_once() -> int:
    """To how many addresses connections are tried side by side: several questions at once leave room for files of others."""
    files = resource.getrlimit(resource.RLIMIT_NOFILE)[0]
    return max(min((files - _FILES_OF_OTHERS) // (len(_PORTS) * ASKED_AT_ONCE), MOST), 4)


async def _connect(segment: Segment, address: Address, gate: asyncio.Semaphore) -> bool:
    async with gate:
        outcomes = await asyncio.gather(
            *(segment.stream(IPv4Address(address), port, _CONNECT_TIMEOUT) for port in _PORTS)
        )
    return any(how is not Reached.SILENT for how in outcomes)
