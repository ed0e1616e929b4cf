"""Rules that look at one address: claimed by two, hopping, a gateway's MAC, pools, unplanned and foreign addresses."""

from __future__ import annotations

from collections import deque
from collections.abc import Collection, Iterable, Mapping

from ..address import Address, dotted
from ..mac import Mac, MacNumber
from ..plan.model import AssignmentKind
from ..stays import Source
from .claimants import How, Reading, answering, claimants, claims_by_word, duplicated, read, silent_owner
from .entitled import claims_of_routers, entitled, parties, stands_in_for
from .facts import Link
from .hearsay import Heard
from .model import AWAY, DAY, HOUR, MINUTE, SECOND, About, Action, Away, Evidence, Found, Severity, Step, Subject
from .rule import Rule
from .rules_heard import HOPS, abroad, claimed_by_word, told_apiece, turns_by_word
from .wording import accept, at, called, card, who
from .world import World

SHOWN = 3
LINK_LOCAL = 0xA9FE0000  # 169.254.0.0/16, RFC 3927
_SELF_MASK = 0xFFFF0000
_LEASE_GRACE = 2 * MINUTE
Turns = deque[tuple[int, MacNumber]]


def membership(
    world: World, address: Address, macs: Iterable[MacNumber]
) -> tuple[tuple[Evidence, ...], tuple[Step, ...]]:
    """What claimants say of themselves as virtual routers, and the steps that make them known members."""
    told = claims_of_routers(world, address, sorted(macs))
    steps = [
        Step(
            Action.MEMBER, f"{Mac(mac)} is a member of the router group at {dotted(address)}",
            (("address", dotted(address)), ("mac", str(Mac(mac)))),
        )
        for mac, _ in told
    ]  # fmt: skip
    return tuple(Evidence(said) for _, said in told), tuple(steps)


def duplicate(world: World, address: Address) -> Found | Away | None:
    """Two devices answered for one address in one directed round, or one answered for an address of our own."""
    own = address in world.own_addresses
    confirmed = world.confirmed.get(address)
    if confirmed is None and not own:
        return AWAY  # nobody was asked since the service began
    if not own and (confirmed is None or len(confirmed[1]) < 2):
        return None
    told, found = read(world, address), claimants(world, address)
    if own and told is Reading.CLAIMED:
        return _own_claimed(world, address)
    if told is not Reading.DUPLICATE or confirmed is None:
        return None
    there = [party[0] for party in answering(world, address, found)]
    macs = [mac for mac in there if not (own and mac in world.own_macs)]
    if world.fittings.macs.issuperset(macs):
        return AWAY  # they came with one factory address, and are being led apart
    when = confirmed[0]
    planned = world.planned(address)
    right = f"; the plan gives it to {planned.title}" if planned is not None else ""
    strangers = [mac for mac in macs if not entitled(world, address, mac)] or [macs[-1]]
    steps = [
        Step(Action.ASSIGN, f"find an address for {called(world, mac)}", (("mac", str(Mac(mac))),))
        for mac in strangers[:1]
    ]
    claims, members = membership(world, address, macs)
    uses = world.plan.uses_at(world.site, address)
    here = (Evidence(f"{dotted(address)} is this machine's own address"),) if own else ()
    return Found(
        Severity.URGENT,
        (at(address), *(who(mac) for mac in macs)),
        (
            *here,
            *(Evidence(f"{called(world, mac)} answered for {dotted(address)}", when) for mac in macs),
            *(
                Evidence(f"{called(world, mac)} answers for others too, though they are here themselves (proxy ARP)")
                for mac in macs
                if world.stands_in(mac)
            ),
            *claims,
            *(Evidence(f"{use.user} uses this address for {use.purpose}") for use in uses),
        ),
        f"Give {'it' if own else f'one of the {len(macs)}'} another address{right}. Until then traffic reaches now one, now "
        "the other",
        (*steps, card(address), *members, accept("accept it: they share the address on purpose")),
    )


