"""Rules about MACs that answer for a gateway's address, or were heard to claim it."""

from __future__ import annotations

from collections.abc import Mapping

from ..address import Address, dotted
from ..mac import Mac, MacNumber
from .entitled import entitled
from .hearsay import Heard
from .model import AWAY, HOUR, SECOND, About, Action, Away, Evidence, Found, Severity, Step
from .rule import Rule
from .rules_addresses import CLAIM_FRESH, SHOWN, heard_claims, membership
from .wording import accept, at, called, who
from .world import World


def known_gateway_mac(world: World, address: Address) -> tuple[MacNumber, str] | None:
    """The MAC a gateway is known by, and how."""
    item = world.planned(address)
    if item is not None and item.mac is not None:
        return item.mac, "the plan has it"
    link = next((one for one in world.links.values() if one.gateway == address), None)
    return (link.gateway_mac, "it was seen there before") if link is not None and link.gateway_mac is not None else None


def gateway_changed(world: World, address: Address) -> Found | Away | None:
    """A MAC that is neither the known gateway's nor a known member's of its router group answers for the gateway's address, or was
    heard to claim it."""
    if not world.is_gateway(address) or (known := known_gateway_mac(world, address)) is None:
        return None
    mac, how = known
    confirmed = world.confirmed.get(address, (0, ()))
    others = sorted(
        other
        for other, held in world.holders.get(address, {}).items()
        if other is not None and held.answered and other not in (mac, *world.own_macs) and not entitled(world, address, other)
        and (other in confirmed[1] or (world.now - held.last <= CLAIM_FRESH and held.last > confirmed[0]))
    )  # fmt: skip
    heard = {
        one: said
        for one, said in world.hearsay.at(address, world.now, CLAIM_FRESH).items()
        if one != mac and not entitled(world, address, one)
    }
    if not others and not heard:
        return None if address in world.confirmed else AWAY
    if not others:
        return _gateway_claimed(world, address, known, heard)
    both = mac in confirmed[1] or world.present(address, mac)
    claims, members = membership(world, address, [*others, *heard])
    return Found(
        Severity.URGENT,
        (at(address), who(mac), *(who(one) for one in others)),
        (
            Evidence(f"the gateway {dotted(address)} is {called(world, mac)}: {how}"),
            *(Evidence(f"{called(world, one)} answers for the gateway's address") for one in others),
            *heard_claims(world, heard),
            *claims,
        ),
        "Find the second one and take it off the network: it can read and stop all traffic to other networks"
        if both
        else "If the router was replaced, enter the new MAC in the plan; if not, take the other one off the network",
        (
            Step(
                Action.ASSIGN, "the router was replaced: enter its new MAC",
                (("address", dotted(address)), ("mac", str(Mac(others[0])))),
            ),
            *members, accept(),
        ),
    )  # fmt: skip


def _gateway_claimed(
    world: World, address: Address, known: tuple[MacNumber, str], heard: Mapping[MacNumber, Heard]
) -> Found:
    """A MAC was heard to claim the gateway's address, and does not answer for it."""
    claims, members = membership(world, address, heard)
    return Found(
        Severity.URGENT,
        (at(address), who(known[0]), *(who(one) for one in sorted(heard)[:SHOWN])),
        (
            Evidence(f"the gateway {dotted(address)} is {called(world, known[0])}: {known[1]}"),
            *heard_claims(world, heard),
            *claims,
        ),
        "Find out what sends this: whoever believes it sends all traffic to other networks there. The switches tell at which port "
        "its MAC was learnt",
        (*members, accept()),
        heard=True,
    )


RULES = (
    Rule(
        "gateway-changed", "Another device claims the gateway's address", About.ADDRESS,
        "Whoever holds the gateway's address receives everything that leaves the subnet", gateway_changed,
        lingers=5 * SECOND, keeps=HOUR,
    ),
)  # fmt: skip
