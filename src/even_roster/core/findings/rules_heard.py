"""Rules about what was only heard: devices that speak as addresses of other subnets and do not answer there.

Anybody can send such frames, in any number: there is one finding a MAC, and beyond a few of them one for the whole link.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import islice

from ..address import Address, address_of, dotted
from ..mac import Mac, MacNumber
from .claimants import Reading, read
from .facts import Link
from .hearsay import Heard
from .model import HOUR, SECOND, About, Action, Evidence, Found, Severity, Step, Subject
from .names_told import NamesTold
from .rule import Rule
from .wording import accept, at, called, who
from .world import World

MOST_APIECE = 4
"""For how many MACs of a link there is a finding each."""
SHOWN = 3
HOPS = 3
"""How often an address must have changed hands for that to be told."""
AGAIN = 5 * SECOND


def abroad(world: World, address: Address, link: str | None) -> bool:
    """True for an address that belongs to none of the subnets of the link of an adapter, and to none that the plan has on it."""
    on = world.links.get(link or "")
    if on is None or not on.networks or on.holds(address) or address in world.own_addresses:
        return False
    subnet = world.subnet_at(address)
    if subnet is None or subnet.vlan is None:
        return True
    vlans = {s.vlan for n in on.networks if (s := world.subnet_at(address_of(n.network_address))) is not None}
    return subnet.vlan not in vlans  # else two subnets of the plan share this link


def _foreign(world: World, mac: MacNumber) -> list[tuple[Address, Heard]]:
    """The foreign addresses that a MAC was heard as within the last hour, the latest first."""
    if mac in world.own_macs or mac in world.fittings.macs or world.stands_in(mac):
        return []
    found = world.hearsay.of(mac, world.now)
    return [(a, one) for a, one in reversed(found.items()) if abroad(world, a, one.link)]


def _of_link(world: World, adapter: str) -> list[MacNumber]:
    """The MACs of a link that were heard as foreign addresses, those known longest first; worked out anew when something changed,
    and every few seconds."""
    hearsay = world.hearsay
    at, age, ranked = hearsay.ranked.get(adapter, (-1, 0, []))
    if at == hearsay.changes and 0 <= world.now - age <= AGAIN:
        return ranked
    found = []
    for mac in world.hearsay:
        told = _foreign(world, mac)
        if told and told[0][1].link == adapter:
            found.append((world.hearsay.since[mac], mac))
    ranked = [mac for _, mac in sorted(found)]
    hearsay.ranked[adapter] = hearsay.changes, world.now, ranked
    return ranked


def heard_abroad(world: World, mac: MacNumber) -> Found | None:
    """A device was heard as an address of another subnet, and did not answer there."""
    if mac not in world.hearsay:
        return None
    found = _foreign(world, mac)
    if not found or any(world.is_present(a, held) for a, held in world.places.get(mac, {}).items()):
        return None  # who answers at an address of its own, and is heard as another, is asked about; a frame alone says nothing
    link = found[0][1].link or ""
    if mac not in islice(_of_link(world, link), MOST_APIECE):
        return None
    more = len(found) - SHOWN + world.hearsay.left_out.get(mac, 0)
    shown = ", ".join(dotted(a) for a, _ in found[:SHOWN]) + (f" and {more:,} more addresses" if more > 0 else "")
    return Found(
        Severity.NOTICE,
        (who(mac), *(at(a) for a, _ in found[:SHOWN]), Subject("adapter", link)),
        (
            Evidence(f"{called(world, mac)} was heard as {shown} on the link of {link}", found[0][1].last),
            Evidence("it has not answered there: any device on the link can send such a frame in its name"),
        ),
        "If a device at its factory address is connected here, give it an address of this link; if not, find out what sends as it",
        (Step(Action.ASSIGN, "find it an address here", (("mac", str(Mac(mac))),)), accept()),
        heard=True,
    )


def stray_signs(world: World, mac: MacNumber) -> tuple[list[int], list[int]]:
    """The addresses outside its subnet that a MAC asked for within the last hour, and the broadcast addresses that are not its
    subnet's; both empty where that says nothing."""
    strays, broadcasts = world.strays.since(mac, world.now - HOUR), world.broadcasts.since(mac, world.now - HOUR)
    if (len(strays) < 2 and not broadcasts) or world.stands_in(mac):
        return [], []
    return strays, broadcasts


