"""A directed round that is over: who answered was seen, who did not was silent. Pure."""

from __future__ import annotations

from collections.abc import Collection

from ..address import Address
from ..mac import MacNumber
from ..stays import Source
from . import asking, hearing
from .world import World


def over(
    world: World, address: Address, macs: Collection[MacNumber], at: int, link: str, *, controlled: bool,
    by: Source = Source.ARP, began: int | None = None,
) -> None:  # fmt: skip
    """These MACs answered for an address on a link, in a round from `began` to `at` on the world's clock; `controlled` when anybody
    at all answered in it. Somebody who spoke up meanwhile is asked about once more. The system's own ARP (`by` NEIGHBOUR) tells one
    MAC of an address: of others nothing is known then."""
    standing = address in world.questions
    for mac in macs:
        hearing.saw(world, address, mac, at, by, link)
    if not macs or by is not Source.NEIGHBOUR:
        world.confirmed_round(address, macs, at, controlled=controlled, began=began)
    if not standing:
        world.questions.leave(address)


def late(world: World, address: Address, mac: MacNumber, at: int, link: str) -> None:
    """A device answered a question for an address that is still open, beside the round or after it. What it is together with the
    others, only a round can tell that begins now: they may have left meanwhile. It counts with those that answer in that one."""
    hearing.saw(world, address, mac, at, Source.ARP, link)
    last = world.confirmed.get(address)
    if last is not None and mac in last[1] and world.questions.asked_at(address) <= last[0]:
        return  # it answered in time as well
    world.late.setdefault(address, {})[mac] = at
    if any(other not in (mac, None) for other in world.holders.get(address, {})):
        asking.want(world, address)
