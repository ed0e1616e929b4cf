"""Reads an agent's variables into a reading. Each column is cited by its MIB object; a value that is not what its object says is
left out, a row that lacks its key, too. Pure.

IF-MIB is RFC 2863, EtherLike-MIB RFC 3635, ENTITY-MIB RFC 6933, BRIDGE-MIB RFC 4188, Q-BRIDGE-MIB RFC 4363, SNMPv2-MIB RFC 3418.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from enum import Enum

from ..mac import Mac, MacNumber
from ..text import clean
from .neighbour_readers import neighbours
from .reading import Description, Lack, Learnt, Link, Port, Reading

Oid = tuple[int, ...]
Value = int | bytes | Oid | None
Rows = Mapping[Oid, Value]
"""The values of one column by what stands behind its identifier."""

SYSTEM: Oid = (1, 3, 6, 1, 2, 1, 1)
_INTERFACES: Oid = (1, 3, 6, 1, 2, 1, 2, 2, 1)
_MORE: Oid = (1, 3, 6, 1, 2, 1, 31, 1, 1, 1)
_BRIDGE: Oid = (1, 3, 6, 1, 2, 1, 17)
_ENTITY: Oid = (1, 3, 6, 1, 2, 1, 47, 1, 1, 1, 1)
_LLDP: Oid = (1, 0, 8802, 1, 1, 2, 1)
_CHASSIS = 3
_DUPLEX = {2: "half", 3: "full"}
_ETHERNET = frozenset({6, 62, 69, 117})
"""IANAifType: ethernetCsmacd, and the older numbers for faster ones."""
_LEARNED = 3
_FOUR_GIGA = 4_294_967_295
LONGEST = 255


class Column(Enum):
    """What is walked, with its identifier."""

    SYSTEM = SYSTEM
    """sysDescr, sysUpTime, sysContact, sysName, sysLocation"""
    DESCRIPTION = (*_INTERFACES, 2)
    """ifDescr"""
    KIND = (*_INTERFACES, 3)
    """ifType"""
    SPEED = (*_INTERFACES, 5)
    """ifSpeed"""
    ADDRESS = (*_INTERFACES, 6)
    """ifPhysAddress"""
    WANTED = (*_INTERFACES, 7)
    """ifAdminStatus"""
    LINK = (*_INTERFACES, 8)
    """ifOperStatus"""
    NAME = (*_MORE, 1)
    """ifName"""
    HIGH_SPEED = (*_MORE, 15)
    """ifHighSpeed"""
    ALIAS = (*_MORE, 18)
    """ifAlias"""
    BASE_PORT = (*_BRIDGE, 1, 4, 1, 2)
    """dot1dBasePortIfIndex"""
    FORWARDING = (*_BRIDGE, 4, 3, 1, 2)
    """dot1dTpFdbPort"""
    FORWARDING_STATUS = (*_BRIDGE, 4, 3, 1, 3)
    """dot1dTpFdbStatus"""
    VLAN_FORWARDING = (*_BRIDGE, 7, 1, 2, 2, 1, 2)
    """dot1qTpFdbPort"""
    VLAN_FORWARDING_STATUS = (*_BRIDGE, 7, 1, 2, 2, 1, 3)
    """dot1qTpFdbStatus"""
    VLAN_DATABASE = (*_BRIDGE, 7, 1, 4, 2, 1, 3)
    """dot1qVlanFdbId"""
    VLAN = (*_BRIDGE, 7, 1, 4, 5, 1, 1)
    """dot1qPvid"""
    DUPLEX = (1, 3, 6, 1, 2, 1, 10, 7, 2, 1, 19)
    """dot3StatsDuplexStatus"""
    ENTITY_CLASS = (*_ENTITY, 5)
    """entPhysicalClass"""
    FIRMWARE = (*_ENTITY, 9)
    """entPhysicalFirmwareRev"""
    SOFTWARE = (*_ENTITY, 10)
    """entPhysicalSoftwareRev"""
    SERIAL = (*_ENTITY, 11)
    """entPhysicalSerialNum"""
    MODEL = (*_ENTITY, 13)
    """entPhysicalModelName"""
    LOCAL_PORTS = (*_LLDP, 3, 7, 1)
    """lldpLocPortTable"""
    NEIGHBOURS = (*_LLDP, 4, 1, 1)
    """lldpRemTable"""
    NEIGHBOUR_ADDRESSES = (*_LLDP, 4, 2, 1)
    """lldpRemManAddrTable"""


_LINKS = {
    1: Link.UP,
    2: Link.DOWN,
    3: Link.TESTING,
    4: Link.UNKNOWN,
    5: Link.DORMANT,
    6: Link.ABSENT,
    7: Link.LOWER_DOWN,
}


def reading(columns: Mapping[Column, Rows], lacks: Iterable[Lack] = ()) -> Reading:
    """What an agent said, from the columns that were walked."""
    ports = _ports(columns)
    found, missing = _learnt(columns, ports)
    around, nowhere = neighbours(
        columns.get(Column.LOCAL_PORTS, {}),
        columns.get(Column.NEIGHBOURS, {}),
        columns.get(Column.NEIGHBOUR_ADDRESSES, {}),
        ports,
    )
    return Reading(_description(columns), ports, found, around, (*lacks, *missing, *nowhere))


def _description(columns: Mapping[Column, Rows]) -> Description:
    rows = columns.get(Column.SYSTEM, {})
    ticks = rows.get((3, 0))
    chassis = min((key for key, kind in columns.get(Column.ENTITY_CLASS, {}).items() if kind == _CHASSIS), default=(0,))
    model, serial, firmware, software = (
        _text(columns.get(column, {}).get(chassis))
        for column in (Column.MODEL, Column.SERIAL, Column.FIRMWARE, Column.SOFTWARE)
    )
    return Description(
        name=_text(rows.get((5, 0))), text=_text(rows.get((1, 0))), contact=_text(rows.get((4, 0))), place=_text(rows.get((6, 0))),
        up_ticks=ticks if isinstance(ticks, int) else None, model=model, serial=serial, firmware=software or firmware,
    )  # fmt: skip


def _ports(columns: Mapping[Column, Rows]) -> tuple[Port, ...]:
    """Every Ethernet interface, and every other one that is a port of the bridge, in the order of their indexes."""
    names, texts = _by_index(columns, Column.NAME), _by_index(columns, Column.DESCRIPTION)
    kinds, macs = _by_index(columns, Column.KIND), _by_index(columns, Column.ADDRESS)
    aliases = _by_index(columns, Column.ALIAS)
    wanted, links = _by_index(columns, Column.WANTED), _by_index(columns, Column.LINK)
    slow, fast = _by_index(columns, Column.SPEED), _by_index(columns, Column.HIGH_SPEED)
    bases = {index: base for base, index in _bases(columns).items()}
    duplex, vlans = _by_index(columns, Column.DUPLEX), _by_index(columns, Column.VLAN)
    found = []
    for index in sorted({*names, *texts, *kinds}):
        kind = _number(kinds.get(index)) or 0
        if kind not in _ETHERNET and index not in bases:
            continue
        found.append(
            Port(
                index, _text(names.get(index)) or _text(texts.get(index)) or str(index), _text(aliases.get(index)), kind,
                _mac(macs.get(index)), _speed(_number(slow.get(index)), _number(fast.get(index))),
                _LINKS.get(_number(wanted.get(index)) or 0, Link.UNKNOWN), _LINKS.get(_number(links.get(index)) or 0, Link.UNKNOWN),
                bases.get(index), _text(texts.get(index)), _DUPLEX.get(_number(duplex.get(index)) or 0, ""),
                _number(vlans.get(bases.get(index, 0))),
            )
        )  # fmt: skip
    return tuple(found)


def _speed(slow: int | None, fast: int | None) -> int | None:
    """ifHighSpeed is in millions of bits a second, rounded; ifSpeed ends at four thousand millions."""
    if fast is not None and (slow is None or slow >= _FOUR_GIGA or fast * 1_000_000 > slow + 500_000):
        return fast * 1_000_000 or None
    return slow or None


def _bases(columns: Mapping[Column, Rows]) -> dict[int, int]:
    """The interface's index of each port of the bridge."""
    return {
        key[0]: value
        for key, value in columns.get(Column.BASE_PORT, {}).items()
        if len(key) == 1 and isinstance(value, int)
    }


