"""A directed round that is over: who answered was seen, who did not was silent. Pure."""

from __future__ import annotations

from collections.abc import Collection

from ..address import Address
from ..mac import MacNumber
from ..stays import Source
from . import hearing
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
    """A device answered a question for an address that is still open, when its round was over or beside it. One of the last round
    counts with those that answered in it, unless the address was asked for again since."""
    hearing.saw(world, address, mac, at, Source.ARP, link)
    found = world.confirmed.get(address)
    if found is not None and mac not in found[1] and world.questions.asked_at(address) <= found[0]:
        world.confirmed[address] = found[0], tuple(sorted((*found[1], mac)))
        world.touch(address, mac)
