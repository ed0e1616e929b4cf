"""Reads what ports are beside their interfaces: in which VLANs, in which bundle, their part in the spanning tree, what they feed
over Ethernet, and their counters. Pure; see `columns` for the objects."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Mapping

from ..mac import Mac, MacNumber
from .columns import Column, Rows, Value
from .reading import Counted, Lack

_TREE = {1: "disabled", 2: "blocking", 3: "listening", 4: "learning", 5: "", 6: "broken"}
"""dot1dStpPortState; forwarding goes without saying."""
_PARTS = {1: "root", 2: "alternate", 3: "", 4: "backup"}
"""ieee8021MstpPortRole; a designated port goes without saying."""
_TREES = {1: "disabled", 2: "listening", 3: "learning", 4: "", 5: "blocking"}
"""ieee8021MstpPortState"""
_DELIVERING, _FAULT = 3, 4
_COLUMNS = (
    (Column.HIGH_OCTETS_IN, Column.OCTETS_IN), (Column.HIGH_OCTETS_OUT, Column.OCTETS_OUT), (None, Column.ERRORS_IN),
    (None, Column.ERRORS_OUT), (Column.HIGH_PACKETS_IN, Column.PACKETS_IN), (Column.HIGH_PACKETS_OUT, Column.PACKETS_OUT),
)  # fmt: skip


def members(columns: Mapping[Column, Rows]) -> dict[int, tuple[int, ...]]:
    """The VLANs of frames with a tag, by base port: members of dot1qVlanCurrentTable that are not untagged ones."""
    found: dict[int, set[int]] = defaultdict(set)
    untagged = columns.get(Column.VLAN_UNTAGGED, {})
    for key, octets in columns.get(Column.VLAN_MEMBERS, {}).items():
        if len(key) == 2:  # dot1qVlanTimeMark, dot1qVlanIndex
            for port in _bits(octets) - _bits(untagged.get(key)):
                found[port].add(key[1])
    return {port: tuple(sorted(vlans)) for port, vlans in found.items()}


def _bits(octets: Value) -> set[int]:
    """A PortList (RFC 4363): the first bit is base port 1."""
    if not isinstance(octets, bytes):
        return set()
    return {
        place * 8 + bit + 1 for place, octet in enumerate(octets) if octet for bit in range(8) if octet & 0x80 >> bit
    }


def trees(columns: Mapping[Column, Rows]) -> dict[int, str]:
    """What the spanning tree makes of each base port, where that is not the usual; of several trees the one that blocks is told,
    with its number."""
    found = {
        key[0]: _TREE.get(state, "") for key, state in columns.get(Column.TREE_STATE, {}).items()
        if len(key) == 1 and isinstance(state, int)
    }  # fmt: skip
    root = columns.get(Column.ROOT_PORT, {}).get((0,))
    if isinstance(root, int) and root and not found.get(root):
        found[root] = "root"
    parts = columns.get(Column.TREES_PART, {})
    for key, state in sorted(columns.get(Column.TREES_STATE, {}).items()):
        if len(key) != 3 or not isinstance(state, int):  # component, instance, base port
            continue
        part = parts.get(key)
        told = _PARTS.get(part, "") if isinstance(part, int) else ""
        said = told if told else _TREES.get(state, "")
        if said and not found.get(key[2]):
            found[key[2]] = said if not key[1] else f"{said} in tree {key[1]}"
    return {port: said for port, said in found.items() if said}


def root(columns: Mapping[Column, Rows]) -> MacNumber | None:
    """The bridge that is the root of the spanning tree; None where there is none."""
    return _bridge(columns.get(Column.ROOT, {}).get((0,)))


def towards(columns: Mapping[Column, Rows]) -> dict[int, tuple[MacNumber, int]]:
    """Which bridge and port the spanning tree has at the other end of each base port. A port that is the designated one of its link
    is left out: it names itself."""
    own = columns.get(Column.BRIDGE_ADDRESS, {}).get((0,))
    ports = columns.get(Column.TREE_PORT, {})
    found = {}
    for key, octets in columns.get(Column.TREE_BRIDGE, {}).items():
        bridge, port = _bridge(octets), ports.get(key)
        if len(key) != 1 or bridge is None or not isinstance(port, bytes) or len(port) != 2:
            continue
        if not isinstance(octets, bytes) or octets[2:] != own:
            found[key[0]] = bridge, int.from_bytes(port, "big")
    return found


def _bridge(octets: Value) -> MacNumber | None:
    """The MAC of a BridgeId (RFC 4188): it stands behind two octets of priority."""
    if not isinstance(octets, bytes) or len(octets) != 8 or not any(octets[2:]):
        return None
    return Mac.from_bytes(octets[2:]).value


def bundles(columns: Mapping[Column, Rows], called: Mapping[int, str]) -> dict[int, str]:
    """The aggregate that each interface is a member of, by what that is called."""
    return {
        key[0]: called.get(index, str(index)) for key, index in columns.get(Column.BUNDLE, {}).items()
        if len(key) == 1 and isinstance(index, int) and index and index != key[0]
    }  # fmt: skip


def powers(
    columns: Mapping[Column, Rows], called: Mapping[int, str]
) -> tuple[dict[int, str], tuple[Lack, ...], dict[int, tuple[int, int]]]:
    """What each interface feeds over Ethernet. POWER-ETHERNET-MIB numbers its ports by group and place and does not tell the
    interfaces: they are taken only where names end with these numbers, each in one name. Gives these numbers, too."""
    rows = {key: state for key, state in columns.get(Column.POWER, {}).items() if len(key) == 2}
    if not rows:
        return {}, (), {}
    places: dict[tuple[int, ...], list[int]] = defaultdict(list)
    for index, name in called.items():
        numbers = tuple(int(one) for one in re.findall(r"\d{1,6}", name))
        if numbers:
            places[numbers[0] if len(numbers) > 1 else 1, numbers[-1]].append(index)
    if any(len(places.get(key, ())) != 1 for key in rows):
        return {}, (Lack("power over Ethernet", "it does not tell the interfaces of the ports that it numbers"),), {}
    classes, found = columns.get(Column.POWER_CLASS, {}), {}
    for key, state in rows.items():
        kind = classes.get(key)
        of = f" (class {kind - 1})" if isinstance(kind, int) and 1 <= kind <= 5 else ""
        if state == _DELIVERING:
            found[places[key][0]] = f"power{of}"
        elif state == _FAULT:
            found[places[key][0]] = "a fault of its power"
    return found, (), {places[key][0]: (key[0], key[1]) for key in rows}


def counters(columns: Mapping[Column, Rows]) -> dict[int, Counted]:
    """The counters of each interface: those of 64 bits where there are such (RFC 2863 3.1.6)."""
    values = [
        {**_numbers(columns, usual), **(_numbers(columns, high) if high is not None else {})}
        for high, usual in _COLUMNS
    ]
    return {
        index: Counted(*(one.get(index, 0) for one in values))
        for index in {index for one in values[:2] for index in one}
    }


def _numbers(columns: Mapping[Column, Rows], column: Column) -> dict[int, int]:
    return {
        key[0]: value for key, value in columns.get(column, {}).items() if len(key) == 1 and isinstance(value, int) and value >= 0
    }  # fmt: skip
