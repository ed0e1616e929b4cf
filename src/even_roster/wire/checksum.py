"""The Internet checksum (RFC 1071)."""

from __future__ import annotations

import struct


def internet_checksum(data: bytes) -> int:
    """The 16-bit one's complement of the one's complement sum; 0 over data that carries its right checksum."""
    if len(data) % 2:
        data += b"\0"
    total: int = sum(struct.unpack(f"!{len(data) // 2}H", data))
    while total >> 16:
        total = (total & 0xFFFF) + (total >> 16)
    return ~total & 0xFFFF
