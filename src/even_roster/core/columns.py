"""Which column of a table holds what: by what was said, by its header, and by what stands in it. Pure.

A header that names a field in plain words is believed. One that can mean several things ("Type", "State", "Location") is
believed where at least half of its cells say what that field can hold. A table in any language is read where a column
without such a header holds addresses, MACs or hostnames and no other one does; what is left is read as notes where one column
alone holds sentences.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from ipaddress import AddressValueError, IPv4Address

from .mac import Mac, MacError
from .names import is_hostname

FIELDS = ("address", "name", "mac", "kind", "role", "notes", "on", "subnet", "site")
STATIC = frozenset(("static", "fixed", "manual", "assigned", "s", "typed in"))
RESERVED = frozenset(("reserved", "reservation", "dhcp", "dhcp reservation", "r", "dynamic reservation"))
ON = frozenset(("on", "yes", "y", "true", "1", "x", "active", "enabled"))
OFF = frozenset(("off", "no", "n", "false", "0", "inactive", "disabled"))
_HEADERS = {
    "address": ("address", "ip", "ip address", "ipv4", "ipv4 address", "ip-address", "host address", "adresse"),
    "name": ("name", "hostname", "host", "host name", "device", "device name", "computer", "label"),
    "mac": ("mac", "mac address", "mac-address", "hardware address", "ethernet", "physical address", "hw address"),
    "kind": ("kind", "how", "static/dhcp"),
    "role": ("role", "device type"),
    "notes": ("note", "notes", "comment", "comments", "remark", "remarks", "description", "info"),
    "on": ("on", "enabled"),
    "subnet": ("subnet", "network", "range", "vlan name"),
    "site": ("site",),
}
_PERHAPS = {
    "type": ("kind", "role"), "assignment": ("kind",), "mode": ("kind",), "category": ("role", "kind"), "function": ("role",),
    "group": ("role",), "state": ("on",), "status": ("on", "kind"), "active": ("on",), "location": ("site",), "building": ("site",),
}  # fmt: skip
_NUMBERED = re.compile(r"column (\d{1,4})")
_LOOKED_AT = 500  # rows that are enough to see what a column holds


class SheetError(ValueError):
    """A table cannot be used at all; the message says where (row and column) and what would be right. `headers` are those of its
    columns, where it is they that are not clear."""

    headers: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Columns:
    """Every column's header ("column 3" where it has none), which column (from 0) holds which field, and the fields told by what
    stands in the column, not by its header."""

    headers: tuple[str, ...]
    places: Mapping[str, int]
    by_values: tuple[str, ...]


def recognise(
    rows: Sequence[Sequence[str]], mapping: Mapping[str, str] | None = None, roles: Collection[str] = (),
    sites: Collection[str] = (),
) -> Columns:  # fmt: skip
    """Which column holds which field. `mapping` (field to header) settles what is open; a field mapped to nothing is not read.

    `roles` and `sites` are the names the plan knows. Raises SheetError.
    """
    folded = [_folded(header) or f"column {at}" for at, header in enumerate(rows[0], start=1)]
    shown = [_shown(header.strip(), at, folded) for at, header in enumerate(rows[0])]
    for at, header in enumerate(shown):
        if _is_address(header):
            raise SheetError(
                f"row 1: it holds {header[:40]} in column {at + 1}, so it is no row of headers; "
                "put one above it, such as address, name, mac"
            )
    try:
        return _recognised(rows, mapping or {}, shown, folded, roles, sites)
    except SheetError as error:
        error.headers = tuple(shown)
        raise


def _recognised(
    rows: Sequence[Sequence[str]], mapping: Mapping[str, str], shown: Sequence[str], folded: Sequence[str],
    roles: Collection[str], sites: Collection[str],
) -> Columns:  # fmt: skip
    found = _said(mapping, shown, folded)
    closed = {name for name, header in mapping.items() if not header.strip()}
    _by_header(found, closed, shown, folded)
    known = {
        "kind": STATIC | RESERVED, "on": ON | OFF, "role": {_folded(one) for one in roles}, "site": {_folded(one) for one in sites},
    }  # fmt: skip
    sample = rows[1 : _LOOKED_AT + 1]
    told = []
    for at, header in enumerate(folded):
        if at in found.values():
            continue
        for name in _PERHAPS.get(header, ()):
            if name not in found and name not in closed and _share(sample, at, _among(known[name])) >= 0.5:
                found[name] = at
                told.append(name)
                break
    for name, holds in _LOOKS.items():
        if name in found or name in closed:
            continue
        left = [at for at, header in enumerate(folded) if at not in found.values() and header not in _PERHAPS]
        places = [at for at in left if _share(sample, at, holds) >= 0.8]
        own = [at for at in places if _distinct(sample, at) >= 0.8]  # not a gateway, a vendor, the same in many rows
        if len(own) == 1:
            found[name] = own[0]
            told.append(name)
        elif name == "address" and places:
            both = " and ".join(repr(shown[at]) for at in places)
            raise SheetError(
                f"row 1: {both} both hold addresses; say which is the device's, such as address={shown[places[0]]}"
            )
    if "notes" not in found and "notes" not in closed:
        left = [at for at, header in enumerate(folded) if at not in found.values() and header not in _PERHAPS]
        own = [at for at in left if _share(sample, at, _is_phrase) >= 0.5 and _distinct(sample, at) >= 0.5]
        if len(own) == 1:
            found["notes"] = own[0]
            told.append("notes")
    if "address" not in found:
        there = ", ".join(repr(header.strip()) for header in rows[0] if header.strip()) or "no headers at all"
        raise SheetError(
            f"row 1: no column is recognised as the address (there are {there}); name it with a mapping, such as address=COLUMN"
        )
    return Columns(tuple(shown), found, tuple(told))


def _shown(header: str, at: int, folded: Sequence[str]) -> str:
    """What a column is called: by its header, with its place where that stands twice."""
    if not header:
        return f"column {at + 1}"
    return f"{header} (column {at + 1})" if folded.count(folded[at]) > 1 else header


def _folded(text: str) -> str:
    return " ".join(text.casefold().replace("_", " ").split())


def _said(mapping: Mapping[str, str], shown: Sequence[str], folded: Sequence[str]) -> dict[str, int]:
    found: dict[str, int] = {}
    for name, header in mapping.items():
        if name not in FIELDS:
            raise SheetError(f"{name!r} is no field; there are: {', '.join(FIELDS)}")
        key = _folded(header)
        if not key:
            continue
        places = [at for at, one in enumerate(shown) if _folded(one) == key] or [
            at for at, one in enumerate(folded) if one == key
        ]
        if not places and (numbered := _NUMBERED.fullmatch(key)) and 0 < int(numbered[1]) <= len(shown):
            places = [int(numbered[1]) - 1]
        if not places:
            raise SheetError(f"row 1: there is no column {header!r}; there are: {', '.join(filter(None, shown))}")
        if len(places) > 1:
            them = " and ".join(f"column {at + 1}" for at in places)
            raise SheetError(
                f"row 1: {header!r} stands in {them}; say which is meant, such as {name}=column {places[0] + 1}"
            )
        found[name] = places[0]
    return found


def _by_header(found: dict[str, int], closed: Collection[str], shown: Sequence[str], folded: Sequence[str]) -> None:
    for name in FIELDS:
        if name in found or name in closed:
            continue
        places = [at for at, header in enumerate(folded) if header in _HEADERS[name] and at not in found.values()]
        if len(places) > 1:
            both = " and ".join(repr(shown[at]) for at in places)
            raise SheetError(
                f"row 1: {both} could both be the {name}; say which with a mapping, such as {name}={shown[places[0]]}"
            )
        if places:
            found[name] = places[0]


def _share(sample: Sequence[Sequence[str]], at: int, holds: Callable[[str], bool]) -> float:
    """How many of a column's filled cells are so, 0 to 1; 0 for an empty column."""
    cells = _cells(sample, at)
    return sum(map(holds, cells)) / len(cells) if cells else 0.0