def _own_claimed(world: World, address: Address) -> Found:
    """A MAC was heard to claim an address of our own, and does not answer for it."""
    claims = claims_by_word(world, address)
    return Found(
        Severity.URGENT,
        (at(address), *(who(mac) for mac in sorted(claims)[:SHOWN])),
        (Evidence(f"{dotted(address)} is this machine's own address"), *heard_claims(world, address, claims)),
        "Find out what sends this: a device set to this address answers now and then, or another device sends in its name",
        (card(address), accept()),
        heard=True,
    )


def heard_claims(world: World, address: Address, claims: Mapping[MacNumber, Heard]) -> tuple[Evidence, ...]:
    """What was heard of some MACs that do not answer at an address, as evidence."""
    asked = world.confirmed.get(address, (0, ()))[0]
    told = []
    for mac, one in sorted(claims.items())[:SHOWN]:
        silent = "does not answer there" if asked >= one.first else "has not been asked yet"
        said = f"{called(world, mac)} was heard to claim it and {silent}: any device on the link can send that"
        told.append(Evidence(said, one.last))
    more = len(claims) - len(told)
    return (*told, *((Evidence("more MACs were heard to claim it"),) if more > 0 else ()))


def claimed(world: World, address: Address) -> Found | Away | None:
    """A MAC that does not answer at an address was heard to claim it, beside the device that holds it or should."""
    if not world.hearsay.spoken(address) or address in world.own_addresses or world.is_gateway(address):
        return None
    if read(world, address) is not Reading.CLAIMED:
        return None
    claims = {mac: one for mac, one in claims_by_word(world, address).items() if not entitled(world, address, mac)}
    link = next((one for one in world.links.values() if one.holds(address)), None)
    if link is None or not told_apiece(claimed_by_word(world, link), address):
        return None
    there = next((one.mac for one in claimants(world, address) if one.how is not How.HEARD), None)
    planned = world.planned(address)
    whose = f"{dotted(address)} is planned for {planned.title}" if planned is not None else ""
    members, steps = membership(world, address, claims)
    return Found(
        Severity.WRONG,
        (at(address), *((who(there),) if there is not None else ()), *(who(mac) for mac in sorted(claims)[:SHOWN])),
        (
            *((Evidence(whose),) if whose else ()),
            *((Evidence(f"{called(world, there)} answered there last"),) if there is not None else ()),
            *heard_claims(world, address, claims), *members,
        ),
        "Find out what sends this: a device set to this address that answers now and then, or another device that sends in its "
        "name. Whoever believes it loses the one that should be there",
        (card(address), *steps, accept()),
        heard=True,
    )  # fmt: skip


def flux(world: World, address: Address) -> Found | Away | None:
    """Two adapters of one device answer for one address: its kernel answers on every adapter for all of them (ARP flux)."""
    found = world.confirmed.get(address)
    if found is None:
        return AWAY
    if len(found[1]) < 2:
        return None
    party = next((one for one in parties(world, address, found[1]) if len(one) > 1), None)
    if party is None or any(world.is_member(address, mac) for mac in party):
        return None
    return Found(
        Severity.NOTICE,
        (at(address), *(who(mac) for mac in party)),
        tuple(Evidence(f"{called(world, mac)} answered for {dotted(address)}", found[0]) for mac in party),
        "Two adapters of one device stand on one link, and each answers for the other's address: traffic may take either. Let "
        "each answer for its own address only (on Linux net.ipv4.conf.all.arp_ignore=1 and arp_announce=2), bundle them, or "
        "leave one unplugged",
        (accept("accept it: it does no harm here"),),
    )


def taken_over(world: World, address: Address) -> Found | Away | None:
    """Somebody answers at an address that belongs to another, who is silent. Where the plan has a static assignment there, the rule
    on assignments tells it."""
    round_ = world.confirmed.get(address)
    if round_ is None:
        return AWAY
    if (
        not round_[1]
        or read(world, address) is not Reading.TAKEN_OVER
        or round_[0] < world.leased.since.get(address, 0)
    ):
        return None
    if world.now - round_[0] > MINUTE:
        return AWAY  # what was true when it was asked last need not be now
    there = [mac for mac in round_[1] if mac not in world.own_macs]
    owner = silent_owner(world, address, there)
    if owner is None:
        return None
    mac, how, last = owner
    claims, members = membership(world, address, [*there, mac])
    return Found(
        Severity.WRONG,
        (at(address), who(there[0]), who(mac)),
        (
            Evidence(f"{called(world, there[0])} answers at {dotted(address)}", round_[0]),
            Evidence(f"{dotted(address)} {how} {called(world, mac)}, which does not answer there now", last),
            *claims,
        ),
        "Find out which of them should have it: when the other one wakes, both will answer and disturb each other",
        (
            Step(Action.ASSIGN, f"find an address for {called(world, there[0])}", (("mac", str(Mac(there[0]))),)),
            *members, accept("accept it: the old one is gone"),
        ),
    )  # fmt: skip


