"""Whether a device that answers ARP for many addresses has them or stands in for others (proxy ARP, RFC 1027).

An echo is sent to its MAC for each address. Who has the address answers with a whole time to live; who stands in passes the packet
on: what comes back has a shorter one, or is its word that nobody is there (ICMP destination unreachable, RFC 792). Silence says
nothing.
"""

from __future__ import annotations

import random
import threading
from collections.abc import Sequence
from ipaddress import IPv4Address

from ..core.address import Address, address_of
from ..core.mac import Mac
from ..wire import ethernet, icmp, ipv4
from ..wire.errors import WireError
from .door_work import work_on
from .segment import FrameDoor, Segment, SegmentError
from .templates import EchoTemplate

WAIT = 4.0
MOST = 8
WHOLE = frozenset({32, 64, 128, 255})
"""The times to live that packets begin with on systems in use."""


async def ask(segment: Segment, mac: Mac, addresses: Sequence[Address], wait: float = WAIT) -> dict[int, bool]:
    """For each of up to MOST addresses that told something: True when the MAC stands in for it, False when it has it itself.
    Raises SegmentError."""
    own = segment.adapter.mac
    if own is None:
        raise SegmentError(f"{segment.adapter.name} has no MAC to send from")
    door = segment.frames()
    return await work_on(door, lambda stop: _ask(door, segment, own, mac, list(addresses[:MOST]), wait, stop))


def _ask(
    door: FrameDoor, segment: Segment, own: Mac, mac: Mac, addresses: list[Address], wait: float, stop: threading.Event
) -> dict[int, bool]:  # fmt: skip
    told: dict[int, bool] = {}
    identifier = random.randrange(1, 1 << 16)
    for address in addresses:
        mine = next((one.ip for one in segment.adapter.addresses if IPv4Address(address) in one.network), None)
        if mine is not None:
            door.send(EchoTemplate(own, mine, identifier, 1).frame(address, mac.to_bytes()))
    until = door.now() + wait
    while (left := until - door.now()) > 0 and len(told) < len(addresses) and not stop.is_set():
        for _, frame in door.receive(min(left, 0.1)):
            found = _told(frame, mac, identifier)
            if found is not None and found[0] in addresses:
                told.setdefault(*found)
    return told


def _told(frame: bytes, mac: Mac, identifier: int) -> tuple[int, bool] | None:
    """What one frame says of an address."""
    try:
        outer = ethernet.decode(frame)
        if outer.ethertype != ethernet.EtherType.IPV4 or outer.source != mac:
            return None
        packet = ipv4.decode(outer.payload)
        if packet.protocol != ipv4.Protocol.ICMP:
            return None
        message = icmp.decode(packet.payload)
        if isinstance(message, icmp.Echo):
            ours = message.reply and message.identifier == identifier
            return (address_of(packet.source), packet.ttl not in WHOLE) if ours else None
        if not isinstance(message, icmp.Unreachable):
            return None
        # The original is cut off (RFC 792): its header is there, its length does not fit.
        destination = int.from_bytes(message.original[16:20], "big")
        return destination, address_of(packet.source) != destination
    except WireError:
        return None
