"""The computer that a person gives an address for a while, to reach a device in a foreign subnet: which address that is. Pure."""

from __future__ import annotations

from collections.abc import Sequence
from ipaddress import IPv4Interface, IPv4Network

from ..address import Address
from .kinds import Kind
from .lending import foreign_subnet, to_try
from .progress import Progress


def given(
    now: Progress, target: Address | None, kind: Kind | None, planned: Sequence[IPv4Network]
) -> IPv4Interface | None:
    """The address that a computer is given: beside the one that the device has, or had last, in a subnet that is not planned here.
    Always the same one, and never the one that this machine is lent first."""
    found = (now.found.address,) if now.found is not None and now.found.address else ()
    for old in (*found, *reversed(now.olds)):
        network = foreign_subnet(old, kind)
        if old == target or any(network.overlaps(one) for one in planned):
            continue
        free = to_try(network, old, ())
        if len(free) > 1:
            return IPv4Interface((free[1], network.prefixlen))
    return None
