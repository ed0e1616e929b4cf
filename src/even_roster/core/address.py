"""Addresses as numbers of one 128-bit space, as a type that mypy can follow. Pure.

IPv4 lies at 0 … 2^32−1 (where RFC 4291 2.5.5.1 had its IPv4-compatible block, which is never on a wire) and IPv6 above, so that
spans, interval sets, bands and stays hold both without a second path. What is particular to a family hangs on `Family`.
"""

from __future__ import annotations

import re
from enum import Enum
from ipaddress import IPv4Address, IPv6Address
from typing import NewType

Address = NewType("Address", int)
"""An address of either family as its number in the space."""

FIRST = Address(0)
LAST_IPV4 = Address((1 << 32) - 1)
LAST = Address((1 << 128) - 1)
_OCTET = r"(25[0-5]|2[0-4][0-9]|1[0-9][0-9]|[1-9]?[0-9])"
_QUAD = re.compile(rf"{_OCTET}\.{_OCTET}\.{_OCTET}\.{_OCTET}\Z")


class Family(Enum):
    """The two families: their number of bits, and where they lie in the space."""

    IPV4 = 4
    IPV6 = 6

    @property
    def bits(self) -> int:
        """How long an address is."""
        return 32 if self is Family.IPV4 else 128

    @property
    def span(self) -> tuple[Address, Address]:
        """The first and the last number of the family."""
        return (Address(0), LAST_IPV4) if self is Family.IPV4 else (Address(LAST_IPV4 + 1), LAST)


def family(address: int) -> Family:
    """Which family a number belongs to."""
    return Family.IPV4 if address <= LAST_IPV4 else Family.IPV6


def as_ip(address: int) -> IPv4Address | IPv6Address:
    """The standard library's form of an address."""
    return IPv4Address(address) if address <= LAST_IPV4 else IPv6Address(address)


def dotted(address: int) -> str:
    """An address as people write it: with dots, or with colons as in RFC 5952."""
    if 0 <= address <= LAST_IPV4:
        return f"{address >> 24}.{address >> 16 & 255}.{address >> 8 & 255}.{address & 255}"
    return str(as_ip(address))


def hostable(address: int) -> bool:
    """False for IPv4 addresses that no device can have on a link: this network, loopback, multicast, reserved and the limited
    broadcast (RFC 1122 3.2.1.3, RFC 6890)."""
    return address > LAST_IPV4 or not (address >> 24 in (0, 127) or address >> 28 >= 0xE)


def address_of(ip: IPv4Address | IPv6Address) -> Address:
    """The number of an address in the space."""
    return Address(int(ip))


def ipv4(text: str) -> Address:
    """The number of an IPv4 address written with dots. Raises ValueError, as the standard library does."""
    if (found := _QUAD.match(text)) is not None:
        first, second, third, fourth = found.groups()
        return Address(int(first) << 24 | int(second) << 16 | int(third) << 8 | int(fourth))
    return address_of(IPv4Address(text))