def _learnt(columns: Mapping[Column, Rows], ports: Sequence[Port]) -> tuple[tuple[Learnt, ...], tuple[Lack, ...]]:
    """What the bridge has learnt: by VLAN where it tells that (Q-BRIDGE-MIB), else all together."""
    bases = _bases(columns)
    vlans: dict[int, list[int]] = defaultdict(list)
    for key, database in columns.get(Column.VLAN_DATABASE, {}).items():
        if len(key) == 2 and isinstance(database, int):  # dot1qVlanTimeMark, dot1qVlanIndex
            vlans[database].append(key[1])
    entries = _entries(columns.get(Column.VLAN_FORWARDING, {}), columns.get(Column.VLAN_FORWARDING_STATUS, {}), 7)
    if not entries:
        entries = _entries(columns.get(Column.FORWARDING, {}), columns.get(Column.FORWARDING_STATUS, {}), 6)
    found, unmapped = [], 0
    for key, base in entries:
        index = bases.get(base)
        if index is None:
            unmapped += 1
            continue
        mac = MacNumber(int.from_bytes(bytes(key[-6:]), "big"))
        found.append(Learnt(mac, index, tuple(sorted(vlans[key[0]])) if len(key) == 7 and key[0] in vlans else ()))
    lacks = (
        Lack(
            "forwarding database",
            f"{unmapped} {'MAC is' if unmapped == 1 else 'MACs are'} behind ports that it does not tell the interface of",
        ),
    )
    return tuple(found), lacks if unmapped else ()


def _entries(ports: Rows, statuses: Rows, size: int) -> list[tuple[Oid, int]]:
    """Keys of a forwarding table with their base ports, those that were learnt; port 0 means that it is not known where."""
    return [
        (key, port) for key, port in ports.items()
        if len(key) == size and isinstance(port, int) and port > 0 and all(part < 256 for part in key[-6:])
        and statuses.get(key, _LEARNED) == _LEARNED
    ]  # fmt: skip


def _by_index(columns: Mapping[Column, Rows], column: Column) -> dict[int, Value]:
    return {key[0]: value for key, value in columns.get(column, {}).items() if len(key) == 1}


def _number(value: Value) -> int | None:
    return value if isinstance(value, int) else None


def _text(value: Value) -> str:
    return clean(value.decode("utf-8", "replace"), LONGEST) if isinstance(value, bytes) else ""


def _mac(value: Value) -> MacNumber | None:
    if not isinstance(value, bytes) or len(value) != 6 or not any(value):
        return None
    return Mac.from_bytes(value).value
