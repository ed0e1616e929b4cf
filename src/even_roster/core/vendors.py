"""Which vendor a MAC address belongs to: longest prefix wins, the site's own prefixes before the registry's.

The registry's blocks are 24 (MA-L), 28 (MA-M) and 36 bits (MA-S) long, as IEEE's Registration Authority assigns
them. Own prefixes may have any length from 8 to 48 bits. Pure: files are read elsewhere and handed in as lines.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from .mac import Mac
from .text import clean

SHORTEST, LONGEST = 8, 48


class VendorError(ValueError):
    """A prefix or a vendor file is not usable; the message says where and what would be right."""


@dataclass(frozen=True, slots=True, order=True)
class Prefix:
    """The first `length` bits of a MAC address, held left-aligned in 48 bits."""

    value: int
    length: int

    @classmethod
    def parse(cls, text: str) -> Prefix:
        """'0c:4a:10', '0C-4A-10-5', '02ab.cd' or with a length, '02:ab:cd:00/28'. Raises VendorError."""
        body, slash, bits = text.strip().partition("/")
        digits = re.sub(r"[\s:.\-]", "", body)
        if not digits or len(digits) > 12 or not re.fullmatch(r"[0-9a-fA-F]+", digits):
            raise VendorError(f"{text!r} is not a MAC prefix; write its hexadecimal digits, such as 02:ab:cd")
        length = len(digits) * 4
        if slash:
            if not bits.isdigit() or not SHORTEST <= int(bits) <= length:
                raise VendorError(f"{text!r} has a wrong length; after the slash stands {SHORTEST} to {length}")
            length = int(bits)
        if length < SHORTEST:
            raise VendorError(f"{text!r} is too short; a prefix has at least {SHORTEST} bits (two digits)")
        value = int(digits, 16) << (48 - len(digits) * 4)
        return cls(value >> (48 - length) << (48 - length), length)

    def __str__(self) -> str:
        digits = f"{self.value:012x}"[: (self.length + 3) // 4]
        text = ":".join(digits[i : i + 2] for i in range(0, len(digits), 2))
        return text if self.length % 4 == 0 and self.length % 8 == 0 else f"{text}/{self.length}"


@dataclass(frozen=True, slots=True)
class Vendor:
    """Whose block a MAC lies in, and whether the site itself said so."""

    name: str
    prefix: Prefix
    own: bool


class VendorRegistry:
    """Prefix tables by length; a look-up tries own prefixes longest first, then the registry longest first."""

    def __init__(self) -> None:
        self._own: dict[int, dict[int, str]] = {}
        self._registry: dict[int, dict[int, str]] = {}

    def add(self, prefix: Prefix, name: str, *, own: bool) -> None:
        """Put in one block; a later one of the same prefix replaces the earlier."""
        tables = self._own if own else self._registry
        tables.setdefault(prefix.length, {})[prefix.value >> (48 - prefix.length)] = name

    @property
    def public(self) -> dict[int, dict[int, str]]:
        """The public blocks by length: names by the prefix's leading bits."""
        return self._registry

    @public.setter
    def public(self, tables: dict[int, dict[int, str]]) -> None:
        self._registry = tables

    def own_prefixes(self) -> set[Prefix]:
        """The site's own prefixes."""
        return {Prefix(bits << (48 - length), length) for length, names in self._own.items() for bits in names}

    def remove_own(self, prefix: Prefix) -> None:
        """Take an own prefix away; nothing happens if it is not there."""
        self._own.get(prefix.length, {}).pop(prefix.value >> (48 - prefix.length), None)

    def of(self, mac: Mac) -> Vendor | None:
        """The vendor of a MAC, or None. A locally administered MAC has a vendor only by an own prefix."""
        found = _search(self._own, mac.value, own=True)
        if found is None and not mac.local:
            found = _search(self._registry, mac.value, own=False)
        return found

    def __len__(self) -> int:
        return sum(len(table) for tables in (self._own, self._registry) for table in tables.values())


def _search(tables: dict[int, dict[int, str]], value: int, *, own: bool) -> Vendor | None:
    for length in sorted(tables, reverse=True):
        name = tables[length].get(value >> (48 - length))
        if name is not None:
            return Vendor(name, Prefix(value >> (48 - length) << (48 - length), length), own)
    return None


_HEX_LINE = re.compile(r"([0-9A-F]{2}-[0-9A-F]{2}-[0-9A-F]{2})\s+\(hex\)\s+(.*)", re.IGNORECASE)
_RANGE_LINE = re.compile(r"([0-9A-F]{6})(?:-([0-9A-F]{6}))?\s+\(base 16\)\s+(.*)", re.IGNORECASE)


def read_registry(lines: Iterable[str]) -> Iterator[tuple[Prefix, str]]:
    """The blocks of a registry file: IEEE's CSV ('Registry,Assignment,Organization Name,…'), IEEE's text listing,
    or plain lines of 'prefix<blank>name' ('#' starts a comment).

    Raises VendorError with the line number when a line of the plain or CSV form cannot be read.
    """
    stream = iter(lines)
    head: list[str] = []
    for line in stream:
        head.append(line)
        if line.strip():
            break
    first = head[-1].strip().lstrip("\ufeff") if head else ""
    if first.lower().startswith("registry,assignment"):
        yield from _read_csv(stream)
    elif first.upper().startswith("OUI") or "(hex)" in first:
        yield from _read_listing(stream)
    else:
        yield from _read_plain([*head, *stream])


def _read_csv(lines: Iterator[str]) -> Iterator[tuple[Prefix, str]]:
    for number, row in enumerate(csv.reader(lines), start=2):
        if not row:
            continue
        if len(row) < 3:
            raise VendorError(f"line {number} has {len(row)} columns; registry, assignment and name are needed")
        yield _line_prefix(row[1], number), clean(row[2])


def _read_listing(lines: Iterator[str]) -> Iterator[tuple[Prefix, str]]:
    """A '(hex)' line gives the first 24 bits, the '(base 16)' line after it the rest as a range of 24 bits."""
    head = ""
    for line in lines:
        if "(" not in line:
            continue
        if match := _HEX_LINE.match(line.strip()):
            head = match.group(1).replace("-", "")
        elif (match := _RANGE_LINE.match(line.strip())) and head:
            first, last, name = match.groups()
            if last is None:
                yield Prefix(int(head, 16) << 24, 24), clean(name)
            else:
                size = int(last, 16) - int(first, 16) + 1
                yield Prefix(int(head, 16) << 24 | int(first, 16), 48 - (size - 1).bit_length()), clean(name)


def _read_plain(lines: list[str]) -> Iterator[tuple[Prefix, str]]:
    for number, line in enumerate(lines, start=1):
        body = line.partition("#")[0].strip().lstrip("\ufeff")
        if not body:
            continue
        prefix, _, name = body.partition("\t") if "\t" in body else body.partition(" ")
        if not clean(name):
            raise VendorError(f"line {number} has no name; write the prefix, a blank and the vendor's name")
        yield _line_prefix(prefix, number), clean(name)


def _line_prefix(text: str, number: int) -> Prefix:
    try:
        return Prefix.parse(text)
    except VendorError as error:
        raise VendorError(f"line {number}: {error}") from None
