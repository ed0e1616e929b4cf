"""Reads who announces itself at a switch's ports: LLDP-MIB (IEEE 802.1AB). Pure.

A local port of LLDP has a number of its own (lldpLocPortNum): which interface it is, its identity tells by name, description or
MAC, never the number. A restart of either side gives the same neighbour another time mark, so neighbours are told apart by what
they call themselves.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from ipaddress import IPv4Address

from ..mac import Mac
from ..text import clean
from .reading import Lack, Neighbour, Port

Oid = tuple[int, ...]
Value = int | bytes | Oid | None
Rows = Mapping[Oid, Value]

LONGEST = 255
_ALIAS, _INTERFACE_MAC = 1, 3
_CHASSIS_MAC, _CHASSIS_ADDRESS, _PORT_ADDRESS = 4, 5, 4
_CAPABILITIES = (
    (0x40, "repeater"),
    (0x20, "bridge"),
    (0x10, "access point"),
    (0x08, "router"),
    (0x04, "telephone"),
    (0x01, "station"),
)
_LOCAL_KIND, _LOCAL_ID, _LOCAL_TEXT = 2, 3, 4
_CHASSIS_KIND, _CHASSIS, _PORT_KIND, _PORT, _PORT_TEXT, _NAME, _TEXT, _ENABLED = 4, 5, 6, 7, 8, 9, 10, 12


def neighbours(
    local: Rows, remote: Rows, addresses: Rows, ports: Sequence[Port]
) -> tuple[tuple[Neighbour, ...], tuple[Lack, ...]]:
    """Who announces itself at which port, from lldpLocPortTable, lldpRemTable and lldpRemManAddrTable; what stands behind their
    identifiers begins with the column."""
    places = {number: _interface(local, number, ports) for number in {key[1] for key in local if len(key) == 2}}
    told = _managed(addresses)
    found: dict[tuple[int, str, str], Neighbour] = {}
    nowhere = 0
    rows = {key[1:] for key in remote if len(key) == 4}
    for row in sorted(rows):  # the latest time mark comes last and stays
        number = row[1]
        index = places.get(number)
        chassis = _identity(
            remote.get((_CHASSIS_KIND, *row)), remote.get((_CHASSIS, *row)), _CHASSIS_MAC, _CHASSIS_ADDRESS
        )
        port = _identity(remote.get((_PORT_KIND, *row)), remote.get((_PORT, *row)), _INTERFACE_MAC, _PORT_ADDRESS)
        if not chassis:
            continue
        if index is None:
            nowhere += 1
            continue
        found[index, chassis, port] = Neighbour(
            index, chassis, port, _text(remote.get((_PORT_TEXT, *row))), _text(remote.get((_NAME, *row))),
            _text(remote.get((_TEXT, *row))), _capabilities(remote.get((_ENABLED, *row))), told.get(row),
        )  # fmt: skip
    lacks = (Lack("neighbours", f"{nowhere} announced at ports that it does not tell the interface of"),)
    return tuple(found.values()), lacks if nowhere else ()


def _interface(local: Rows, number: int, ports: Sequence[Port]) -> int | None:
    """The interface of a local port, by what identifies it; None where nothing or several do."""
    kind, octets = local.get((_LOCAL_KIND, number)), local.get((_LOCAL_ID, number))
    text = _text(octets)
    if kind == _INTERFACE_MAC and isinstance(octets, bytes) and len(octets) == 6:
        mac = Mac.from_bytes(octets).value
        found = [port.index for port in ports if port.mac == mac]
    elif kind == _ALIAS:
        found = [port.index for port in ports if text and port.alias == text]
    else:
        found = [port.index for port in ports if text and text in (port.name, port.text)]
    if len(found) != 1:
        described = _text(local.get((_LOCAL_TEXT, number)))
        found = [port.index for port in ports if described and described in (port.name, port.text)]
    return found[0] if len(found) == 1 else None


def _identity(kind: Value, value: Value, mac_kind: int, address_kind: int) -> str:
    """A chassis or port by its subtype (IEEE 802.1AB 8.5.2.2, 8.5.3.2)."""
    if not isinstance(value, bytes):
        return ""
    if kind == mac_kind and len(value) == 6:
        return str(Mac.from_bytes(value))
    if kind == address_kind and value[:1] == b"\1" and len(value) == 5:
        return str(IPv4Address(value[1:]))
    return _text(value) or value.hex()


def _managed(rows: Rows) -> dict[Oid, str]:
    """The IPv4 management address of each neighbour: it stands in the identifier itself (lldpRemManAddr)."""
    found = {}
    for key in rows:
        # column, time mark, local port, index, subtype 1, four octets with or without their count before them
        tail = key[5:] if len(key) == 9 else key[6:] if len(key) == 10 and key[5] == 4 else ()
        if len(tail) == 4 and key[4] == 1 and all(part < 256 for part in tail):
            found[key[1:4]] = str(IPv4Address(bytes(tail)))
    return found


def _capabilities(value: Value) -> tuple[str, ...]:
    """What it is, by the first octet of its enabled capabilities."""
    octet = value[0] if isinstance(value, bytes) and value else 0
    return tuple(word for bit, word in _CAPABILITIES if octet & bit)


def _text(value: Value) -> str:
    return clean(value.decode("utf-8", "replace"), LONGEST) if isinstance(value, bytes) else ""
