"""Reads an agent's variables into a reading. A value that is not what its object says is left out, a row that lacks its key, too;
see `columns` for what is read. Pure."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

from ..mac import Mac, MacNumber
from ..text import clean
from .columns import Column, Oid, Rows, Value
from .neighbour_readers import neighbours
from .port_readers import bundles, counters, members, powers, root, towards, trees
from .reading import Description, Lack, Learnt, Link, Port, Reading
from .router_readers import addressed, addresses, pairs

_CHASSIS = 3
_DUPLEX = {2: "half", 3: "full"}
_ETHERNET = frozenset({6, 62, 69, 117})
"""IANAifType: ethernetCsmacd, and the older numbers for faster ones."""
_LEARNED = 3
_FOUR_GIGA = 4_294_967_295
LONGEST = 255


_LINKS = {
    1: Link.UP,
    2: Link.DOWN,
    3: Link.TESTING,
    4: Link.UNKNOWN,
    5: Link.DORMANT,
    6: Link.ABSENT,
    7: Link.LOWER_DOWN,
}


def reading(
    columns: Mapping[Column, Rows],
    lacks: Iterable[Lack] = (),
    parts: Sequence[tuple[int | None, Mapping[Column, Rows]]] = (),
) -> Reading:
    """What an agent said, from the columns that were walked; `parts` are those of its further bridges, which it keeps apart (one a
    VLAN, whose number comes with it)."""
    ports, unmapped = _ports(columns)
    found, missing = _learnt(columns, ports)
    for vlan, part in parts:
        more, lacking = _learnt({**part, Column.BASE_PORT: {**_plain(columns), **_plain(part)}}, ports)
        found = (*found, *(replace(one, vlans=(vlan,)) if vlan is not None else one for one in more))
        missing = (*missing, *lacking)
    around, nowhere = neighbours(
        columns.get(Column.LOCAL_PORTS, {}),
        columns.get(Column.NEIGHBOURS, {}),
        columns.get(Column.NEIGHBOUR_ADDRESSES, {}),
        ports,
    )
    macs = {port.mac for port in ports if port.mac is not None}
    macs |= {
        mac
        for column in (Column.BRIDGE_ADDRESS, Column.LOCAL_CHASSIS)
        if (mac := _mac(columns.get(column, {}).get((0,)))) is not None
    }
    return Reading(
        _description(columns), ports, found, around, (*lacks, *missing, *nowhere, *unmapped), pairs(columns), addresses(columns),
        frozenset(macs), root=root(columns), addressed=addressed(columns),
    )  # fmt: skip


def _plain(columns: Mapping[Column, Rows]) -> Rows:
    return columns.get(Column.BASE_PORT, {})


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


def _ports(columns: Mapping[Column, Rows]) -> tuple[tuple[Port, ...], tuple[Lack, ...]]:
    """Every Ethernet interface, and every other one that is a port of the bridge, in the order of their indexes; and what cannot be
    told of them."""
    names, texts = _by_index(columns, Column.NAME), _by_index(columns, Column.DESCRIPTION)
    kinds, macs = _by_index(columns, Column.KIND), _by_index(columns, Column.ADDRESS)
    aliases = _by_index(columns, Column.ALIAS)
    wanted, links = _by_index(columns, Column.WANTED), _by_index(columns, Column.LINK)
    slow, fast = _by_index(columns, Column.SPEED), _by_index(columns, Column.HIGH_SPEED)
    bases = {index: base for base, index in _bases(columns).items()}
    duplex, vlans = _by_index(columns, Column.DUPLEX), _by_index(columns, Column.VLAN)
    changed, tagged = _by_index(columns, Column.CHANGED), members(columns)
    tree, counted, ends = trees(columns), counters(columns), towards(columns)
    every = {index: _number(kinds.get(index)) or 0 for index in sorted({*names, *texts, *kinds})}
    wanted_ones = [index for index, kind in every.items() if kind in _ETHERNET or index in bases]
    called = {index: _text(names.get(index)) or _text(texts.get(index)) or str(index) for index in every}
    bundle = bundles(columns, called)
    power, unmapped, feeds = powers(
        columns, {index: called[index] for index in wanted_ones if every[index] in _ETHERNET}
    )
    found = []
    for index in wanted_ones:
        kind, base = every[index], bases.get(index)
        found.append(
            Port(
                index, called[index], _text(aliases.get(index)), kind,
                _mac(macs.get(index)), _speed(_number(slow.get(index)), _number(fast.get(index))),
                _LINKS.get(_number(wanted.get(index)) or 0, Link.UNKNOWN), _LINKS.get(_number(links.get(index)) or 0, Link.UNKNOWN),
                base, _text(texts.get(index)), _DUPLEX.get(_number(duplex.get(index)) or 0, ""),
                _number(vlans.get(base or 0)), tagged.get(base or 0, ()), tree.get(base or 0, ""), bundle.get(index, ""),
                power.get(index, ""), _number(changed.get(index)), counted.get(index), ends.get(base or 0), feeds.get(index),
                _raw(names.get(index)) or _raw(texts.get(index)),
            )
        )  # fmt: skip
    return tuple(found), unmapped


def _speed(slow: int | None, fast: int | None) -> int | None:
    """ifHighSpeed is in millions of bits a second, rounded; ifSpeed ends at four thousand millions
    and says nothing there."""
    if fast is not None and (slow is None or slow >= _FOUR_GIGA or fast * 1_000_000 > slow + 500_000):
        return fast * 1_000_000 or None
    return slow if slow and slow < _FOUR_GIGA else None


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
    """A text as people may see it: older agents write Latin-1 where UTF-8 is due, and end it with a NUL."""
    if not isinstance(value, bytes):
        return ""
    try:
        return clean(value.decode(), LONGEST)
    except UnicodeDecodeError:
        return clean(value.decode("latin-1"), LONGEST)


def _raw(value: Value) -> bytes:
    return value if isinstance(value, bytes) else b""


def _mac(value: Value) -> MacNumber | None:
    if not isinstance(value, bytes) or len(value) != 6 or not any(value):
        return None
    return Mac.from_bytes(value).value
