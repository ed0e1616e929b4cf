"""A directed round that is over: who answered was seen, who did not was silent. Pure."""

from __future__ import annotations

from collections.abc import Collection

from ..address import Address
from ..mac import MacNumber
from ..stays import Source
from .world import World


def over(world: World, address: Address, macs: Collection[MacNumber], at: int, link: str, *, controlled: bool,
    by: Source = Source.ARP,
) -> None:  # fmt: skip
    """These MACs answered for an address on a link, at `at` on the world's clock; `controlled` when anybody at all answered in the
    round. Somebody who spoke up while it was on its way is asked about once more. The system's own ARP (`by` NEIGHBOUR) tells one
    MAC of an address: of others nothing is known then."""
    again = address in world.questions
    for mac in macs:
        world.saw(address, mac, at, by, link)
    if not macs or by is not Source.NEIGHBOUR:
        world.confirmed_round(address, macs, at, controlled=controlled)
    if again:
        world.questions.want(address)
