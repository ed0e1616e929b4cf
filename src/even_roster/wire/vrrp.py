"""VRRP advertisements for IPv4 (RFC 5798 version 3, RFC 3768 version 2): who shares a virtual router's addresses."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from ipaddress import IPv4Address

from ..core.mac import Mac, MacNumber
from . import ethernet, ipv4
from .checksum import internet_checksum
from .errors import WireError, reader

PROTOCOL = 112
GROUP = IPv4Address("224.0.0.18")
GROUP_MAC = Mac(MacNumber(0x01005E000012))
_HEAD = struct.Struct("!BBBBHH")


@dataclass(frozen=True, slots=True)
class Advertisement:
    """One advertisement: the router's number, its priority (0: it leaves), the addresses it answers for."""

    router: int
    priority: int
    addresses: tuple[IPv4Address, ...]
    version: int = 3

    @property
    def mac(self) -> Mac:
        """The virtual router's own MAC (RFC 5798 7.3)."""
        return Mac(MacNumber(0x00005E000100 | self.router))


@reader
def decode(packet: ipv4.Packet) -> Advertisement:
    """Read an advertisement from its packet. Raises WireError; a TTL other than 255 came through a router (5.1.1.3)."""
    if packet.protocol != PROTOCOL:
        raise WireError("not VRRP")
    if packet.ttl != 255:
        raise WireError(f"VRRP with TTL {packet.ttl}: it did not come from this link")
    data = packet.payload
    if len(data) < _HEAD.size:
        raise WireError("a VRRP advertisement is cut off")
    first, router, priority, count, _, _ = _HEAD.unpack_from(data)
    version = first >> 4
    if version not in (2, 3) or first & 0xF != 1:
        raise WireError("not a VRRP advertisement of version 2 or 3")
    if len(data) < _HEAD.size + 4 * count or not router:
        raise WireError("a VRRP advertisement is shorter than its addresses")
    addresses = tuple(IPv4Address(data[at : at + 4]) for at in range(_HEAD.size, _HEAD.size + 4 * count, 4))
    return Advertisement(router, priority, addresses, version)


def encode(advert: Advertisement, source: IPv4Address) -> bytes:
    """The advertisement as bytes, its checksum over the pseudo header (RFC 5798 5.2.8)."""
    addresses = b"".join(address.packed for address in advert.addresses)
    size = _HEAD.size + len(addresses)
    head = (0x31, advert.router, advert.priority, len(advert.addresses), 100)
    pseudo = source.packed + GROUP.packed + struct.pack("!BBH", 0, PROTOCOL, size)
    total = internet_checksum(pseudo + _HEAD.pack(*head, 0) + addresses)
    return _HEAD.pack(*head, total) + addresses


def frame(advert: Advertisement, source: IPv4Address) -> bytes:
    """The advertisement in packet and frame, from the virtual router's MAC (RFC 5798 7.3)."""
    packet = ipv4.encode(ipv4.Packet(source, GROUP, PROTOCOL, encode(advert, source), ttl=255))
    return ethernet.encode(ethernet.Frame(GROUP_MAC, advert.mac, ethernet.EtherType.IPV4, packet))
