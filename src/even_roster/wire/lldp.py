"""LLDP data units (IEEE 802.1AB-2016 clause 8): which switch port is at the other end of the cable."""

from __future__ import annotations

from dataclasses import dataclass
from ipaddress import IPv4Address

from ..core.mac import Mac, MacNumber
from ..core.text import clean
from . import ethernet
from .errors import WireError, reader

ETHERTYPE = 0x88CC
NEAREST_BRIDGE = Mac(MacNumber(0x0180C200000E))
_END, _CHASSIS, _PORT, _LIFETIME, _PORT_TEXT, _NAME, _TEXT, _CAPABILITIES, _MANAGEMENT = range(9)
_ORGANISATION = 127
_DOT1 = bytes.fromhex("0080c2")
_MAC_KIND = {_CHASSIS: 4, _PORT: 3}
_ADDRESS_KIND = {_CHASSIS: 5, _PORT: 4}


@dataclass(frozen=True, slots=True)
class Neighbour:
    """Who announces itself: chassis and port as text, `lifetime` in seconds, the port's VLAN where it is told."""

    chassis: str
    port: str
    lifetime: int
    port_text: str = ""
    name: str = ""
    text: str = ""
    address: IPv4Address | None = None
    vlan: int | None = None


@reader
def decode(data: bytes) -> Neighbour:
    """Read a data unit. The three mandatory parts must come first (8.2). Raises WireError."""
    found: dict[int, bytes] = {}
    vlan = None
    at, order = 0, []
    while at + 2 <= len(data):
        kind, length = data[at] >> 1, (data[at] & 1) << 8 | data[at + 1]
        at += 2
        if at + length > len(data):
            raise WireError(f"LLDP part {kind} runs past the end of the data unit")
        value = data[at : at + length]
        at += length
        if kind == _END:
            break
        order.append(kind)
        if kind == _ORGANISATION and value[:4] == _DOT1 + b"\1" and len(value) == 6:
            vlan = int.from_bytes(value[4:6], "big")
        found.setdefault(kind, value)
    if order[:3] != [_CHASSIS, _PORT, _LIFETIME] or len(found[_LIFETIME]) < 2:
        raise WireError("an LLDP data unit begins with chassis, port and lifetime (IEEE 802.1AB 8.2)")
    return Neighbour(
        _identity(_CHASSIS, found[_CHASSIS]), _identity(_PORT, found[_PORT]),
        int.from_bytes(found[_LIFETIME][:2], "big"), _text(found.get(_PORT_TEXT)), _text(found.get(_NAME)),
        _text(found.get(_TEXT)), _management(found.get(_MANAGEMENT, b"")), vlan,
    )  # fmt: skip


def encode(neighbour: Neighbour, chassis: Mac) -> bytes:
    """A data unit with a MAC as chassis and an interface name as port (subtypes 4 and 5)."""
    parts = [
        _part(_CHASSIS, b"\4" + chassis.to_bytes()), _part(_PORT, b"\5" + neighbour.port.encode()),
        _part(_LIFETIME, neighbour.lifetime.to_bytes(2, "big")),
    ]  # fmt: skip
    for kind, value in ((_PORT_TEXT, neighbour.port_text), (_NAME, neighbour.name), (_TEXT, neighbour.text)):
        if value:
            parts.append(_part(kind, value.encode()[:255]))
    if neighbour.address is not None:
        parts.append(_part(_MANAGEMENT, b"\5\1" + neighbour.address.packed + b"\2" + bytes(4) + b"\0"))
    if neighbour.vlan is not None:
        parts.append(_part(_ORGANISATION, _DOT1 + b"\1" + neighbour.vlan.to_bytes(2, "big")))
    return b"".join([*parts, _part(_END, b"")])


def frame(neighbour: Neighbour, source: Mac) -> bytes:
    """A data unit in its frame, to the nearest bridge (7.1)."""
    return ethernet.encode(ethernet.Frame(NEAREST_BRIDGE, source, ETHERTYPE, encode(neighbour, source)))


def _part(kind: int, value: bytes) -> bytes:
    return (kind << 9 | len(value)).to_bytes(2, "big") + value


def _identity(kind: int, value: bytes) -> str:
    """Chassis and port identities by their subtype (8.5.2.2, 8.5.3.2)."""
    if len(value) < 2:
        raise WireError("an LLDP identity is empty")
    subtype, rest = value[0], value[1:]
    if subtype == _MAC_KIND[kind] and len(rest) == 6:
        return str(Mac.from_bytes(rest))
    if subtype == _ADDRESS_KIND[kind] and rest[:1] == b"\1" and len(rest) == 5:
        return str(IPv4Address(rest[1:]))
    return _text(rest) or rest.hex()


def _text(value: bytes | None) -> str:
    return clean((value or b"").decode("utf-8", "replace"), 255)


def _management(value: bytes) -> IPv4Address | None:
    """An IPv4 management address (8.5.9)."""
    return IPv4Address(value[2:6]) if len(value) >= 6 and value[0] == 5 and value[1] == 1 else None
