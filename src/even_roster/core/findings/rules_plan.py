"""Rules that hold the plan against what is seen: assignments, reservations, pools, roles."""

from __future__ import annotations

from ..address import Address, dotted
from ..mac import Mac, MacNumber
from ..plan.following import State as ReservationState
from ..plan.following import follow
from ..plan.model import Assignment, AssignmentKind, Band
from ..plan.proof import LastSeen
from ..plan.roles import OnPool
from ..stays import Source
from .claimants import Reading, claimants, duplicated, read
from .entitled import stands_in_for
from .forecast import days_until_full
from .model import AWAY, DAY, MINUTE, About, Action, Away, Evidence, Found, Severity, Step, Subject
from .rule import Rule
from .rules_addresses import membership
from .wording import accept, at, called, card, who
from .world import PRESENT, World

SOON_FULL_DAYS = 7.0
WELL_FILLED = 0.7


def not_in_effect(world: World, identity: int) -> Found | Away | None:
    """A static assignment whose device is elsewhere, or whose address somebody else has."""
    item = world.plan.assignments.get(identity)
    if item is None or not item.on or item.mac is None or item.kind is not AssignmentKind.STATIC:
        return None
    if world.present(item.address, item.mac):
        return None
    if item.mac in world.fittings.macs:
        return AWAY  # it is on its way there
    if world.is_gateway(item.address) or duplicated(world, item.address):
        return None
    if world.is_member(item.address, item.mac) and any(
        world.is_member(item.address, one) for one in world.macs_at(item.address)
    ):
        return None  # another router of its group has it for now
    usurper = _usurper(world, item)
    place = world.last_place(item.mac)
    elsewhere = place is not None and place[0] != item.address and world.is_present(*place)
    if elsewhere and place is not None and place[1].first > _asked_at(world, item.address):
        return AWAY  # it may be at both: its planned address was not asked since
    if usurper is None and not elsewhere:
        return AWAY if place is not None and place[0] != item.address else None
    evidence, subjects, steps = [], [at(item.address), who(item.mac)], []
    if elsewhere and place is not None and not _has_plan(world, item.mac, place[0]):
        address = place[0]
        was = world.holders.get(item.address, {}).get(item.mac)
        evidence.append(
            Evidence(f"{item.title} is planned at {dotted(item.address)}, but answers at {dotted(address)}")
        )
        if was is not None:
            evidence.append(
                Evidence(f"it was at {dotted(item.address)} before: its settings were lost or changed", was.last)
            )
        subjects.append(at(address))
        steps.append(
            Step(
                Action.MOVE_PLAN, f"plan it at {dotted(address)} instead",
                (("assignment", str(item.id)), ("address", dotted(address))),
            )
        )  # fmt: skip
    if usurper is not None:
        evidence.append(
            Evidence(f"{called(world, usurper)} answers at {dotted(item.address)}, which is planned for {item.title}")
        )
        subjects.append(who(usurper))
        claims, members = membership(world, item.address, [usurper, item.mac])
        evidence += claims
        steps += members
        steps.append(
            Step(
                Action.ASSIGN, f"the device was replaced: enter {Mac(usurper)}",
                (("address", dotted(item.address)), ("mac", str(Mac(usurper)))),
            )
        )  # fmt: skip
    if not evidence:
        return None
    return Found(
        Severity.WRONG, tuple(subjects), tuple(evidence),
        f"Type the settings of its card into {item.title} and press apply, then let it restart once to see that it keeps them",
        (card(item.address), *steps, accept()),
    )  # fmt: skip


def _asked_at(world: World, address: Address) -> int:
    """Until when an address of a link was asked last, by a look or a directed round; now for one behind a gateway, of which nobody
    here can learn more."""
    if not any(link.holds(address) for link in world.links.values()):
        return world.now
    return max(world.looks.ended(address), world.confirmed.get(address, (0, ()))[0])


def _usurper(world: World, item: Assignment) -> MacNumber | None:
    if read(world, item.address) is not Reading.NOT_IN_EFFECT:
        return None
    return next(one.mac for one in claimants(world, item.address) if not one.may and not one.for_others)


def _has_plan(world: World, mac: MacNumber, address: Address) -> bool:
    item = world.planned(address)
    return item is not None and item.mac == mac


