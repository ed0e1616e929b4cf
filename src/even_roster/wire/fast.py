"""Readers for the two frames a sweep gets by the thousand: ARP packets and echo replies, as plain integers.

They accept exactly what the codecs accept (RFC 826; RFC 791, 792) and are tested against them on random bytes. Tagged frames
and IPv4 options are left to the codecs.
"""

from __future__ import annotations

import struct

from ..core.address import Address
from ..core.mac import MacNumber
from .errors import WireError

_ARP = struct.Struct("!12xHHHBBHHIIHI")
_ARP_SIZE = 42
_ECHO = struct.Struct("!6xHI4xH2xH4xII")
_WORDS_20 = struct.Struct("!10H")
_IP_AT, _ICMP_AT = 14, 34
_ARP_TYPE, _IPV4_TYPE = 0x0806, 0x0800


def read_arp(frame: bytes) -> tuple[int, MacNumber, Address, MacNumber]:
    """Operation, sender's MAC and address, and target's MAC of an untagged ARP frame. Raises WireError."""
    if len(frame) < _ARP_SIZE:
        raise WireError("an ARP frame is cut off")
    ethertype, hardware, protocol, mac_size, size, operation, high, low, address, top, rest = _ARP.unpack_from(frame)
    if ethertype != _ARP_TYPE or hardware != 1 or protocol != _IPV4_TYPE or mac_size != 6 or size != 4:
        raise WireError("not ARP for IPv4 over Ethernet")
    if operation != 1 and operation != 2:
        raise WireError("neither request nor reply")
    return operation, high << 32 | low, address, top << 32 | rest


def read_echo_reply(frame: bytes) -> tuple[MacNumber, Address, int, int] | None:
    """Frame's source MAC, packet's source and destination address, identifier of an echo reply.

    None for frames that are none or that only the codecs can read. Raises WireError for wrong lengths and checksums.
    """
    if len(frame) < _ICMP_AT + 8 or frame[12:15] != b"\x08\x00\x45" or frame[23] != 1 or frame[_ICMP_AT] != 0:
        return None
    high, low, total, fragment, source, destination = _ECHO.unpack_from(frame)
    if fragment & 0x3FFF:
        return None
    end = _IP_AT + total
    if end > len(frame) or total < 28:
        raise WireError("lengths do not fit")
    if sum(_WORDS_20.unpack_from(frame, _IP_AT)) % 0xFFFF:
        raise WireError("wrong IPv4 header checksum")
    message = frame[_ICMP_AT:end]
    if len(message) % 2:
        message += b"\0"
    added = sum(struct.unpack(f"!{len(message) // 2}H", message))
    if added == 0 or added % 0xFFFF:
        raise WireError("wrong ICMP checksum")
    identifier = int.from_bytes(frame[_ICMP_AT + 4 : _ICMP_AT + 6], "big")
    return high << 32 | low, source, destination, identifier
