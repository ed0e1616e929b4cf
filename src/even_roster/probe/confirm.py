"""The directed second round: asks for a few addresses by ARP and notes every MAC that answers (RFC 826, RFC 5227 2.4).

Two MACs that answer one question within the same second are two devices at one address; nothing else proves it.
"""

from __future__ import annotations

import threading
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
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
_BURST = 4


@dataclass(slots=True)
class Round:
    """Who answered at each address so far, when each was asked, and after how many seconds it answered an only question: which of
    several is answered is not certain (RFC 6298 section 3). Times are those of the door."""

    macs: dict[Address, list[MacNumber]] = field(default_factory=lambda: defaultdict(list))
    asked: dict[Address, list[float]] = field(default_factory=lambda: defaultdict(list))
    took: dict[Address, float] = field(default_factory=dict)

    def answered(self, address: Address, mac: MacNumber, at: float) -> None:
        """An answer came."""
        asked, macs = self.asked.get(address, ()), self.macs[address]
        if not macs and len(asked) == 1:
            self.took[address] = max(at - asked[0], 0.0)
        if mac not in macs:
            macs.append(mac)


async def confirm(
    segment: Segment, addresses: Sequence[Address], patience: float = LISTEN, took: dict[Address, float] | None = None,
    apart: Mapping[Address, Sequence[MacNumber]] | None = None,
) -> dict[Address, tuple[MacNumber, ...]]:  # fmt: skip
    """Who answers for each of up to MOST addresses on the own link, waiting `patience` seconds for the last answer. With `took`,
    to which come the reply times that are certain, in seconds, nobody is asked again who has answered. Those who are named `apart`
    are asked by unicast too, in case a broadcast does not reach them. Raises SegmentError."""
    mac = segment.adapter.mac
    if mac is None:
        raise SegmentError(f"{segment.adapter.name} has no MAC to send from")
    door = segment.arp_answers()
    wanted = list(addresses[:MOST])
    heard = await work_on(
        door, lambda stop: _ask(door, mac, segment, wanted, apart or {}, stop, patience, again=took is None)
    )
    if took is not None:
        took.update(heard.took)
    return {address: tuple(heard.macs.get(address, ())) for address in wanted}


def _ask(
    door: FrameDoor, mac: Mac, segment: Segment, addresses: list[Address], apart: Mapping[Address, Sequence[MacNumber]],
    stop: threading.Event, patience: float, *, again: bool,
) -> Round:  # fmt: skip
    own = segment.adapter.addresses
    frames: list[list[bytes]] = []
    for address in addresses:
        mine = next((one.ip for one in own if IPv4Address(address) in one.network), None)
        target = IPv4Address(address)
        # From an own address of the subnet, so that hosts which ignore probes from 0.0.0.0 answer as well.
        question = arp.request(mac, mine, target) if mine is not None and mine != target else arp.probe(mac, target)
        to_some = [replace(question, destination=Mac(one)) for one in apart.get(address, ())]
        frames.append([ethernet.encode(one) for one in (question, *to_some)])
    heard = Round()
    began = door.now()
    for number in range(QUESTIONS):
        for place, (address, questions) in enumerate(zip(addresses, frames, strict=True)):
            if place % _BURST == 0:
                _listen(door, began + number * BETWEEN + place * _SPREAD, mac, heard, stop)
            if stop.is_set():
                return Round()
            if again or address not in heard.macs:
                for frame in questions:
                    heard.asked[address].append(door.now())
                    door.send(frame)
    _listen(door, door.now() + patience, mac, heard, stop)
    return heard


def _listen(door: FrameDoor, until: float, own: Mac, heard: Round, stop: threading.Event) -> None:
    while (left := until - door.now()) > 0 and not stop.is_set():
        for at, frame in door.receive(min(left, 0.1)):
            try:
                outer = ethernet.decode(frame)
                if outer.ethertype != ethernet.EtherType.ARP:
                    continue
                packet = arp.decode(outer.payload)
            except WireError:
                continue
            address = address_of(packet.sender_address)
            if packet.operation is not arp.Operation.REPLY or packet.target_mac != own or packet.sender_mac == own:
                continue  # an answer is a reply to us
            if packet.sender_mac.unusable_as_source or not heard.asked.get(address):
                continue  # and to a question of ours
            heard.answered(address, packet.sender_mac.value, at)