def reservation(world: World, identity: int) -> tuple[ReservationState, Found | Away] | None:
    """A reservation that is not in effect though its device is here: waiting or refused."""
    item = world.plan.assignments.get(identity)
    if item is None or not item.on or item.mac is None or item.kind is not AssignmentKind.RESERVED:
        return None
    pools = [b for b in world.plan.bands_of(item.subnet) if b.server is not None]
    mine = [world.leased.at[a] for a in world.leased.of_mac.get(item.mac, ()) if a in world.leased.at]
    at_address = [world.leased.at[item.address]] if item.address in world.leased.at else []
    seen = [
        (a, LastSeen(held.last, item.mac))
        for a, held in sorted(world.places.get(item.mac, {}).items(), key=lambda pair: -pair[1].last)
        if held.sources & ~Source.LEASE and world.is_present(a, held)
    ]
    told = follow(
        item, served=bool(pools), published=item.mac in world.published.get(item.address, ()), leases=mine,
        at_address=at_address, seen=seen, refusal=world.refusals.get(item.address, ""), now=world.now,
    )  # fmt: skip
    here = bool(seen) or any(lease.active(world.now) for lease in mine)
    if not here and told.state is not ReservationState.REFUSED:
        return told.state, AWAY
    place = seen[0][0] if seen else next((lease.address for lease in mine if lease.active(world.now)), item.address)
    if told.state is ReservationState.REFUSED:
        said = told.sentence
    elif told.state is ReservationState.WAITING and here and place != item.address:
        said = f"{item.title} is still at {dotted(place)}"
    elif told.state is ReservationState.UNPUBLISHED and here and place != item.address:
        said = f"{item.title} is at {dotted(place)}: {told.sentence}"
    else:
        return None
    steps = [Step(Action.PUBLISH, "publish the plan")] if told.state is ReservationState.UNPUBLISHED else []
    subjects = [at(item.address), who(item.mac), *([at(place)] if place != item.address else [])]
    found = Found(
        Severity.WRONG if told.state is ReservationState.REFUSED else Severity.NOTICE,
        tuple(subjects),
        (Evidence(f"{dotted(item.address)} is reserved for {called(world, item.mac)}"), Evidence(said)),
        "Publish the plan, then let the device renew its lease"
        if told.state is ReservationState.UNPUBLISHED
        else "See what holds the address, then publish again"
        if told.state is ReservationState.REFUSED
        else "Restart the device, unplug its cable for a moment, or renew its lease; if it was typed in, set it to DHCP",
        (*steps, accept()),
    )
    return told.state, found


def waiting(world: World, identity: int) -> Found | Away | None:
    """See `reservation`."""
    told = reservation(world, identity)
    return told[1] if told is not None and told[0] is not ReservationState.REFUSED else None


def refused(world: World, identity: int) -> Found | Away | None:
    """See `reservation`."""
    told = reservation(world, identity)
    return told[1] if told is not None and told[0] is ReservationState.REFUSED else None


def _release(item: Assignment) -> Step:
    address = dotted(item.address)
    return Step(Action.RELEASE, f"release {address}", (("assignment", str(item.id)), ("address", address)))


def stale_reservation(world: World, identity: int) -> Found | None:
    """A reservation whose device was not seen for very long."""
    item = world.plan.assignments.get(identity)
    if item is None or not item.on or item.mac is None or item.kind is not AssignmentKind.RESERVED:
        return None
    last = world.last_seen(item.mac)
    if not last or world.now - last <= world.limits.stale_days * DAY or not world.looks.began(item.address):
        return None
    return Found(
        Severity.NOTICE, (at(item.address), who(item.mac)),
        (Evidence(f"{item.title} was not seen for more than {world.limits.stale_days} days", last),),
        "If the device is gone for good, release the address",
        (_release(item), accept()),
    )  # fmt: skip


def randomised(world: World, identity: int) -> Found | None:
    """A reservation for a MAC that its device makes up anew."""
    item = world.plan.assignments.get(identity)
    if item is None or not item.on or item.mac is None or item.kind is not AssignmentKind.RESERVED:
        return None
    if not world.randomised(item.mac):
        return None
    return Found(
        Severity.NOTICE, (at(item.address), who(item.mac)),
        (Evidence(f"{Mac(item.mac)} is locally administered and in no prefix of the site: most likely randomised"),),
        "Switch randomised addresses off for this network on the device, then reserve for its lasting MAC",
        (_release(item), accept()),
    )  # fmt: skip


