"""Whether an adapter of ours may be lent an address to reach a device in a foreign subnet, and which. Pure.

What is lent is `X peer DEVICE/32`: one host route and nothing else. It is refused where that route would stand before another: the
factory subnet is planned here, or has a route other than the default.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable
from ipaddress import IPv4Address, IPv4Network

from ..address import Address
from .kinds import Kind

LINK_LOCAL = IPv4Network("169.254.0.0/16")
TRIED = 4


def foreign_subnet(address: Address, kind: Kind | None) -> IPv4Network:
    """The subnet a device believes itself in: that of its kind, else a /24 (169.254.0.0/16 of RFC 3927 as a whole)."""
    ip = IPv4Address(address)
    if ip in LINK_LOCAL:
        return LINK_LOCAL
    known = kind.interface.network if kind is not None and kind.interface is not None else None
    return known if known is not None and ip in known else IPv4Network((address, 24), strict=False)


def refused(network: IPv4Network, planned: Iterable[tuple[IPv4Network, str]], routes: Iterable[IPv4Network]) -> str:
    """Why nothing can be lent for a subnet, as a sentence; empty where it can. `planned` are subnets with their names, `routes`
    those that this machine has beside the default."""
    for one, name in planned:
        if one.overlaps(network):
            return f"{network} is {name or one} here: an address of it would stand in the way of that"
    for route in routes:
        if route.overlaps(network):
            return f"this machine has a route to {route}, which is not to be bent"
    return ""


def to_try(network: IPv4Network, device: Address, taken: Collection[Address]) -> list[Address]:
    """Addresses of a foreign subnet that may be free, to be asked for before one is lent: from its upper part, where makers put
    nothing; never the device's own, the first (a gateway's, most likely), nor one that is known to be somebody's."""
    first, last = int(network.network_address) + 2, int(network.broadcast_address) - 1
    middle = first + (last - first) * 3 // 4
    order = (
        [*range(middle, last + 1), *range(middle - 1, first - 1, -1)] if last - first < 4096 else range(middle, last)
    )
    found: list[Address] = []
    for one in order:
        if one != device and Address(one) not in taken:
            found.append(Address(one))
        if len(found) == TRIED:
            break
    return found
