"""Asks who hands out addresses: one DISCOVER with a fresh random MAC, never a REQUEST, all offers collected (RFC 2131).

Servers put the offered address aside for a moment and forget it again; no lease is ever taken. The answer is asked for as
a broadcast, because nobody has the made-up MAC. The question goes out at once and, if nobody answered, twice more.
"""

from __future__ import annotations

import asyncio
import random
import threading
from collections.abc import Callable
from dataclasses import dataclass

from ..core.address import Address, address_of
from ..core.findings.offers import Offer
from ..core.mac import BROADCAST, Mac, MacNumber
from ..wire import dhcp, ethernet
from ..wire.dhcp import Kind, Message, Option
from ..wire.errors import WireError
from .door_work import work_on
from .segment import FrameDoor, Segment

WAIT = 4.0
LEAST_WAIT, MOST_WAIT = 0.5, 60.0
_WISHES = bytes((1, 3, 6, 12, 15, 26, 28, 33, 42, 43, 44, 51, 54, 58, 59, 66, 67, 114, 119, 121, 150))
_MOST_OFFERS = 64


@dataclass(frozen=True, slots=True)
class OfferHeard:
    """An offer: the message, the sender's MAC and address on this link, seconds after the first question."""

    message: Message
    mac: Mac
    after: float
    offer: Offer


def offer_of(message: Message, mac: Mac) -> Offer | None:
    """An OFFER or ACK as a value; None for other messages and those that name no server (RFC 2132 9.7)."""
    server = message.address(Option.SERVER)
    if not message.reply or message.kind not in (Kind.OFFER, Kind.ACK) or server is None:
        return None
    mask = message.address(Option.MASK)
    return Offer(
        address_of(server), mac.value, address_of(message.relay), address_of(message.yours),
        int(mask) if mask is not None else None, _several(message, Option.ROUTERS), _several(message, Option.DNS),
        message.text(Option.DOMAIN), _several(message, Option.NTP),
        message.number(Option.LEASE_TIME),
    )  # fmt: skip


def random_mac(source: random.Random) -> Mac:
    """A locally administered unicast MAC (IEEE 802c: the part that anybody may make up)."""
    return Mac(MacNumber(source.getrandbits(48) & ~(0xF << 40) | (0x2 << 40)))


async def ask(
    segment: Segment, wait: float = WAIT, progress: Callable[[float], None] = lambda part: None,
    source: random.Random | None = None, client: Mac | None = None, ours: bool = False,
) -> list[OfferHeard]:  # fmt: skip
    """Collect offers for `wait` seconds; in the order in which they came. Without `client` the question comes from a MAC that is
    made up for it. With `ours` its frames bear our own MAC, as they must where the client is a device of the site: switches believe
    that whoever's MAC they see stands where it came from. Raises SegmentError without raw frames."""
    source = source or random.Random()
    mac = client or random_mac(source)
    door = segment.frames_as(mac)
    loop = asyncio.get_running_loop()

    def told(part: float) -> None:
        loop.call_soon_threadsafe(progress, part)

    # Access points drop frames from a MAC that is not signed in with them; on a cable some switches drop those whose two
    # MACs differ.
    own = segment.adapter.mac if ours or segment.adapter.medium == "wireless" else None
    sender = own or mac
    transaction = source.getrandbits(32)
    return await work_on(door, lambda stop: _collect(door, mac, sender, transaction, wait, stop, told))


def _collect(
    door: FrameDoor, mac: Mac, sender: Mac, transaction: int, wait: float, stop: threading.Event,
    told: Callable[[float], None],
) -> list[OfferHeard]:  # fmt: skip
    found: dict[tuple[int, int, int], OfferHeard] = {}
    began = door.now()
    questions = [began + wait * part for part in (0.0, 0.3, 0.6)]
    while (now := door.now()) - began < wait and not stop.is_set():
        if questions and now >= questions[0]:
            questions.pop(0)
            if not found:
                door.send(_discover(mac, sender, transaction, round(now - began)))
        for at, frame in door.receive(0.1):
            heard = _offer(frame, mac, transaction, at - began)
            if heard is not None and len(found) < _MOST_OFFERS:
                found.setdefault((heard.offer.server, heard.offer.address, heard.mac.value), heard)
        told(min((now - began) / wait, 0.99))
    return sorted(found.values(), key=lambda one: one.after)


def _discover(mac: Mac, sender: Mac, transaction: int, seconds: int) -> bytes:
    options = ((Option.CLIENT_ID, b"\1" + mac.to_bytes()), (Option.PARAMETERS, _WISHES))
    message = Message(
        False, transaction, mac, Kind.DISCOVER, seconds=seconds, broadcast=True, options=options
    )  # fmt: skip
    return dhcp.frame(message, sender, BROADCAST)


def _offer(frame: bytes, mac: Mac, transaction: int, after: float) -> OfferHeard | None:
    try:
        message = dhcp.of_frame(frame)
        if (
            message is None
            or message.transaction != transaction
            or message.mac != mac
            or message.kind is not Kind.OFFER
        ):
            return None
        sender = ethernet.decode(frame).source
    except WireError:
        return None
    offer = offer_of(message, sender)
    return OfferHeard(message, sender, max(after, 0.0), offer) if offer is not None else None


def _several(message: Message, option: Option) -> tuple[Address, ...]:
    return tuple(address_of(one) for one in message.addresses(option))
