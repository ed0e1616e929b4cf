"""What follows from a frame that was only overheard: a question, and that it was heard; anybody can send it. Pure."""

from __future__ import annotations

from collections.abc import Iterable

from ..absence import HEARD
from ..address import Address, hostable
from ..mac import MacNumber
from ..stays import Source
from . import asking
from .model import HOUR, MINUTE
from .questions import STANDS
from .world import World

ASK_AGAIN = 10 * MINUTE
"""How long the last directed question for an address answers what is heard of it."""
ANSWERED_LATELY = HOUR
"""How long the last answer of a pair needs no other where it is heard."""


def saw(
    world: World, address: Address, mac: MacNumber | None, at: int, source: Source, link: str | None = None
) -> None:  # fmt: skip
    """A sighting of any source. `link` is the adapter whose own link it was made on, None for one through the gateway."""
    if source == Source.OVERHEARD:
        heard(world, address, mac, at, link)
        return
    held = world.holders.get(address, {}).get(mac)
    # What a server has leased to a device that answered there says nothing of whether it is there.
    if source is Source.LEASE and held is not None and held.answered:
        held.leased = max(held.leased, at)
        return
    claim = world.saw(address, mac, at, source, link)
    if link is not None:
        asking.answered(world, address, mac, at, source, link, claim=claim)


def heard(world: World, address: Address, mac: MacNumber | None, at: int, link: str | None) -> None:
    """A MAC was overheard as an address, on the link of an adapter (None: it is not known on which). Where that contradicts what is
    known, it is asked at once; else when there is room. A question that found no room is put again with the next frame."""
    world.passed(at)
    if mac is None or mac in world.own_macs or not hostable(address) or world.hearsay.just_now(address, mac, at):
        return
    holders = world.holders.get(address, {})
    held = holders.get(mac)
    if held is not None:
        held.heard = max(held.heard, at)
        if link is not None and not world.is_near(address):  # of an own link's address it is known where it is asked
            world.heard_on.setdefault(address, link)
        if held.silence is HEARD and at - held.last < ANSWERED_LATELY:
            return
        if held.silence is not HEARD:
            world.hearsay.heard_again(address, at)
            world.touch(address, mac)
    elif world.hearsay.heard(address, mac, at, link):
        world.touch(address, mac)
    if link is None:
        return
    beside = world.hearsay.beside(address, holders, world.now)
    again = asking.switched(world, address, mac, at, beside, world.hearsay.lines)
    if asking.contradicts(world, address, mac, at, holders):
        asking.want(world, address, news=again, stands=STANDS)
    elif again or world.now - world.questions.asked_at(address) >= ASK_AGAIN:
        world.questions.wonder(address, world.now)


def announced(world: World, addresses: Iterable[Address], mac: MacNumber, at: int) -> None:
    """A virtual router announced its addresses (RFC 5798 5.2). That is a claim, which anybody can make; it entitles nobody."""
    for address in addresses:
        if not world.announced.said(mac, address) and mac not in world.members.get(address, ()):
            asking.want(world, address)
        world.advert(address, mac, at)


def named(world: World, mac: MacNumber, name: str, at: int, *, overheard: bool) -> None:
    """A device told its own name. What was only overheard counts of those who have answered, or are known."""
    if not overheard or mac in world.places or mac in world.devices:
        world.told(mac, name, at, heard=overheard)
