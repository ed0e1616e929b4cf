"""Splits, joins and resizes subnets with everything in them. Nothing is orphaned and nothing moves silently. Pure.

Each function gives the items before and after, or raises ReshapeError with the culprit and what to do first. An
address keeps its assignment through all of them; what changes is only which subnet it is counted in.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from ipaddress import IPv4Network

from ..address import address_of, dotted
from ..span import usable
from .model import Assignment, Band, BandKind, Item, Plan, Subnet


class ReshapeError(ValueError):
    """A subnet cannot be reshaped so; the message says what stands in the way and what to do first."""


@dataclass(frozen=True, slots=True)
class Reshaped:
    """Items as they were and as they are to be. New items have negative ids, to be replaced when stored."""

    before: tuple[Item, ...]
    after: tuple[Item, ...]


def contents(plan: Plan, subnet: Subnet) -> list[Assignment]:
    """The assignments that belong to a subnet, by address."""
    return [a for a in plan.assigned_in(subnet.site, subnet.first, subnet.last) if a.subnet == subnet.id]


def split(plan: Plan, subnet: Subnet, prefix: int) -> Reshaped:
    """Cut a subnet into equal parts of a longer prefix; bands are cut at the borders, assignments follow their address.

    The first part keeps the subnet's id and name. Raises ReshapeError where an address would become a network or
    broadcast address, or a part would have a pool across it.
    """
    if not subnet.network.prefixlen < prefix <= 32:
        raise ReshapeError(
            f"{subnet.network} splits into prefixes from /{subnet.network.prefixlen + 1} to /32, not /{prefix}"
        )
    if prefix - subnet.network.prefixlen > 8:
        raise ReshapeError(
            f"a split makes at most 256 subnets; /{subnet.network.prefixlen + 8} is the longest prefix here"
        )
    parts = list(subnet.network.subnets(new_prefix=prefix))
    _check_edges(plan, subnet, parts)
    before: list[Item] = [subnet]
    after: list[Item] = []
    new_id = 0
    ids: list[int] = []
    for number, part in enumerate(parts):
        identity = subnet.id
        if number:
            new_id -= 1
            identity = new_id
        ids.append(identity)
        inside = subnet.gateway is not None and subnet.gateway in range(
            address_of(part.network_address), address_of(part.broadcast_address) + 1
        )
        name = subnet.name if number == 0 or not subnet.name else f"{subnet.name} {number + 1}"
        after.append(
            replace(subnet, id=identity, network=part, name=name, gateway=subnet.gateway if inside else None,
                    version=subnet.version if number == 0 else 1)
        )  # fmt: skip
    for band in plan.bands_of(subnet.id):
        before.append(band)
        kept = False
        for identity, part in zip(ids, parts, strict=True):
            hosts = usable(part) if band.kind is BandKind.POOL else None
            low = max(band.first, int(hosts.first if hosts else part.network_address))
            high = min(band.last, int(hosts.last if hosts else part.broadcast_address))
            if low > high:
                continue
            new_id -= 1
            piece = replace(band, subnet=identity, first=low, last=high)
            after.append(piece if not kept else replace(piece, id=new_id, version=1))
            kept = True
    for item in contents(plan, subnet):
        index = (item.address - subnet.first) >> (32 - prefix)
        if index:
            before.append(item)
            after.append(replace(item, subnet=ids[index]))
    return Reshaped(tuple(before), tuple(after))


def join(plan: Plan, first: Subnet, others: Sequence[Subnet]) -> Reshaped:
    """Make neighbouring subnets one: the first keeps its id, name and settings; bands that a split has cut are whole again.
    Raises ReshapeError."""
    whole = sorted([first, *others], key=lambda s: s.first)
    wide = whole[0].network
    while address_of(wide.broadcast_address) < whole[-1].last and wide.prefixlen:
        wide = wide.supernet()
    if wide.num_addresses != sum(s.network.num_addresses for s in whole) or any(s.site != first.site for s in whole):
        names = ", ".join(str(s.network) for s in whole)
        raise ReshapeError(f"{names} do not fill one larger subnet; join neighbours that together fill {wide} exactly")
    gateways = {s.gateway for s in whole if s.gateway is not None}
    if len(gateways) > 1:
        said = " and ".join(dotted(g) for g in sorted(gateways))
        raise ReshapeError(
            f"they have the gateways {said}, and one subnet has one; take the others' gateways away first"
        )
    gateway = next(iter(gateways), None)
    before: list[Item] = [*whole]
    after: list[Item] = [replace(first, network=wide, gateway=gateway)]
    for part in others:
        for item in contents(plan, part):
            before.append(item)
            after.append(replace(item, subnet=first.id))
    bands = sorted((band for part in whole for band in plan.bands_of(part.id)), key=lambda band: band.first)
    mended = {band.id: band for band in _mended(bands, [part.last for part in whole[:-1]])}
    for band in bands:
        now = mended.get(band.id)
        if now != band or band.subnet != first.id:
            before.append(band)
            after += [replace(now, subnet=first.id)] if now is not None else []
    return Reshaped(tuple(before), tuple(after))


def _mended(bands: Sequence[Band], seams: Sequence[int]) -> list[Band]:
    """Bands by address, with those made one again that a split has cut at a seam, the last address of a part: static ones touch
    there, between pools lie a broadcast and a network address that belonged to nobody."""
    found: list[Band] = []
    for band in bands:
        before = found[-1] if found else None
        if before is not None and _purpose(before) == _purpose(band):
            gap = 1 if band.kind is BandKind.POOL else 0
            if any((before.last, band.first) == (seam - gap, seam + 1 + gap) for seam in seams):
                found[-1] = replace(before, last=band.last)
                continue
        found.append(band)
    return found


def _purpose(band: Band) -> Band:
    return replace(band, id=0, subnet=0, first=0, last=0, version=0)


def resize(plan: Plan, subnet: Subnet, network: IPv4Network) -> Reshaped:
    """Give a subnet another range. What lies in it must fit the new one: assignments, bands and the gateway.

    Raises ReshapeError naming what would be left outside.
    """
    low, high = address_of(network.network_address), address_of(network.broadcast_address)
    outside = [a for a in contents(plan, subnet) if not low <= a.address <= high]
    if outside:
        raise ReshapeError(
            f"{_count(outside)} of {subnet.network} would lie outside {network}: {_some(outside)}; "
            "move or release them first"
        )
    bands = [b for b in plan.bands_of(subnet.id) if b.first < low or b.last > high]
    if bands:
        raise ReshapeError(
            f"the {bands[0].title} ({bands[0].span}) would not fit {network}; shorten or remove it first"
        )
    if subnet.gateway is not None and not low <= subnet.gateway <= high:
        raise ReshapeError(f"the gateway {dotted(subnet.gateway)} would lie outside {network}; change it first")
    _check_edges(plan, subnet, [network])
    return Reshaped((subnet,), (replace(subnet, network=network),))


def removal(plan: Plan, subnet: Subnet) -> Reshaped:
    """Take an empty subnet away with its bands. Raises ReshapeError while assignments are in it."""
    inside = contents(plan, subnet)
    if inside:
        raise ReshapeError(
            f"{subnet.network} still holds {_count(inside)}: {_some(inside)}; move or release them first"
        )
    bands: list[Item] = list(plan.bands_of(subnet.id))
    return Reshaped((*bands, subnet), ())


def _check_edges(plan: Plan, subnet: Subnet, parts: Sequence[IPv4Network]) -> None:
    for part in parts:
        if part.prefixlen >= 31:
            continue
        for edge, which in (
            (address_of(part.network_address), "network"),
            (address_of(part.broadcast_address), "broadcast"),
        ):
            item = plan.at(subnet.site, edge)
            if item is not None and item.subnet == subnet.id:
                raise ReshapeError(
                    f"{dotted(edge)} ({item.title}) would become the {which} address of {part}; move it first"
                )
            if edge == subnet.gateway:
                raise ReshapeError(
                    f"the gateway {dotted(edge)} would become the {which} address of {part}; change it first"
                )


def _count(items: Sequence[Assignment]) -> str:
    return "1 assignment" if len(items) == 1 else f"{len(items):,} assignments"


def _some(items: Sequence[Assignment]) -> str:
    shown = ", ".join(f"{dotted(a.address)} ({a.title})" for a in items[:5])
    return f"{shown} and {len(items) - 5:,} more" if len(items) > 5 else shown