def missing(world: World, identity: int) -> Found | None:
    """A device with a typed-in address that nobody has seen for days though its place was looked at."""
    item = world.plan.assignments.get(identity)
    if item is None or not item.on or item.kind is not AssignmentKind.STATIC:
        return None
    held = world.holders.get(item.address, {}).get(item.mac)
    if held is not None and world.now - held.last <= DAY:
        return None
    if world.plan.rule(item.role).travels:
        return None
    last = world.last_used(item.address)
    if item.mac is not None:
        last = max(last, world.last_seen(item.mac))
    days = world.limits.missing_days
    if not last or world.now - last <= days * DAY or world.looks.began(item.address) <= last:
        return None
    return Found(
        Severity.NOTICE, (at(item.address), *((who(item.mac),) if item.mac is not None else ())),
        (Evidence(f"{item.title} was not seen for more than {days} days", last),),
        "Look whether it is switched off or broken; if it is gone for good, release its address",
        (_release(item), accept()),
    )  # fmt: skip


def name_disagrees(world: World, identity: int) -> Found | None:
    """DNS calls an address otherwise than the plan does."""
    item = world.plan.assignments.get(identity)
    if item is None or not item.on or not item.name or (told := world.names.reverse.get(item.address)) is None:
        return None
    name, when = told
    if world.now - when > 7 * DAY or name.split(".")[0].casefold() == item.name.split(".")[0].casefold():
        return None
    return Found(
        Severity.NOTICE, (at(item.address), Subject("name", name)),
        (Evidence(f"the reverse zone calls {dotted(item.address)} {name}, the plan calls it {item.name}", when),),
        "Put the plan's names into the zone ('roster dns' writes it), or correct the plan",
        (accept(),),
    )  # fmt: skip


def role_on_pool(world: World, mac: MacNumber) -> Found | Away | None:
    """A device whose role must not depend on DHCP lives on a pool's address."""
    device = world.devices.get(mac)
    if device is None or not device.role or world.plan.rule(device.role).on_pool is not OnPool.NEVER:
        return None
    place = world.last_place(mac)
    if place is None or (pool := world.in_pool(place[0])) is None:
        return None
    if world.plans_of(mac):
        return None  # what is planned for it is told by the rules on assignments
    if not world.is_present(*place):
        return AWAY
    address = place[0]
    mac_text, address_text = str(Mac(mac)), dotted(address)
    return Found(
        Severity.WRONG, (who(mac), at(address)),
        (Evidence(f"{device.name or Mac(mac)} has the role {device.role} and lives on {address_text} of the {pool.title}"),),
        f"Give it an address outside the pool: a device of the role {device.role} must be reachable when DHCP is not",
        (
            Step(Action.ASSIGN, "find it a lasting address", (("mac", mac_text), ("role", device.role))),
            Step(Action.RESERVE, f"reserve {address_text} for it", (("address", address_text), ("mac", mac_text))),
            accept(),
        ),
    )  # fmt: skip


def pool_full(world: World, identity: int) -> Found | None:
    """A pool that was nearly full within the last day, or will be soon."""
    band, seen = world.plan.bands.get(identity), world.pools.get(identity)
    if band is None or seen is None or not seen.size:
        return None
    peak = max([seen.used, *(one.used for one in seen.history if world.now - one.at <= PRESENT)])
    days = days_until_full(seen.history, world.now)
    nearly = peak >= seen.size * world.limits.pool_part
    if not nearly and (days is None or days > SOON_FULL_DAYS or peak < seen.size * WELL_FILLED):
        return None
    evidence = [Evidence(f"{peak} of its {seen.size} addresses were leased at once within a day")] if nearly else []
    if days is not None and days <= 4 * SOON_FULL_DAYS:
        when = "within a day" if days < 1 else f"in about {round(days)} day{'s' if round(days) != 1 else ''}"
        evidence.append(Evidence(f"at the rate of its daily peaks it is full {when}"))
    full = peak >= seen.size
    return Found(
        Severity.URGENT if full else Severity.WRONG,
        (Subject("pool", str(band.id)), Subject("subnet", _subnet(world, band))),
        tuple(evidence),
        "Make the pool larger, shorten its leases, or give lasting devices addresses outside it",
        (Step(Action.MOVE_POOL, "change the pool", (("band", str(band.id)), ("subnet", str(band.subnet)))), accept()),
    )


