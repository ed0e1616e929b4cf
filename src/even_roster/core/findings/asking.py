"""What is asked at once: whatever contradicts what is known of an address, in the rank of whose address it is. Pure."""

from __future__ import annotations

from collections import deque
from collections.abc import Mapping

from ..address import Address
from ..mac import MacNumber
from ..stays import Source
from .facts import Held
from .hearsay import Heard, Lines
from .model import HOUR, MINUTE, SECOND
from .questions import Rank
from .world import PRESENT, World

TOGETHER = 2 * MINUTE
SWITCHES_KEPT = 8
APART = 4
ANSWERED = 3 * SECOND
"""How long an answer that contradicts what is known is asked about; what that finds is asked about for as long as it stands."""


def rank(world: World, address: Address) -> Rank:
    """Whose an address is."""
    if address in world.own_addresses or world.is_gateway(address):
        return Rank.OWN
    if world.planned(address) is not None:
        return Rank.PLANNED
    if world.leased.active(address) is not None:
        return Rank.LEASED
    return Rank.KNOWN if world.used(address) else Rank.REST


def want(world: World, address: Address, *, news: bool = True, stands: int = ANSWERED) -> None:
    """Ask for an address as soon as may be; see `Questions.want`."""
    world.questions.want(address, rank(world, address), world.now, news=news, stands=stands)


def apart(world: World, address: Address) -> tuple[MacNumber, ...]:
    """Whom a question for an address should go to by unicast too (RFC 1122 2.3.2.1), where several claim it: its planned MAC, a few
    that answered there within the day, and a few that were heard as it lately."""
    item = world.planned(address)
    planned = [item.mac] if item is not None and item.mac is not None else []
    heard = [(one.last, mac) for mac, one in world.hearsay.at(address, world.now).items()]
    heard += [
        (held.heard, mac)
        for mac, held in world.holders.get(address, {}).items()
        if mac is not None and world.now - held.heard <= HOUR
    ]
    latest = [mac for _, mac in sorted(heard, reverse=True)]
    found = dict.fromkeys((*planned, *world.macs_at(address)[:APART], *latest[:APART]))
    macs = tuple(mac for mac in found if mac not in world.own_macs)
    return macs if len(macs) > 1 or address in world.own_addresses else ()


def contradicts(
    world: World, address: Address, mac: MacNumber, at: int, holders: Mapping[MacNumber | None, Held]
) -> bool:
    """True when a claim of a MAC is at odds with who is known to have the address, however long that one was silent."""
    if address in world.own_addresses:
        return True
    item = world.plan.at(world.site, address)
    if item is not None and item.on and item.mac is not None and item.mac != mac:
        return True
    lease = world.leased.active(address)
    if lease is not None and lease.mac != mac:
        return True
    if any(link.gateway == address and link.gateway_mac not in (None, mac) for link in world.links.values()):
        return True
    return any(
        other is not None and other != mac and other not in world.own_macs and abs(at - held.last) <= PRESENT
        for other, held in holders.items()
    )


def switched(
    world: World, address: Address, mac: MacNumber, at: int, holders: Mapping[MacNumber | None, Held | Heard], lines: Lines
) -> bool:  # fmt: skip
    """Keep in `lines` the order in which MACs answered for an address, or were heard as it. True when it was another before; a
    second one beside a fresh first is asked about."""
    if len(holders) < 1 + (mac in holders):
        return False  # nearly every address has one holder for ever: nothing is kept for those
    line = lines.get(address)
    if line is None:
        others = [(held.last, other) for other, held in holders.items() if other is not None and other != mac]
        if not others:
            return False
        line = lines[address] = deque([max(others)], maxlen=SWITCHES_KEPT)
    if line[-1][1] == mac:
        return False
    line.append((at, mac))
    world.touch(address, mac)
    if any(
        other is not None and other != mac and other not in world.own_macs and abs(at - held.last) <= TOGETHER
        for other, held in holders.items()
    ):
        want(world, address)
    return True


def answered(
    world: World, address: Address, mac: MacNumber | None, at: int, source: Source, link: str, *, claim: bool
) -> None:  # fmt: skip
    """A MAC answered at an address on a link; `claim` as `World.saw` told it."""
    if mac is None or source is Source.LEASE or mac in world.own_macs:
        return
    holders = world.holders.get(address, {})
    switched(world, address, mac, at, holders, world.switches)
    if address in world.hearsay.lines:
        beside = world.hearsay.beside(address, holders, world.now)
        switched(world, address, mac, at, beside, world.hearsay.lines)
    if not claim:
        return
    if contradicts(world, address, mac, at, holders):
        want(world, address)
    for item in world.plan.of_mac(mac):  # a planned device at an address that is not its own: is it at its own as well?
        if item.site == world.site and item.on and item.address != address and not world.present(item.address, mac):
            want(world, item.address)
