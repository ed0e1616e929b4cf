"""Who claims an address now, and what that comes to: one account for findings, explanations and whoever else asks. Pure.

A claimant answered for the address, was silent when asked last, or was only heard to claim it. Who may hold an address follows
from people and from servers that we read (see `entitled`); what a device says of itself is shown as evidence and takes nothing from
anybody. `read` gives every case its reading; times are UTC ms on the world's clock.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import Enum

from ..absence import ASKED_BY_ARP, HEARD
from ..address import Address
from ..mac import MacNumber
from ..plan.model import AssignmentKind
from .entitled import claims_of_routers, entitled, gateway_mac, parties, same_device, stands_in_for
from .hearsay import Heard
from .model import DAY, SECOND
from .world import World

FRESH = 6 * SECOND
"""How long a claim that was only heard counts after its last frame, at least."""
INTERVALS = 3
LONGEST = 90 * SECOND
NOT_ASKED = 8 * SECOND
"""Who has been heard for so long without having been asked for there is not going to be: asking is switched off."""


class How(Enum):
    """How it is known that somebody claims an address."""

    TOGETHER = "answered"
    """It answered in the last directed round."""
    ANSWERED = "answered lately"
    """It answered within the day, and no look since found it gone."""
    SILENT = "silent"
    """It answered there, and did not when it was asked since."""
    HEARD = "heard"
    """It was heard to claim the address lately, and has not answered there."""


@dataclass(frozen=True, slots=True)
class Claimant:
    """A MAC that claims an address: how that is known, since when, when it answered or was heard last, whether it may hold it, and
    whether it is proven to answer for others."""

    mac: MacNumber
    how: How
    since: int
    last: int
    may: bool
    for_others: bool


class Reading(Enum):
    """What the claims on an address come to."""

    UNUSED = "nobody claims it"
    GONE = "who held it does not answer there now"
    HELD = "one device holds it"
    APART = "adapters or members that belong together hold it"
    LATELY = "several answered there lately, and not together"
    DUPLICATE = "several devices answer for it"
    TAKEN_OVER = "another device answers while its owner is silent"
    NOT_IN_EFFECT = "another device answers than the plan has there"
    GATEWAY_CHANGED = "another device answers for the gateway"
    FOR_OTHERS = "one that stands in for others answers for it"
    CLAIMED = "another device was heard to claim it and does not answer there"


def claimants(world: World, address: Address) -> tuple[Claimant, ...]:
    """Everybody who claims an address, those that answer first. This machine's own MACs claim its own addresses alone."""
    own, found = address in world.own_addresses, []
    by_word = claims_by_word(world, address)
    confirmed = world.confirmed.get(address)
    together = confirmed[1] if confirmed is not None else ()
    for mac, held in world.holders.get(address, {}).items():
        if mac is None or not held.answered or (mac in world.own_macs and not own) or mac in by_word:
            continue
        if mac in together:
            how = How.TOGETHER
        elif world.is_present(address, held):
            how = How.ANSWERED
        else:
            how = How.SILENT
        for_others = stands_in_for(world, mac, address)
        found.append(Claimant(mac, how, held.first, held.last, entitled(world, address, mac), for_others))
    for mac in together:
        if all(one.mac != mac for one in found) and (mac not in world.own_macs or own) and confirmed is not None:
            may = entitled(world, address, mac)
            found.append(
                Claimant(mac, How.TOGETHER, confirmed[0], confirmed[0], may, stands_in_for(world, mac, address))
            )
    for mac, one in by_word.items():
        if all(mac != other.mac for other in found) and mac not in world.own_macs:
            found.append(Claimant(mac, How.HEARD, one.first, one.last, entitled(world, address, mac), False))
    order = list(How)
    return tuple(sorted(found, key=lambda one: (order.index(one.how), -one.last, one.mac)))


def claims_by_word(world: World, address: Address) -> dict[MacNumber, Heard]:
    """Who was heard as an address so lately that it counts, and does not answer there: within FRESH, or a few times as long as it
    usually takes it to speak again. One that answered there before and is silent now may be among them."""
    found = {
        mac: one
        for mac, one in world.hearsay.at(address, world.now, LONGEST).items()
        if world.now - one.last <= max(FRESH, min(INTERVALS * one.every, LONGEST))
    }
    confirmed = world.confirmed.get(address, (0, ()))[1]
    for mac, held in world.holders.get(address, {}).items():
        gone = mac is not None and mac not in confirmed and not world.is_present(address, held)
        if mac is not None and gone and held.heard > held.last and world.now - held.heard <= FRESH:
            found[mac] = Heard(held.heard, held.heard, 1, None)
    return found


def answering(world: World, address: Address, found: Sequence[Claimant]) -> list[list[MacNumber]]:
    """Those that answer now by the last directed round, in parties: adapters of one device and members of one router group belong
    together. Without a round since the service began nobody is known to answer now."""
    return parties(world, address, [one.mac for one in found if one.how is How.TOGETHER])


