"""Rules about DHCP servers, proxies, masks, hostnames and the link as a whole."""

from __future__ import annotations

from itertools import combinations

from ..address import Address, dotted
from ..mac import MacNumber
from ..past.rule import AT_ONCE
from ..plan.model import BandKind, Subnet
from .entitled import stands_in_for
from .facts import Held
from .model import AWAY, DAY, HOUR, MINUTE, SECOND, About, Action, Away, Evidence, Found, Severity, Step, Subject
from .names_told import NamesTold
from .offers import compare, mask_of
from .rule import Rule
from .rules_heard import names_by_word, stray_signs, straying, told_apiece
from .servers import HEARD_FOR, SILENT_ASKS
from .wording import accept, at, called, who
from .world import World


def _title(subnet: Subnet | None) -> str:
    return (subnet.name or str(subnet.network)) if subnet is not None else "a subnet that is gone"


def _heard_now(world: World, key: int) -> bool:
    subnet, server = world.dhcp.server_of(key)
    heard = world.dhcp.servers.get(subnet, {}).get(server)
    return heard is not None and heard.missed < SILENT_ASKS and world.now - heard.last <= HEARD_FOR


def unexpected_server(world: World, key: int) -> Found | Away | None:
    """A DHCP server answers that the plan does not have."""
    subnet_id, server = world.dhcp.server_of(key)
    against = world.dhcp.unexpected(subnet_id, server)
    apiece = told_apiece(world.dhcp.by_word(subnet_id), server)
    if against is None:
        named = _hearsay(world, subnet_id, server)
        return _unasked(world, subnet_id) if named is None else named if apiece else None
    planned = world.dhcp.servers_for(subnet_id)
    subnet = world.plan.subnets.get(subnet_id)
    heard = world.dhcp.servers[subnet_id][server]
    if heard.only_heard and not apiece:
        return None
    evidence = [Evidence(f"{heard.offer.title} offers addresses in {_title(subnet)}", heard.last)]
    if heard.only_heard:
        evidence.append(Evidence("that was overheard: it has not answered a DISCOVER of ours since"))
    evidence += [Evidence(said) for said in against]
    names = ", ".join(one.name for one in planned)
    known = world.dhcp.known(server)
    if known is not None:
        evidence.append(Evidence(f"it is known as {known.name}, which the plan does not have in {_title(subnet)}"))
    evidence.append(Evidence(f"the plan has {names} there" if planned else "the plan has no DHCP server there"))
    return Found(
        Severity.URGENT if against else Severity.WRONG,
        (Subject("server", dotted(server)), who(heard.offer.mac), Subject("subnet", _title(subnet))),
        tuple(evidence),
        "Find it (its MAC tells which switch port) and switch its DHCP off: devices that take its offer lose the network"
        if against
        else "If it belongs there, add its address to the planned server; if not, switch its DHCP off",
        (accept("accept it: it belongs there"),),
        heard=heard.only_heard,
    )


def _unasked(world: World, subnet: int) -> Away | None:
    """Nobody was asked in a subnet since the service began: what was told before may well be so still."""
    return AWAY if subnet not in world.dhcp.asks else None


def _hearsay(world: World, subnet_id: int, server: int) -> Found | None:
    """A client speaks of a DHCP server that nobody planned; whether there is one is being asked."""
    named = world.dhcp.hearsay(subnet_id, server)
    if named is None:
        return None
    subnet = world.plan.subnets.get(subnet_id)
    return Found(
        Severity.WRONG,
        (Subject("server", dotted(server)), who(named.client), Subject("subnet", _title(subnet))),
        (Evidence(f"{called(world, named.client)} speaks to a DHCP server {dotted(server)} in {_title(subnet)}: named by a client, "
                  "unconfirmed", named.first),),
        "It is being asked whether it answers. If it does, find it and switch its DHCP off; if not, this goes away by itself",
        (accept("accept it: it belongs there"),),
        heard=True,
    )  # fmt: skip


def offer_disagrees(world: World, key: int) -> Found | Away | None:
    """The planned server hands out something else than the plan says."""
    subnet_id, server = world.dhcp.server_of(key)
    if not _heard_now(world, key) or not world.dhcp.expected(subnet_id, server):
        return _unasked(world, subnet_id)
    subnet = world.plan.subnets.get(subnet_id)
    heard = world.dhcp.servers[subnet_id][server]
    offer = heard.offer
    against = compare(offer, world.plan, world.site, subnet)
    if not against:
        return None
    return Found(
        Severity.WRONG,
        (Subject("server", dotted(server)), Subject("subnet", _title(subnet))),
        tuple(Evidence(said) for said in against),
        "Publish the plan to the server, or correct the plan",
        (Step(Action.PUBLISH, "see what publishing would change"), accept()),
        heard=heard.only_heard,
    )


