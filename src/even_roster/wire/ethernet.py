"""Ethernet II frames (IEEE 802.3 clause 3) and 802.1Q tags on the way in. The frame check sequence is the adapter's."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from enum import IntEnum

from ..core.mac import Mac
from .errors import WireError, reader

HEADER = struct.Struct("!6s6sH")
SHORTEST = 60
_TAGS = (0x8100, 0x88A8)


class EtherType(IntEnum):
    """The EtherTypes this project speaks (IEEE 802 numbers)."""

    IPV4 = 0x0800
    ARP = 0x0806


@dataclass(frozen=True, slots=True)
class Frame:
    """One frame without preamble and FCS; `vlan` is the outer 802.1Q VLAN identifier or None."""

    destination: Mac
    source: Mac
    ethertype: int
    payload: bytes
    vlan: int | None = None


def encode(frame: Frame) -> bytes:
    """The frame as bytes, padded to 60 octets (the least that Ethernet carries, FCS not counted)."""
    head = HEADER.pack(frame.destination.to_bytes(), frame.source.to_bytes(), frame.ethertype)
    if frame.vlan is not None:
        head = head[:12] + struct.pack("!HH", 0x8100, frame.vlan) + head[12:]
    return (head + frame.payload).ljust(SHORTEST, b"\0")


@reader
def decode(data: bytes) -> Frame:
    """Read a frame; up to two VLAN tags are looked through. Raises WireError."""
    if len(data) < HEADER.size:
        raise WireError(f"a frame of {len(data)} octets has no Ethernet header")
    destination, source, ethertype = HEADER.unpack_from(data)
    at, vlan = HEADER.size, None
    for _ in range(2):
        if ethertype not in _TAGS:
            break
        if len(data) < at + 4:
            raise WireError("a VLAN tag is cut off")
        tag, ethertype = struct.unpack_from("!HH", data, at)
        vlan = tag & 0xFFF if vlan is None else vlan
        at += 4
    return Frame(Mac.from_bytes(destination), Mac.from_bytes(source), ethertype, data[at:], vlan)