def _subnet(world: World, band: Band) -> str:
    subnet = world.plan.subnets[band.subnet]
    return subnet.name or str(subnet.network)


def unknown_device(world: World, mac: MacNumber) -> Found | Away | None:
    """A device that nobody named or planned and that tells no name of its own."""
    device = world.devices.get(mac)
    if device is None or device.name or (world.plan.has_mac(mac) and world.plans_of(mac)) or mac in world.own_macs:
        return None
    place = world.last_place(mac)
    if place is None or world.is_gateway(place[0]):
        return None
    if not world.is_present(*place):
        return AWAY
    address = place[0]
    subnet = world.subnet_at(address)
    if subnet is None:
        return None
    told = world.strangers.get(subnet.id, "named")
    if told == "none" or (told == "named" and world.names.by_mac.get(mac)):
        return None
    if stands_in_for(world, mac, address) or duplicated(world, address) or world.dhcp.is_rogue(mac):
        return None
    planned = world.planned(address)
    if planned is not None and planned.mac is not None:
        return None  # it sits on somebody else's address: that is the finding
    if planned is None and world.in_pool(address) is None:
        return None  # an address that nobody planned: that is the finding
    made_up = ", with a randomised MAC" if world.randomised(mac) else ""
    where = f"{'is at' if place[1].answered else 'has a lease of'} {dotted(address)} in {subnet.name or subnet.network}"
    return Found(
        Severity.NOTICE, (who(mac), at(address)),
        (Evidence(f"{Mac(mac)} {where}{made_up}"),
         Evidence("nobody has named or planned it, and it tells no name")),
        "Find out whose it is and name it; if strangers are welcome in this subnet, say so with 'roster watch'",
        (
            Step(Action.NAME, "name it", (("device", str(device.id)),)),
            Step(Action.RESERVE, f"reserve {dotted(address)} for it", (("address", dotted(address)), ("mac", str(Mac(mac))))),
            accept(),
        ),
    )  # fmt: skip


RULES = (
    Rule(
        "assignment-not-in-effect", "Planned here, seen there", About.ASSIGNMENT,
        "What the plan says was never typed in, was not applied, or was lost", not_in_effect,
        keeps=DAY,
    ),
    Rule(
        "reservation-waiting", "A reservation is not in effect yet", About.RESERVATION,
        "A device keeps its old lease until it renews, and one with a typed-in address never asks", waiting,
        patience=MINUTE, keeps=DAY,
    ),
    Rule(
        "reservation-refused", "A reservation is refused", About.RESERVATION,
        "The DHCP server does not give the reserved address to its device", refused, patience=MINUTE,
    ),
    Rule(
        "stale-reservation", "A reservation for a device that is gone", About.RESERVATION,
        "The address is kept for nobody", stale_reservation,
    ),
    Rule(
        "randomised-reservation", "A reservation for a randomised MAC", About.RESERVATION,
        "The device will come with another MAC, and the reservation will not apply", randomised,
    ),
    Rule(
        "missing-device", "A device was not seen for days", About.ASSIGNMENT,
        "It is switched off, broken, moved to another place or gone", missing, lingers=MINUTE,
    ),
    Rule(
        "name-disagrees", "Name and reverse disagree", About.ASSIGNMENT,
        "Logs and tools that look up the address show another name than the roster", name_disagrees,
    ),
    Rule(
        "role-on-pool", "A device of a lasting role lives on a pool", About.MAC,
        "When the DHCP server is away or the lease is lost, it cannot be reached where others expect it", role_on_pool,
        patience=MINUTE, keeps=DAY,
    ),
    Rule(
        "unknown-device", "A device that nobody knows", About.MAC,
        "It is on the network, has an address, and nobody says what it is", unknown_device,
        patience=2 * MINUTE, keeps=DAY,
    ),
    Rule(
        "pool-nearly-full", "A pool is nearly full", About.POOL,
        "When it is full, new devices get no address and give themselves one of 169.254.0.0/16", pool_full,
    ),
)  # fmt: skip