def wrong_mask_offered(world: World, key: int) -> Found | Away | None:
    """An offer's mask makes clients believe in another subnet."""
    subnet_id, server = world.dhcp.server_of(key)
    subnet = world.plan.subnets.get(subnet_id)
    if not _heard_now(world, key) or subnet is None or not world.dhcp.expected(subnet_id, server):
        return _unasked(world, subnet_id)
    heard = world.dhcp.servers[subnet_id][server]
    offer = heard.offer
    believed = mask_of(offer)
    if offer.mask is None or (believed is not None and believed == subnet.network):
        return None
    shown = str(believed) if believed is not None else f"a mask with holes, {dotted(offer.mask)}"
    return Found(
        Severity.WRONG,
        (Subject("server", dotted(server)), Subject("subnet", _title(subnet))),
        (Evidence(f"clients of {offer.title} believe to be in {shown}, the plan has {subnet.network}"),),
        "Correct the mask at the server: clients with a wrong mask reach some of their neighbours and not others",
        (accept(),),
        heard=heard.only_heard,
    )


def no_server(world: World, identity: int) -> Found | Away | None:
    """Nobody answers a DISCOVER where the plan has a DHCP server."""
    subnet = world.plan.subnets.get(identity)
    asked = world.dhcp.asks.get(identity)
    if asked is None:
        return AWAY
    if subnet is None or asked[1] < SILENT_ASKS or world.now - asked[0] > DAY:
        return None
    if not any(band.kind is BandKind.POOL for band in world.plan.bands_of(identity)):
        return None
    names = ", ".join(one.name for one in world.dhcp.servers_for(identity)) or "a DHCP server"
    return Found(
        Severity.URGENT,
        (Subject("subnet", _title(subnet)),),
        (Evidence(f"{asked[1] if asked[1] < 4 else 'several'} DISCOVERs in a row got no offer", asked[0]),
         Evidence(f"the plan has {names} there")),
        "Look whether the server runs, listens on this link, has free addresses, and whether a relay is needed",
        (accept(),),
    )  # fmt: skip


def proxy(world: World, mac: MacNumber) -> Found | Away | None:
    """One MAC answers for many addresses: proxy ARP."""
    if not world.stands_in(mac) or mac in world.own_macs:
        return None if world.stand_ins.asked(mac) else AWAY
    found = [a for a in world.answers_for(mac) if stands_in_for(world, mac, a)]
    if not found:
        return None
    return Found(
        Severity.NOTICE,
        (who(mac),),
        (
            Evidence(f"{called(world, mac)} answers for {len(found)} addresses: {_stretches(found)}"),
            Evidence("an echo to one of them came back through it, not from it"),
        ),
        "A router that stands in for addresses behind it (proxy ARP). If that is meant, accept it; if not, switch it off: "
        "it hides who is really there",
        (accept("accept it: it is a router that stands in for others"),),
    )


def _stretches(addresses: list[Address]) -> str:
    """Sorted addresses as first-last, the first few."""
    runs: list[tuple[int, int]] = []
    for address in addresses:
        if runs and runs[-1][1] == address - 1:
            runs[-1] = (runs[-1][0], address)
        else:
            runs.append((address, address))
    told = [dotted(a) if a == b else f"{dotted(a)}-{dotted(b)}" for a, b in runs[:4]]
    return ", ".join(told) + (f" and {len(runs) - 4} more stretches" if len(runs) > 4 else "")


def wrong_mask(world: World, mac: MacNumber) -> Found | Away | None:
    """A device behaves as if its subnet were larger or other than it is."""
    if mac not in world.strays and mac not in world.broadcasts:
        return AWAY
    strays, broadcasts = stray_signs(world, mac)
    if not strays and not broadcasts:
        return None
    place = world.last_place(mac)
    subnet = world.subnet_at(place[0]) if place is not None else None
    if place is None or subnet is None:
        return None
    link = next((one for one in world.links.values() if one.holds(place[0])), None)
    if link is None or not told_apiece(straying(world, link), mac):
        return None  # a device of no own link is not heard on one: other devices send in its name
    evidence = []
    if len(strays) >= 2:
        told = ", ".join(dotted(t) for t in sorted(strays)[:3])
        evidence.append(Evidence(f"it asks by ARP for {told}, which lie outside {subnet.network}"))
    evidence += [
        Evidence(f"it sends to the broadcast address {dotted(t)}; that of {subnet.network} is {dotted(subnet.last)}")
        for t in sorted(broadcasts)[:3]
    ]
    return Found(
        Severity.WRONG,
        (at(place[0]), who(mac)),
        (Evidence(f"{called(world, mac)} is at {dotted(place[0])}"), *evidence),
        f"Set its mask to {subnet.network.netmask} (/{subnet.network.prefixlen}): with a wrong one it misses some addresses",
        (Step(Action.CARD, f"open the card of {dotted(place[0])}", (("address", dotted(place[0])),)), accept()),
        heard=True,
    )