def _distinct(sample: Sequence[Sequence[str]], at: int) -> float:
    """How many different texts a column's filled cells hold, for each of them: 1 where none stands twice."""
    cells = _cells(sample, at)
    return len(set(map(_folded, cells))) / len(cells) if cells else 0.0


def _cells(sample: Sequence[Sequence[str]], at: int) -> list[str]:
    return [row[at].strip().removeprefix("'") for row in sample if at < len(row) and row[at].strip()]


def _among(words: Collection[str]) -> Callable[[str], bool]:
    return lambda cell: _folded(cell) in words


def _is_address(cell: str) -> bool:
    with suppress(AddressValueError):
        IPv4Address(cell.strip().partition("/")[0])
        return True
    return False


def _is_mac(cell: str) -> bool:
    """Whether it reads as a MAC and not as a bare number, such as an inventory's."""
    with suppress(MacError):
        Mac.parse(cell)
        return not cell.isdecimal()
    return False


def _is_name(cell: str) -> bool:
    """Whether it reads as a hostname and as a word: three letters in a row, which serial numbers seldom have."""
    run = 0
    for letter in cell:
        run = run + 1 if letter.isalpha() else 0
        if run == 3:
            return is_hostname(cell.rstrip(".")) and not _is_mac(cell)
    return False


def _is_phrase(cell: str) -> bool:
    """Whether it reads as something that a person wrote: several words, one of them with three letters in a row."""
    return " " in cell.strip() and re.search(r"[^\W\d_]{3}", cell) is not None


_LOOKS: dict[str, Callable[[str], bool]] = {"address": _is_address, "mac": _is_mac, "name": _is_name}