def _turns(world: World, address: Address, line: Turns | None, there: Collection[MacNumber]) -> list[MacNumber]:
    """The MACs that took turns at an address within the last hour and are there still; empty where that was no hopping."""
    if line is None or len(line) <= HOPS:
        return []
    recent = [mac for when, mac in line if world.now - when <= HOUR]
    macs = list(dict.fromkeys(mac for mac in recent if mac in there))
    back = len(recent) - len(macs)
    if len(recent) <= HOPS or len(macs) < 2 or back < HOPS - 1:
        return []
    if any(stands_in_for(world, mac, address) for mac in macs) or len(parties(world, address, macs)) < 2:
        return []
    return macs


def hopping(world: World, address: Address) -> Found | Away | None:
    """An address went to and fro between MACs, though never two answered together. Answers are judged by themselves: no frame that
    was only heard takes anything from them."""
    line, heard = world.switches.get(address), world.hearsay.lines.get(address)
    if line is None and heard is None:
        return AWAY  # nothing was heard since the service began
    if world.is_gateway(address) or duplicated(world, address):
        return None
    claims = world.hearsay.at(address, world.now)
    answering = world.macs_at(address)
    macs = _turns(world, address, line, answering)
    if not macs:
        if read(world, address) is Reading.CLAIMED:
            return None  # one of them alone answers: that the other does not is what is told
        line, macs = heard, _turns(world, address, heard, {*answering, *claims})
        link = next((one for one in world.links.values() if one.holds(address)), None)
        if link is not None and not told_apiece(turns_by_word(world, link), address):
            return None
    if not macs or line is None:
        return None
    began = next(when for when, _ in line if world.now - when <= HOUR)
    second = next((when for when, _ in line if when > began), began)
    if world.confirmed.get(address, (0, ()))[0] < second and world.now - second < MINUTE:
        return AWAY  # whether both answer is being asked: then it is a duplicate, and told as that
    told, members = membership(world, address, macs)
    return Found(
        Severity.WRONG,
        (at(address), *(who(mac) for mac in macs)),
        (
            *(
                Evidence(
                    f"{called(world, mac)} {'is heard to claim' if mac in claims else 'claims'} {dotted(address)} again and again"
                    f"{' and has not answered there' if mac in claims else ''}"
                )
                for mac in macs
            ),
            *told,
        ),
        "Find out which of them should have it; if they are members of a router group, say so; if they are adapters of one device, "
        "join them",
        (*members, accept("accept it: they take over from each other")),
        heard=any(mac in claims for mac in macs),
    )


def static_in_pool(world: World, address: Address) -> Found | Away | None:
    """Somebody uses an address of a pool without a lease, or the plan has a static assignment there."""
    pool = world.in_pool(address)
    if pool is None:
        return None
    item = world.planned(address)
    if item is not None and item.kind is AssignmentKind.STATIC:
        mac, said = item.mac, f"{item.title} is planned as static at {dotted(address)}, inside the {pool.title}"
    else:
        if item is not None or pool.server is None or (read := world.leased.read.get(pool.server)) is None:
            return None
        if world.leased.active(address) is not None:
            return None
        if world.now - read > HOUR:
            return AWAY  # the server cannot be read: what it leases by now is not known
        held = [
            (one, mac)
            for mac, one in world.holders.get(address, {}).items()
            if one.sources & ~Source.LEASE and world.is_present(address, one) and read - one.first > _LEASE_GRACE
            and one.last >= read - HOUR and _after_lease(world, address, one.last)
        ]  # fmt: skip
        if not held:
            return AWAY if holders_alone(world, address) else None
        mac = max(held, key=lambda pair: pair[0].last)[1]
        if mac is not None and (stands_in_for(world, mac, address) or _explained(world, mac, address)):
            return None
        holder = called(world, mac) if mac is not None else "somebody"
        said = f"{holder} uses {dotted(address)} without a lease, inside the {pool.title}"
    steps: list[Step] = []
    if mac is not None:
        steps.append(
            Step(
                Action.RESERVE,
                f"reserve {dotted(address)} for it",
                (("address", dotted(address)), ("mac", str(Mac(mac)))),
            )
        )
    steps.append(Step(Action.MOVE_POOL, "change the pool", (("band", str(pool.id)), ("subnet", str(pool.subnet)))))
    return Found(
        Severity.WRONG,
        (at(address), *((who(mac),) if mac is not None else ()), Subject("pool", str(pool.id))),
        (Evidence(said),),
        "Set the device to DHCP and reserve the address, give it one outside the pool, or end the pool before it: the "
        "server may lease this address to another device",
        (*steps, accept()),
    )  # fmt: skip