def _beside(one: Held, other: Held) -> bool:
    """True when each answered after the other one had come, or both answered one look."""
    return one.last + AT_ONCE >= other.first and other.last + AT_ONCE >= one.first


def shared_name(world: World, key: int) -> Found | Away | None:
    """Two devices call themselves by one name."""
    name = world.names.name(key)
    if name in NamesTold.EVERYONES:
        return None
    found: dict[int, MacNumber] = {}
    stood: list[Held] = []
    away = 0
    for mac in sorted(world.names.macs.get(name, ())):
        told = world.names.by_mac.get(mac, {}).get(name, 0)
        place = world.last_place(mac)
        if place is None or world.now - told > 7 * DAY:
            continue
        device = world.devices.get(mac)
        identity = device.id if device is not None else -mac
        if world.is_present(*place):
            if identity not in found:
                stood.append(place[1])
            found.setdefault(identity, mac)
        elif identity not in found:
            away += 1
    if len(found) < 2:
        return AWAY if len(found) + away >= 2 else None
    if not any(_beside(one, other) for one, other in combinations(stood, 2)):
        return AWAY  # neither answered since the other one came: a device that came back with another MAC bears its old name
    macs = sorted(found.values())
    heard = any(name not in world.names.answered.get(mac, ()) for mac in macs)
    if heard and not told_apiece(names_by_word(world), key):
        return None
    ids = [str(one) for one in sorted(found) if one > 0]
    places = [(mac, place[0]) for mac in macs if (place := world.last_place(mac)) is not None]
    return Found(
        Severity.NOTICE,
        (Subject("name", name), *(who(mac) for mac in macs)),
        tuple(Evidence(f"{called(world, mac)} at {dotted(address)} calls itself {name}") for mac, address in places),
        "If they are adapters of one device, join them; if not, rename one: whoever asks for the name gets either",
        (Step(Action.JOIN, "they are one device: join them", (("devices", ",".join(ids)),)), accept()),
        heard=heard,
    )


def storm(world: World, key: int) -> Found | None:
    """More frames come than listening can look at."""
    adapter = world.link_of_key(key)
    when, _rate = world.storms.get(adapter or "", (0, 0))
    if adapter is None or not when or world.now - when > 2 * MINUTE:
        return None
    return Found(
        Severity.WRONG,
        (Subject("adapter", adapter),),
        (Evidence(f"a storm of ARP or broadcast frames on {adapter}: only a sample is looked at", when),),
        "Look for a loop in the cabling or a device gone wild; what is seen meanwhile is incomplete",
        (accept(),),
    )


RULES = (
    Rule(
        "unexpected-dhcp-server", "A DHCP server that nobody planned", About.SERVER,
        "Whoever takes its offer gets its gateway and DNS servers", unexpected_server, keeps=HOUR,
    ),
    Rule(
        "offer-disagrees", "The DHCP server's offer disagrees with the plan", About.SERVER,
        "Clients are set otherwise than the plan says", offer_disagrees, keeps=HOUR,
    ),
    Rule(
        "wrong-mask-offered", "The DHCP server hands out a wrong mask", About.SERVER,
        "Clients misjudge who is on their link", wrong_mask_offered, keeps=HOUR,
    ),
    Rule(
        "no-dhcp-server", "No DHCP server answers", About.SUBNET,
        "New devices get no address, and those with leases lose theirs one by one", no_server, keeps=HOUR,
    ),
    Rule(
        "proxy-arp", "One device answers for many addresses", About.MAC,
        "A router stands in for addresses that are not on this link", proxy, lingers=10 * SECOND, keeps=DAY,
    ),
    Rule(
        "wrong-mask", "A device has a wrong mask", About.MAC,
        "It believes other addresses to be on its link than really are", wrong_mask, keeps=HOUR,
    ),
    Rule(
        "shared-hostname", "Two devices bear one hostname", About.NAME,
        "Looking the name up leads to one of them by chance", shared_name, patience=MINUTE, keeps=DAY,
    ),
    Rule(
        "frame-storm", "Too many frames to look at", About.LINK,
        "Broadcast traffic reaches every device and slows all of them down", storm,
    ),
)  # fmt: skip