def straying(world: World, link: Link) -> Iterator[MacNumber]:
    """The devices of a link that were heard to behave as if their subnet were another one."""
    for mac in dict.fromkeys((*world.strays.in_turn, *world.broadcasts.in_turn)):
        place = world.last_place(mac)
        if place is not None and link.holds(place[0]) and any(stray_signs(world, mac)):
            yield mac


def turns_by_word(world: World, link: Link) -> Iterator[Address]:
    """The addresses of a link that MACs were heard to claim in turns, some of which have not answered there."""
    for address, line in world.hearsay.lines.items():
        if len(line) > HOPS and link.holds(address) and world.hearsay.at(address, world.now):
            yield address


def claimed_by_word(world: World, link: Link) -> Iterator[Address]:
    """The addresses of a link that MACs which do not answer there were heard to claim lately, though they belong to others."""
    for address in world.hearsay.claimed(world.now):
        if link.holds(address) and not world.is_gateway(address) and read(world, address) is Reading.CLAIMED:
            yield address


def names_by_word(world: World) -> Iterator[int]:
    """The names that several devices tell, where that was overheard of some of them."""
    names = world.names
    for name, macs in names.macs.items():
        if len(macs) < 2 or name in NamesTold.EVERYONES or all(name in names.answered.get(mac, ()) for mac in macs):
            continue
        there = (mac for mac in macs if (place := world.last_place(mac)) is not None and world.is_present(*place))
        devices = {one.id if (one := world.devices.get(mac)) is not None else -mac for mac in there}
        if len(devices) > 1:
            yield names.number(name)


def told_apiece(found: Iterator[int], one: int) -> bool:
    """True when one of these is among the few that have a finding each; the others are told together."""
    return one in islice(found, MOST_APIECE)


def _too_many(found: Iterable[int]) -> bool:
    return sum(1 for _ in islice(found, MOST_APIECE + 1)) > MOST_APIECE


def much_heard(world: World, key: int) -> Found | None:
    """More was heard on a link than is told one by one."""
    adapter = world.link_of_key(key)
    link = world.links.get(adapter or "")
    if adapter is None or link is None:
        return None
    many, said = f"more than {MOST_APIECE}", []
    if _too_many(_of_link(world, adapter)):
        said.append(
            f"{many} MACs on the link of {adapter} were heard as addresses of other subnets and did not answer there"
        )
    if _too_many(straying(world, link)):
        said.append(f"{many} devices on the link of {adapter} were heard to ask for addresses outside their subnet")
    if _too_many(turns_by_word(world, link)):
        said.append(f"{many} addresses on the link of {adapter} are claimed in turns by MACs that did not answer there")
    if _too_many(claimed_by_word(world, link)):
        said.append(f"{many} addresses on the link of {adapter} are claimed by MACs that do not answer there")
    if _too_many(names_by_word(world)):
        said.append(f"{many} names are told by several devices each, as was overheard")
    subnets = dict.fromkeys(s.id for n in link.networks if (s := world.subnet_at(address_of(n.network_address))))
    if any(_too_many(world.dhcp.by_word(one)) for one in subnets):
        said.append(f"{many} DHCP servers that are not in the plan were heard on the link of {adapter}, or named there")
    if not said:
        return None
    return Found(
        Severity.WRONG,
        (Subject("adapter", adapter),),
        tuple(map(Evidence, said)),
        "Find the port that these frames come from: a device that has gone wild, a loop to another network, or forged frames",
        (accept(),),
        heard=True,
    )


RULES = (
    Rule(
        "foreign-address-heard", "A device speaks as an address of another subnet and does not answer there", About.MAC,
        "It may be at its factory settings, or another device sends in its name", heard_abroad, patience=10 * SECOND, keeps=HOUR,
    ),
    Rule(
        "much-heard", "More is heard that contradicts what is known than is told one by one", About.LINK,
        "So much is no accident; any device on the link can send such frames in the name of others", much_heard, keeps=HOUR,
    ),
)  # fmt: skip
