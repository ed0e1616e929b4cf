"""Who may hold an address. Pure.

An entitlement comes from people and from servers that we read: the plan, a running lease, adapters that people joined to one
device, members of a router group that people named, this machine's own addresses. What a protocol claims of itself (a VRRP
advertisement, a virtual MAC, an answer on behalf of others) is evidence to weigh and entitles nobody: anybody can forge it.
"""

from __future__ import annotations

from collections.abc import Iterable

from ..absence import ASKED_BY_ARP
from ..address import Address
from ..mac import Mac, MacNumber
from .model import DAY
from .world import World

VIRTUAL_ROUTER = 0x00005E0001  # RFC 5798 7.3: 00-00-5E-00-01-{VRID}


def same_device(world: World, one: int, two: int | None) -> bool:
    """True when people joined both adapters to one device."""
    if two is None:
        return False
    first, second = world.devices.get(one), world.devices.get(two)
    return one == two or (first is not None and second is not None and first.id == second.id)


def gateway_mac(world: World, address: Address) -> tuple[MacNumber, str] | None:
    """The MAC a gateway is known by, and how: the plan has it, it was learnt when its link was scanned first, or it is who has
    answered there longest of those that did within the week."""
    item = world.planned(address)
    if item is not None and item.mac is not None:
        return item.mac, "the plan has it"
    learnt = next((one.gateway_mac for one in world.links.values() if one.gateway == address and one.gateway_mac), None)
    if learnt is not None:
        return learnt, "it was seen there before"
    before = [
        (held.first, mac)
        for mac, held in world.holders.get(address, {}).items()
        if mac is not None
        and mac not in world.own_macs
        and held.sources & ASKED_BY_ARP
        and world.now - held.last <= 7 * DAY
    ]
    return (min(before)[1], "it has answered there longest") if before else None


def owners(world: World, address: Address) -> list[MacNumber]:
    """The MACs that people or servers gave an address to: of the plan, of a running lease, the gateway's learnt one, members."""
    found: list[MacNumber] = []
    item, lease = world.planned(address), world.leased.active(address)
    if item is not None and item.mac is not None:
        found.append(item.mac)
    if lease is not None and lease.mac is not None:
        found.append(lease.mac)
    if world.is_gateway(address) and (gateway := gateway_mac(world, address)) is not None:
        found.append(gateway[0])
    return list(dict.fromkeys([*found, *sorted(world.members.get(address, ()))]))


def entitled(world: World, address: Address, mac: MacNumber) -> bool:
    """True when a MAC may hold an address."""
    if mac in world.own_macs and address in world.own_addresses:
        return True
    return any(same_device(world, mac, owner) for owner in owners(world, address))


def stands_in_for(world: World, mac: MacNumber, address: Address) -> bool:
    """True when a proven proxy answers for an address of its stretch that the plan does not give to it. Where somebody else who may
    hold the address was asked by ARP and answered on this very link, nobody stands in for them, whatever is proven of others."""
    if not world.stands_in(mac):
        return False
    proven, item = world.stand_ins.proven[mac], world.planned(address)
    if not proven.first <= address <= proven.last or (item is not None and item.mac == mac):
        return False
    there = world.holders.get(address, {})
    return not any(one != mac and one in there and there[one].sources & ASKED_BY_ARP for one in owners(world, address))


def parties(world: World, address: Address, macs: Iterable[MacNumber]) -> list[list[MacNumber]]:
    """MACs at one address, those that belong together in one list: adapters of one device, members of one router group."""
    found: list[list[MacNumber]] = []
    members = world.members.get(address, set())
    for mac in macs:
        for party in found:
            if any(same_device(world, mac, one) or (mac in members and one in members) for one in party):
                party.append(mac)
                break
        else:
            found.append([mac])
    return found


def claims_of_routers(world: World, address: Address, macs: Iterable[MacNumber]) -> list[tuple[MacNumber, str]]:
    """What some MACs claim of themselves as virtual routers, as sentences for the evidence."""
    told = []
    for mac in macs:
        if mac >> 8 == VIRTUAL_ROUTER:
            told.append((mac, f"{Mac(mac)} is a virtual router's MAC (RFC 5798), which anybody can use"))
        elif world.announced.said(mac, address):
            told.append((mac, f"{Mac(mac)} announces this address as a virtual router (VRRP), which anybody can do"))
    return told
