"""IPv4 headers (RFC 791) and UDP headers (RFC 768) with their checksums. No fragments are assembled."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from enum import IntEnum
from ipaddress import IPv4Address

from .checksum import internet_checksum
from .errors import WireError, reader

_HEADER = struct.Struct("!BBHHHBBH4s4s")
_UDP = struct.Struct("!HHHH")


class Protocol(IntEnum):
    """IP protocol numbers used here."""

    ICMP = 1
    TCP = 6
    UDP = 17


@dataclass(frozen=True, slots=True)
class Packet:
    """One packet. `fragment_offset` is in octets; a packet with `more` or an offset is only a part."""

    source: IPv4Address
    destination: IPv4Address
    protocol: int
    payload: bytes
    ttl: int = 64
    identification: int = 0
    fragment_offset: int = 0
    more: bool = False


@dataclass(frozen=True, slots=True)
class Udp:
    """One UDP datagram; ports are 0 to 65535."""

    source_port: int
    destination_port: int
    payload: bytes


def encode(packet: Packet) -> bytes:
    """Header without options, checksum set, payload behind it."""
    flags = (0x2000 if packet.more else 0) | packet.fragment_offset // 8
    head = _HEADER.pack(
        0x45, 0, _HEADER.size + len(packet.payload), packet.identification, flags, packet.ttl, packet.protocol, 0,
        packet.source.packed, packet.destination.packed,
    )  # fmt: skip
    return head[:10] + struct.pack("!H", internet_checksum(head)) + head[12:] + packet.payload


@reader
def decode(data: bytes) -> Packet:
    """Read a packet; link padding behind its total length is cut off. Raises WireError."""
    if len(data) < _HEADER.size:
        raise WireError(f"an IPv4 header has {_HEADER.size} octets, here are {len(data)}")
    version_size, _, total, ident, flags, ttl, protocol, _, source, destination = _HEADER.unpack_from(data)
    size = (version_size & 0xF) * 4
    if version_size >> 4 != 4:
        raise WireError(f"IP version {version_size >> 4}, not 4")
    if size < _HEADER.size or not size <= total <= len(data):
        raise WireError(f"header of {size} and total of {total} octets do not fit in {len(data)}")
    if internet_checksum(data[:size]):
        raise WireError("wrong IPv4 header checksum")
    return Packet(
        IPv4Address(source), IPv4Address(destination), protocol, data[size:total], ttl, ident,
        (flags & 0x1FFF) * 8, bool(flags & 0x2000),
    )  # fmt: skip


def encode_udp(datagram: Udp, source: IPv4Address, destination: IPv4Address) -> bytes:
    """Header and payload, the checksum over the pseudo-header of RFC 768 set."""
    length = _UDP.size + len(datagram.payload)
    head = _UDP.pack(datagram.source_port, datagram.destination_port, length, 0)
    total = internet_checksum(_pseudo(source, destination, length) + head + datagram.payload)
    return head[:6] + struct.pack("!H", total or 0xFFFF) + datagram.payload


@reader
def decode_udp(packet: Packet, *, check: bool = True) -> Udp:
    """Read the datagram of a packet; a checksum of zero means none was made. Raises WireError.

    With `check` false the checksum is not looked at: what a machine on the same host sends is seen before its
    adapter (or nobody, on a virtual link) has filled it in.
    """
    data = packet.payload
    if packet.protocol != Protocol.UDP or packet.fragment_offset or packet.more:
        raise WireError("not a whole UDP datagram")
    if len(data) < _UDP.size:
        raise WireError(f"a UDP header has {_UDP.size} octets, here are {len(data)}")
    source_port, destination_port, length, checksum = _UDP.unpack_from(data)
    if not _UDP.size <= length <= len(data):
        raise WireError(f"UDP length {length} does not fit in {len(data)} octets")
    if check and checksum and internet_checksum(_pseudo(packet.source, packet.destination, length) + data[:length]):
        raise WireError("wrong UDP checksum")
    return Udp(source_port, destination_port, data[_UDP.size : length])


def _pseudo(source: IPv4Address, destination: IPv4Address, length: int) -> bytes:
    return source.packed + destination.packed + struct.pack("!BBH", 0, Protocol.UDP, length)
