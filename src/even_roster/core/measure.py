"""All sums on a range: what a person would otherwise work out on paper. Pure; costs the same for a /8 as for a /24."""

from __future__ import annotations

from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Network
from itertools import islice

from .ranges import combine, parse_parts
from .span import SpanSet, usable

MOST_BLOCKS = 64


@dataclass(frozen=True, slots=True)
class SubnetSums:
    """The arithmetic of one subnet. `hosts` counts usable addresses; the RFC 3021 rule holds for a /31."""

    network: IPv4Network
    mask: IPv4Address
    inverse_mask: IPv4Address
    broadcast: IPv4Address | None
    first_usable: IPv4Address
    last_usable: IPv4Address
    hosts: int
    reverse_zone: str


@dataclass(frozen=True, slots=True)
class Measure:
    """What a range amounts to. `blocks` are the fewest networks that cover it exactly, at most MOST_BLOCKS of them."""

    spans: SpanSet
    count: int
    first: IPv4Address
    last: IPv4Address
    subnets: tuple[SubnetSums, ...]
    blocks: tuple[IPv4Network, ...]
    blocks_total: int
    smallest_cover: IPv4Network
    kind: str


def measure(text: str, names: dict[str, SpanSet] | None = None) -> Measure:
    """Work out everything about a range written in any of the forms of `ranges`. Raises RangeError."""
    wanted, taken = parse_parts(text, names)
    spans = combine(text, wanted, taken)
    first, last = spans.pairs[0][0], spans.pairs[-1][1]
    return Measure(
        spans=spans,
        count=len(spans),
        first=IPv4Address(first),
        last=IPv4Address(last),
        subnets=tuple(subnet_sums(part.network) for part in wanted if part.network is not None),
        blocks=tuple(islice(spans.networks(), MOST_BLOCKS)),
        blocks_total=sum(1 for _ in spans.networks()),
        smallest_cover=_cover(first, last),
        kind=kind_of(spans),
    )


def subnet_sums(network: IPv4Network) -> SubnetSums:
    """The sums of one subnet."""
    hosts = usable(network)
    return SubnetSums(
        network=network,
        mask=network.netmask,
        inverse_mask=network.hostmask,
        broadcast=network.broadcast_address if network.prefixlen < 31 else None,
        first_usable=hosts.first,
        last_usable=hosts.last,
        hosts=len(hosts),
        reverse_zone=reverse_zone(network),
    )


def reverse_zone(network: IPv4Network) -> str:
    """The in-addr.arpa zone that holds a subnet's PTR records (RFC 1035 3.5; the parent zone off octet bounds)."""
    octets = str(network.network_address).split(".")[: network.prefixlen // 8]
    return ".".join([*reversed(octets), "in-addr", "arpa"])


_PRIVATE = SpanSet.of([IPv4Network("10.0.0.0/8"), IPv4Network("172.16.0.0/12"), IPv4Network("192.168.0.0/16")])
_SHARED = SpanSet.of([IPv4Network("100.64.0.0/10")])
_LINK_LOCAL = SpanSet.of([IPv4Network("169.254.0.0/16")])
_LOOPBACK = SpanSet.of([IPv4Network("127.0.0.0/8")])
_MULTICAST = SpanSet.of([IPv4Network("224.0.0.0/4")])
_RESERVED = SpanSet.of([IPv4Network("0.0.0.0/8"), IPv4Network("240.0.0.0/4")])
_DOCUMENTATION = SpanSet.of(
    [IPv4Network("192.0.2.0/24"), IPv4Network("198.51.100.0/24"), IPv4Network("203.0.113.0/24")]
)
_KINDS = (
    ("private", _PRIVATE), ("link-local", _LINK_LOCAL), ("shared", _SHARED), ("loopback", _LOOPBACK),
    ("multicast", _MULTICAST), ("reserved", _RESERVED), ("documentation", _DOCUMENTATION),
)  # fmt: skip


def kind_of(spans: SpanSet) -> str:
    """What sort of addresses these are: private (RFC 1918), link-local (RFC 3927), shared (RFC 6598), loopback,
    multicast, reserved (RFC 1122, 1112), documentation (RFC 5737), public, or mixed."""
    for name, block in _KINDS:
        if block.covers(spans):
            return name
    if not any(block & spans for _, block in _KINDS):
        return "public"
    return "mixed"


def _cover(first: int, last: int) -> IPv4Network:
    length = 32 - (first ^ last).bit_length()
    mask = (0xFFFFFFFF << (32 - length)) & 0xFFFFFFFF
    return IPv4Network((first & mask, length))