def holders_alone(world: World, address: Address) -> bool:
    """True when those who held an address are only not there now: nobody else is."""
    return not world.used(address)


def _after_lease(world: World, address: Address, last: int) -> bool:
    """A lease that ended lately explains a device that is only slow to notice."""
    lease = world.leased.at.get(address)
    return lease is None or lease.expires is None or last - lease.expires > 10 * MINUTE


def _explained(world: World, mac: MacNumber, address: Address) -> bool:
    """True when another finding says already why a MAC is where it is."""
    return any(item.address != address for item in world.plans_of(mac)) or world.dhcp.is_rogue(mac)


def unplanned(world: World, address: Address) -> Found | Away | None:
    """An address is in use that the plan knows nothing of."""
    holders = world.holders.get(address)
    if not holders or world.plan.at(world.site, address) is not None:
        return None
    subnet = world.subnet_at(address)
    if subnet is None or address in world.own_addresses or world.is_gateway(address):
        return None
    if world.in_pool(address) is not None or not world.plan.count_in(world.site, subnet.first, subnet.last):
        return None
    if not world.used(address):
        return AWAY
    macs = [mac for mac in world.macs_at(address) if not stands_in_for(world, mac, address)]
    if not macs and any(mac is not None for mac in holders):
        return None
    if macs and all(_explained(world, mac, address) or world.is_member(address, mac) for mac in macs):
        return None
    if duplicated(world, address):
        return None
    mac = macs[0] if macs else None
    values: tuple[tuple[str, str], ...] = (("address", dotted(address)),)
    if mac is not None:
        values = (*values, ("mac", str(Mac(mac))))
    holder = called(world, mac) if mac is not None else "somebody behind the gateway"
    return Found(
        Severity.NOTICE,
        (at(address), *((who(mac),) if mac is not None else ())),
        (Evidence(f"{holder} uses {dotted(address)}, which nobody planned"),),
        "If it belongs there, put it into the plan as it is; if not, give it another address",
        (Step(Action.ASSIGN, "assign what is seen", values), accept()),
    )


def foreign(world: World, address: Address) -> Found | Away | None:
    """An address on the wire that belongs to none of the link's subnets."""
    if address & _SELF_MASK == LINK_LOCAL:
        return None
    if address not in world.heard_on:
        return AWAY  # it was not heard since the service began
    if (on := _foreign_on(world, address)) is None:
        return None
    if _came_home(world, address, on):
        return None
    if (found := _foreigner(world, address)) is None:
        return AWAY if holders_alone(world, address) else None
    (mac, last), link = found, on.adapter
    subnet = world.subnet_at(address)
    where = (
        f"which is the subnet {subnet.name or subnet.network}" if subnet is not None else "which is none of the site's"
    )
    return Found(
        Severity.NOTICE if subnet is None else Severity.WRONG,
        (at(address), who(mac), Subject("adapter", link)),
        (Evidence(f"{called(world, mac)} speaks as {dotted(address)} on the link of {link}, {where}", last),),
        "A device at its factory address: give it an address of this link. If it is plugged into the wrong port, move it",
        (Step(Action.ASSIGN, "find it an address here", (("mac", str(Mac(mac))),)), accept()),
    )


