"""The part of the Basic Encoding Rules (ITU-T X.690) that SNMP uses (RFC 3417 8): definite lengths, single octets as tags.

Object identifiers are tuples of numbers, which sort as the agents sort them. Reading gives positions instead of copies, because a
switch answers with thousands of values.
"""

from __future__ import annotations

from .errors import WireError

INTEGER, OCTETS, NULL, IDENTIFIER, SEQUENCE = 0x02, 0x04, 0x05, 0x06, 0x30
MOST_PARTS = 128
"""How many numbers an object identifier has at most (RFC 2578 3.5)."""

Oid = tuple[int, ...]


def header(data: bytes, at: int, end: int) -> tuple[int, int, int]:
    """The tag at a place, and where its contents begin and end, which lie before `end`. Raises WireError."""
    if at + 2 > end:
        raise WireError("a BER element is cut off")
    tag, length = data[at], data[at + 1]
    at += 2
    if length & 0x80:
        size = length & 0x7F
        if size == 0 or size > 4 or at + size > end:
            raise WireError("a BER length is indefinite, too long or cut off")
        length = int.from_bytes(data[at : at + size], "big")
        at += size
    if at + length > end:
        raise WireError("a BER element runs past the end of what holds it")
    return tag, at, at + length


def expect(data: bytes, at: int, end: int, tag: int) -> tuple[int, int]:
    """Where the contents of an element with a certain tag begin and end. Raises WireError."""
    found, begin, over = header(data, at, end)
    if found != tag:
        raise WireError(f"a BER element is tagged {found:#04x}, not {tag:#04x}")
    return begin, over


def integer(data: bytes, begin: int, end: int) -> int:
    """A signed number from its contents. Raises WireError."""
    if not 1 <= end - begin <= 9:
        raise WireError("a BER number has no octet, or too many")
    return int.from_bytes(data[begin:end], "big", signed=True)


def unsigned(data: bytes, begin: int, end: int) -> int:
    """A number that is never negative; some agents leave out the zero octet before a high first bit. Raises WireError."""
    if not 1 <= end - begin <= 9:
        raise WireError("a BER number has no octet, or too many")
    return int.from_bytes(data[begin:end], "big")


def identifier(data: bytes, begin: int, end: int) -> Oid:
    """An object identifier from its contents (X.690 8.19). Raises WireError."""
    if begin == end or data[end - 1] & 0x80:
        raise WireError("a BER object identifier is empty or cut off")
    parts: list[int] = []
    part = 0
    for octet in data[begin:end]:
        if octet < 0x80:
            parts.append(part << 7 | octet)
            part = 0
        else:
            part = part << 7 | octet & 0x7F
            if part > 0x1FFFFFF:
                raise WireError("a number in a BER object identifier has more than 32 bits")
    if len(parts) >= MOST_PARTS:
        raise WireError(f"a BER object identifier has more than {MOST_PARTS} numbers")
    first = parts[0]
    top = min(first // 40, 2)
    return (top, first - 40 * top, *parts[1:])


def element(tag: int, contents: bytes) -> bytes:
    """An element with its contents."""
    size = len(contents)
    if size < 0x80:
        return bytes((tag, size)) + contents
    length = size.to_bytes((size.bit_length() + 7) // 8, "big")
    return bytes((tag, 0x80 | len(length))) + length + contents


def encode_integer(value: int, tag: int = INTEGER) -> bytes:
    """A number in as few octets as it needs (8.3)."""
    return element(tag, value.to_bytes((value + (value < 0)).bit_length() // 8 + 1, "big", signed=True))


def encode_octets(value: bytes, tag: int = OCTETS) -> bytes:
    """Octets."""
    return element(tag, value)


def encode_identifier(oid: Oid) -> bytes:
    """An object identifier of at least two numbers. Raises ValueError."""
    if len(oid) < 2 or len(oid) > MOST_PARTS or oid[0] > 2 or (oid[0] < 2 and oid[1] > 39):
        raise ValueError(f"{dotted(oid)} is no object identifier")
    out = bytearray()
    for part in (oid[0] * 40 + oid[1], *oid[2:]):
        if part < 0x80:
            out.append(part)
            continue
        groups = [part & 0x7F]
        while part := part >> 7:
            groups.append(part & 0x7F | 0x80)
        out += bytes(reversed(groups))
    return element(IDENTIFIER, bytes(out))


def dotted(oid: Oid) -> str:
    """An object identifier as people write it."""
    return ".".join(map(str, oid))


def oid(text: str) -> Oid:
    """An object identifier from dotted numbers. Raises ValueError."""
    return tuple(int(part) for part in text.strip(".").split("."))
