"""The directed second round: asks for a few addresses by ARP and notes every MAC that answers (RFC 826, RFC 5227 2.4).

Two MACs that answer one question within the same second are two devices at one address; nothing else proves it.
"""

from __future__ import annotations

import threading
from collections import defaultdict
from collections.abc import Sequence
from ipaddress import IPv4Address

from ..core.address import Address, address_of
from ..core.mac import Mac, MacNumber
from ..wire import arp, ethernet
from ..wire.errors import WireError
from .door_work import work_on
from .segment import FrameDoor, Segment, SegmentError

QUESTIONS = 3
BETWEEN = 0.2
LISTEN = 0.4
MOST = 256
_SPREAD = 0.002


async def confirm(
    segment: Segment, addresses: Sequence[Address], patience: float = LISTEN
) -> dict[Address, tuple[MacNumber, ...]]:  # fmt: skip
    """Who answers for each of up to MOST addresses on the own link, waiting `patience` seconds for the last answer.
    Raises SegmentError."""
    mac = segment.adapter.mac
    if mac is None:
        raise SegmentError(f"{segment.adapter.name} has no MAC to send from")
    door = segment.arp_answers()
    return await work_on(door, lambda stop: _ask(door, mac, segment, list(addresses[:MOST]), stop, patience))


def _ask(
    door: FrameDoor, mac: Mac, segment: Segment, addresses: list[Address], stop: threading.Event, patience: float
) -> dict[Address, tuple[MacNumber, ...]]:
    own = segment.adapter.addresses
    frames = []
    for address in addresses:
        mine = next((one.ip for one in own if IPv4Address(address) in one.network), None)
        target = IPv4Address(address)
        # From an own address of the subnet, so that hosts which ignore probes from 0.0.0.0 answer as well.
        question = arp.request(mac, mine, target) if mine is not None and mine != target else arp.probe(mac, target)
        frames.append(ethernet.encode(question))
    answered: dict[int, list[MacNumber]] = defaultdict(list)
    began = door.now()
    for number in range(QUESTIONS):
        for place, frame in enumerate(frames):
            _listen(door, began + number * BETWEEN + place * _SPREAD, mac, answered, stop)
            if stop.is_set():
                return {}
            door.send(frame)
    _listen(door, door.now() + patience, mac, answered, stop)
    return {address: tuple(answered.get(address, ())) for address in addresses}


def _listen(
    door: FrameDoor, until: float, own: Mac, answered: dict[int, list[MacNumber]], stop: threading.Event
) -> None:  # fmt: skip
    while (left := until - door.now()) > 0 and not stop.is_set():
        for _, frame in door.receive(min(left, 0.1)):
            try:
                outer = ethernet.decode(frame)
                if outer.ethertype != ethernet.EtherType.ARP:
                    continue
                packet = arp.decode(outer.payload)
            except WireError:
                continue
            if packet.operation is not arp.Operation.REPLY or packet.announcement or packet.sender_mac == own:
                continue
            if packet.sender_mac.unusable_as_source:
                continue
            macs = answered[address_of(packet.sender_address)]
            if packet.sender_mac.value not in macs:
                macs.append(packet.sender_mac.value)