def _came_home(world: World, address: Address, on: Link) -> bool:
    """True when everybody who spoke as a foreign address answers at one of the link's own by now, and not there any more."""
    return all(
        mac is None
        or any(
            on.holds(other) and at_home.last > held.last and world.is_present(other, at_home)
            for other, at_home in world.places.get(mac, {}).items()
        )
        for mac, held in world.holders.get(address, {}).items()
    )


def self_assigned(world: World, address: Address) -> Found | Away | None:
    """A device gave itself a link-local address: it got no lease (RFC 3927)."""
    if address & _SELF_MASK != LINK_LOCAL:
        return None
    if address not in world.heard_on:
        return AWAY
    if (on := _foreign_on(world, address)) is None:
        return None
    if (found := _foreigner(world, address)) is None:
        return AWAY if holders_alone(world, address) else None
    (mac, last), link = found, on.adapter
    if any(
        other & _SELF_MASK != LINK_LOCAL and world.is_present(other, held)
        for other, held in world.places.get(mac, {}).items()
    ):
        return None  # it has a proper address as well
    return Found(
        Severity.WRONG,
        (at(address), who(mac), Subject("adapter", link)),
        (Evidence(f"{called(world, mac)} calls itself {dotted(address)} on the link of {link}", last),),
        "It asked for a lease and got none: look whether its port is in the right VLAN and the pool has room, or type "
        "its settings in",
        (Step(Action.ASSIGN, "find it an address here", (("mac", str(Mac(mac))),)), accept()),
    )


def _foreign_on(world: World, address: Address) -> Link | None:
    """The link on which an address was heard though it belongs to none of the link's subnets."""
    on = world.heard_on.get(address, "")
    return world.links[on] if abroad(world, address, on) else None


def _foreigner(world: World, address: Address) -> tuple[MacNumber, int] | None:
    """Who speaks as a foreign address now: MAC and last time."""
    macs = [mac for mac in world.macs_at(address) if mac not in world.own_macs and mac not in world.fittings.macs]
    if not macs or world.stands_in(macs[0]):
        return None
    return macs[0], world.holders[address][macs[0]].last


RULES = (
    Rule(
        "duplicate-address", "Two devices answer for one address", About.ADDRESS,
        "Both answered in the same second when they were asked, so both are set to this address", duplicate,
        lingers=5 * SECOND, keeps=HOUR,
    ),
    Rule(
        "address-claimed", "A device claims an address and does not answer there", About.ADDRESS,
        "It may be set to this address and answer only now and then, or another device sends in its name", claimed,
        patience=2 * SECOND, lingers=5 * SECOND, keeps=HOUR,
    ),
    Rule(
        "adapters-answer-for-each-other", "Two adapters of one device answer for one address", About.ADDRESS,
        "Its kernel answers on every adapter for all of its addresses", flux, lingers=5 * SECOND, keeps=HOUR,
    ),
    Rule(
        "address-taken-over", "An address was taken over while its owner is silent", About.ADDRESS,
        "Another device answers at the address of one that is off, asleep or away", taken_over, lingers=5 * SECOND, keeps=HOUR,
    ),
    Rule(
        "hopping-address", "An address hops between devices", About.ADDRESS,
        "Several adapters take turns at one address: a failover pair, a replaced device that came back, or two settings "
        "that are alike", hopping, keeps=HOUR,
    ),
    Rule(
        "static-in-pool", "A typed-in address lies inside a pool", About.ADDRESS,
        "The DHCP server does not know that the address is taken and may lease it to somebody else", static_in_pool,
        patience=MINUTE, keeps=DAY,
    ),
    Rule(
        "unplanned-address", "An address is used that nobody planned", About.ADDRESS,
        "The plan would give this address to the next device", unplanned, patience=MINUTE, keeps=DAY,
    ),
    Rule(
        "foreign-address", "A device has an address of another subnet", About.ADDRESS,
        "Nobody in this subnet can reach it", foreign, keeps=HOUR,
    ),
    Rule(
        "self-assigned-address", "A device found no DHCP server", About.ADDRESS,
        "A device that asks in vain gives itself an address of 169.254.0.0/16 and reaches nobody", self_assigned,
        keeps=HOUR,
    ),
)  # fmt: skip
