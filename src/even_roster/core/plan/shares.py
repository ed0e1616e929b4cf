"""The arithmetic of a planned subnet: usable - pools - spare - gateway - taken = left, as a whole and per role."""

from __future__ import annotations

from dataclasses import dataclass

from ..address import address_of
from ..span import SpanSet
from .model import BandKind, Plan, Subnet


@dataclass(frozen=True, slots=True)
class RoleShare:
    """One static band: how many addresses it has, how many are taken, how many are left."""

    band: int | None
    title: str
    roles: tuple[str, ...]
    size: int
    taken: int
    left: int


@dataclass(frozen=True, slots=True)
class Shares:
    """How a subnet's addresses are shared out; `left` is what is free for static use.

    `taken` counts assignments outside pools and spare bands, the gateway's own left out, so that the sum holds:
    usable - pools - spare - gateway - taken = left. For a supernet `taken` counts the addresses of its subnets.
    """

    usable: int
    pools: int
    spare: int
    gateway: int
    taken: int
    left: int
    in_pools: int
    roles: tuple[RoleShare, ...]


def shares(plan: Plan, subnet: Subnet) -> Shares:
    """The sums of one subnet; costs the same for a /8 as for a /24."""
    if subnet.supernet:
        return _supernet(plan, subnet)
    first, last = int(subnet.hosts.first), int(subnet.hosts.last)
    usable = last - first + 1
    pools = spare = in_pools = in_spare = 0
    roles = []
    gateway_in = None
    for band in plan.bands_of(subnet.id):
        low, high = max(band.first, first), min(band.last, last)
        size = max(high - low + 1, 0)
        taken = plan.count_in(subnet.site, low, high) if size else 0
        if subnet.gateway is not None and subnet.gateway in band:
            gateway_in = band
        if band.kind is BandKind.POOL:
            pools, in_pools = pools + size, in_pools + taken
        elif band.kind is BandKind.SPARE:
            spare, in_spare = spare + size, in_spare + taken
        else:
            held = subnet.gateway is not None and subnet.gateway in band and not plan.at(subnet.site, subnet.gateway)
            used = taken + (1 if held else 0)
            roles.append(RoleShare(band.id, band.title, band.roles, size, used, size - used))
    counted = gateway_in is None or gateway_in.kind is BandKind.STATIC
    has_gateway = subnet.gateway is not None and first <= subnet.gateway <= last and counted
    gateway = 1 if has_gateway else 0
    own = 1 if has_gateway and subnet.gateway is not None and plan.at(subnet.site, subnet.gateway) else 0
    taken = plan.count_in(subnet.site, first, last) - in_pools - in_spare - own
    left = usable - pools - spare - gateway - taken
    in_bands = sum(role.size for role in roles)
    rest = usable - pools - spare - in_bands
    if roles and rest > 0:
        rest_left = left - sum(role.left for role in roles)
        roles.append(RoleShare(None, "in no band", (), rest, rest - rest_left, rest_left))
    return Shares(usable, pools, spare, gateway, taken, left, in_pools, tuple(roles))


def _supernet(plan: Plan, subnet: Subnet) -> Shares:
    whole = SpanSet.of([subnet.network])
    inside = [s.network for s in plan.subnets_of(subnet.site) if not s.supernet and s.network.subnet_of(subnet.network)]
    taken = len(SpanSet.of(inside) & whole)
    return Shares(len(whole), 0, 0, 0, taken, len(whole) - taken, 0, ())


def free_blocks(plan: Plan, subnet: Subnet, most: int = 16) -> list[str]:
    """The largest networks of a supernet that no subnet holds yet, at most `most`, the largest first."""
    inside = [s.network for s in plan.subnets_of(subnet.site) if not s.supernet and s.network.overlaps(subnet.network)]
    left = SpanSet.of([subnet.network]) - SpanSet.of(inside)
    return [str(n) for n in sorted(left.networks(), key=lambda n: (n.prefixlen, address_of(n.network_address)))[:most]]
