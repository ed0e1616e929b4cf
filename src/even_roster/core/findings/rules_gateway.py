"""Rules about MACs that answer for a gateway's address, or were heard to claim it."""

from __future__ import annotations

from collections.abc import Mapping

from ..address import Address, dotted
from ..mac import Mac, MacNumber
from .claimants import How, Reading, answered_since, claimants, claims_by_word, read
from .entitled import entitled, gateway_mac
from .hearsay import Heard
from .model import AWAY, HOUR, SECOND, About, Action, Away, Evidence, Found, Severity, Step
from .rule import Rule
from .rules_addresses import SHOWN, heard_claims, membership
from .wording import accept, at, called, who
from .world import World


def gateway_changed(world: World, address: Address) -> Found | Away | None:
    """A MAC that is neither the known gateway's nor a known member's of its router group answers for the gateway's address, or was
    heard to claim it."""
    if not world.is_gateway(address) or (known := gateway_mac(world, address)) is None:
        return None
    told = read(world, address)
    if told not in (Reading.GATEWAY_CHANGED, Reading.CLAIMED):
        return None if address in world.confirmed else AWAY
    mac, confirmed = known[0], world.confirmed.get(address, (0, ()))
    found = [one for one in claimants(world, address) if not one.may]
    others = sorted(one.mac for one in found if one.how is How.TOGETHER or answered_since(world, address, one))
    heard = {one: said for one, said in claims_by_word(world, address).items() if not entitled(world, address, one)}
    if told is Reading.CLAIMED:
        return _gateway_claimed(world, address, known, heard)
    both = mac in confirmed[1] or world.present(address, mac)
    claims, members = membership(world, address, [*others, *heard])
    return Found(
        Severity.URGENT,
        (at(address), who(mac), *(who(one) for one in others)),
        (
            Evidence(f"the gateway {dotted(address)} is {called(world, mac)}: {known[1]}"),
            *(Evidence(f"{called(world, one)} answers for the gateway's address") for one in others),
            *heard_claims(world, address, heard),
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
            *heard_claims(world, address, heard),
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