def read(world: World, address: Address) -> Reading:
    """What the claims on an address come to."""
    found = claimants(world, address)
    if address in world.own_addresses:
        others = [one for one in found if one.mac not in world.own_macs]
        if any(one.how is How.TOGETHER for one in others):
            return Reading.DUPLICATE
        return Reading.CLAIMED if any(one.how is How.HEARD for one in others) else Reading.HELD
    strange = [one for one in found if one.how is How.HEARD and not one.may]
    there = answering(world, address, found)
    if world.is_gateway(address) and gateway_mac(world, address) is not None:
        if any(not one.may for one in found if one.how is How.TOGETHER or answered_since(world, address, one)):
            return Reading.GATEWAY_CHANGED
        if strange:
            return Reading.CLAIMED
    elif len(there) > 1:
        return Reading.DUPLICATE
    if not world.is_gateway(address) and (told := _alone(world, address, found, there)) is not None:
        return told
    strange = [one for one in strange if insists(world, address, one.mac)]
    if strange and (there or any(one.how is not How.HEARD for one in found) or belongs(world, address)):
        return Reading.CLAIMED
    if there:
        return Reading.APART if len(there[0]) > 1 else Reading.HELD
    lately = [one.mac for one in found if one.how is How.ANSWERED]
    if lately:
        return Reading.HELD if len(parties(world, address, lately)) == 1 else Reading.LATELY
    return Reading.GONE if any(one.how is How.SILENT for one in found) else Reading.UNUSED


def duplicated(world: World, address: Address) -> bool:
    """True when several devices answer for an address."""
    found = world.confirmed.get(address)
    return found is not None and len(found[1]) > 1 and read(world, address) is Reading.DUPLICATE


def contested(world: World, address: Address) -> tuple[MacNumber, ...]:
    """Who answers for an address by the last directed round, where several claim it that do not belong together; else nobody. This
    machine's own MACs are not among them."""
    macs = world.confirmed.get(address, (0, ()))[1]
    alone = len(macs) < (1 if address in world.own_addresses else 2)
    return () if alone or read(world, address) not in (Reading.DUPLICATE, Reading.GATEWAY_CHANGED) else tuple(macs)


def contested_within(world: World, first: Address, last: Address) -> set[Address]:
    """The addresses of a span that several claim."""
    return {address for address in world.confirmed if first <= address <= last and contested(world, address)}


def belongs(world: World, address: Address) -> bool:
    """True for an address that the plan or a running lease gives to somebody."""
    return world.planned(address) is not None or world.leased.active(address) is not None


def insists(world: World, address: Address, mac: MacNumber) -> bool:
    """True for a MAC that was heard to claim an address again after it had been asked without an answer, or where nothing is asked:
    whoever spoke once and was gone when it was asked claims nothing any more."""
    held = world.holders.get(address, {}).get(mac)
    if held is not None and held.answered:
        return held.silence is not HEARD and held.heard > held.silence.first
    one = world.hearsay.at(address, world.now).get(mac)
    if one is None:
        return False
    return one.asked < one.last if one.asked else one.last - one.first >= NOT_ASKED


def answered_since(world: World, address: Address, one: Claimant) -> bool:
    """True when somebody answered after the last directed round, and lately."""
    at = world.confirmed.get(address, (0, ()))[0]
    return one.how is How.ANSWERED and one.last > at and world.now - one.last <= 30 * SECOND


def _alone(
    world: World, address: Address, found: Sequence[Claimant], there: Sequence[Sequence[MacNumber]]
) -> Reading | None:
    """What it is when one party alone answers and may not hold the address; None when it may, or nobody else is missed."""
    item = world.planned(address)
    if item is not None and item.mac is not None and item.kind is AssignmentKind.STATIC:
        held = [one for one in found if one.how in (How.TOGETHER, How.ANSWERED) and not one.for_others]
        return Reading.NOT_IN_EFFECT if held and not any(one.may for one in held) else None
    who = [one for one in found if there and one.mac in there[0]]
    if not who or any(one.may for one in who):
        return None
    if all(one.for_others for one in who):
        return Reading.FOR_OTHERS
    return Reading.TAKEN_OVER if silent_owner(world, address, there[0]) is not None else None


def silent_owner(
    world: World, address: Address, there: Sequence[MacNumber]
) -> tuple[MacNumber, str, int | None] | None:
    """Whose address it is though others answer there: MAC, how that is known, when it was there last."""
    holders = world.holders.get(address, {})
    item, lease = world.planned(address), world.leased.active(address)
    if item is not None and item.mac is not None:
        held = holders.get(item.mac)
        return item.mac, "is planned for", held.last if held is not None else None
    if lease is not None and lease.mac is not None:
        held = holders.get(lease.mac)
        return lease.mac, "is leased to", held.last if held is not None else None
    if world.in_pool(address) is not None or world.subnet_at(address) is None:
        return None  # pools pass addresses on, and where nothing is planned nobody knows what passes them on
    shared = bool(claims_of_routers(world, address, there))
    came = min((holders[mac].first for mac in there if mac in holders), default=world.now)
    for mac, held in sorted(holders.items(), key=lambda pair: -pair[1].last):
        if held.first >= came:
            continue  # who came later and is gone again took nothing over that is missed
        if mac is None or mac in there or mac in world.own_macs or not held.sources & ASKED_BY_ARP:
            continue
        elsewhere = any(a != address and world.is_present(a, h) for a, h in world.places.get(mac, {}).items())
        if elsewhere and not shared:
            continue  # who answers at another address by now has moved there, but a router group's address moves between routers
        if world.now - held.last > DAY or any(same_device(world, mac, one) for one in there):
            continue
        return mac, "was held within the last day by", held.last
    return None
