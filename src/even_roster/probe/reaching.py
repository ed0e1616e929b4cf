"""What comes back for a few echoes to one address: replies with their times, and the words of routers and firewalls on the way.

An ICMP error (RFC 792, RFC 1812 4.3) is believed only when the packet that it encloses is one of ours: sent to that address with
the identifier that was drawn for this question. Who cannot see our packets has to guess it among 65,535, within seconds.
"""

from __future__ import annotations

import random
import threading
from dataclasses import dataclass
from ipaddress import IPv4Address

from ..core.address import Address, address_of
from ..core.mac import Mac
from ..wire import ethernet, icmp, ipv4
from ..wire.errors import WireError
from .door_work import work_on
from .segment import FrameDoor, Segment, SegmentError
from .templates import EchoTemplate

ECHOES = 5
ENOUGH = 3
EVERY = 0.4
WAIT = 3.0
MOST_ERRORS = 8


@dataclass(frozen=True, slots=True)
class Reply:
    """An echo came back from `source`, sent by `mac`, after so many seconds."""

    source: Address
    mac: Mac
    after: float


@dataclass(frozen=True, slots=True)
class Word:
    """Somebody on the way said why it cannot be reached: who (its address and the MAC it came through), ICMP type and code."""

    source: Address
    mac: Mac
    kind: int
    code: int


@dataclass(frozen=True, slots=True)
class Came:
    """Everything that came back, in order."""

    replies: tuple[Reply, ...] = ()
    words: tuple[Word, ...] = ()


async def ask(segment: Segment, hop: Mac, address: Address, wait: float = WAIT) -> Came:
    """Send up to ECHOES echoes for an address to a next hop and listen: until ENOUGH answers or words came, or `wait` seconds after
    the last. One in five may get lost on the way, and a host that answers is still not taken for one that drops echo. Raises
    SegmentError."""
    own = segment.adapter.mac
    mine = next((one.ip for one in segment.adapter.addresses if IPv4Address(address) in one.network), None)
    mine = mine or next((one.ip for one in segment.adapter.addresses), None)
    if own is None or mine is None:
        raise SegmentError(f"{segment.adapter.name} has no MAC or address to send from")
    door = segment.frames()
    return await work_on(door, lambda stop: _ask(door, own, mine, hop, address, wait, stop))


def _ask(
    door: FrameDoor, own: Mac, mine: IPv4Address, hop: Mac, address: Address, wait: float, stop: threading.Event
) -> Came:  # fmt: skip
    identifier = random.randrange(1, 1 << 16)
    sent: dict[int, float] = {}
    replies: dict[int, Reply] = {}
    words: list[Word] = []
    until = door.now() + wait
    while not stop.is_set() and len(replies) + len(words) < ENOUGH:
        now = door.now()
        if len(sent) < ECHOES and now >= len(sent) * EVERY + (min(sent.values()) if sent else now):
            number = len(sent) + 1
            sent[number] = now
            door.send(EchoTemplate(own, mine, identifier, number).frame(address, hop.to_bytes()))
            until = now + wait
        if now >= until:
            break
        for _, frame in door.receive(min(until - now, 0.1)):
            found = read(frame, address, identifier)
            if isinstance(found, Word) and len(words) < MOST_ERRORS:
                words.append(found)
            elif isinstance(found, tuple) and found[0] in sent:
                number, source, mac = found
                replies.setdefault(number, Reply(source, mac, door.now() - sent[number]))
    return Came(tuple(replies.values()), tuple(dict.fromkeys(words)))


def read(frame: bytes, address: Address, identifier: int) -> Word | tuple[int, Address, Mac] | None:
    """What one frame says of echoes to an address: a word from the way, or (sequence, source, MAC) of a reply."""
    try:
        outer = ethernet.decode(frame)
        if outer.ethertype != ethernet.EtherType.IPV4:
            return None
        packet = ipv4.decode(outer.payload)
        if packet.protocol != ipv4.Protocol.ICMP:
            return None
        message = icmp.decode(packet.payload)
    except WireError:
        return None
    if isinstance(message, icmp.Echo):
        ours = message.reply and message.identifier == identifier and address_of(packet.source) == address
        return (message.sequence, address_of(packet.source), outer.source) if ours else None
    kind = icmp.IcmpType.UNREACHABLE if isinstance(message, icmp.Unreachable) else icmp.IcmpType.TIME_EXCEEDED
    return (
        Word(address_of(packet.source), outer.source, kind, message.code)
        if _ours(message.original, address, identifier)
        else None
    )


def _ours(original: bytes, address: Address, identifier: int) -> bool:
    """True when the head of a packet that an error encloses is one of our echoes; its length need not fit (RFC 792)."""
    if len(original) < 28 or original[0] >> 4 != 4:
        return False
    start = (original[0] & 15) * 4
    echo = original[start : start + 8]
    return (
        original[9] == ipv4.Protocol.ICMP
        and int.from_bytes(original[16:20], "big") == address
        and len(echo) == 8
        and echo[0] == icmp.IcmpType.ECHO_REQUEST
        and int.from_bytes(echo[4:6], "big") == identifier
    )
