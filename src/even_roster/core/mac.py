"""MAC addresses (EUI-48, IEEE 802-2014 clause 8) in every notation people paste.

One value type, one canonical notation out: lower-case hexadecimal with colons.
This module must never guess: text that is not exactly 48 bits of hexadecimal is refused with a reason.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import total_ordering
from typing import NewType

MacNumber = NewType("MacNumber", int)
"""A MAC address as its 48-bit number, most significant octet first on the wire: where there are many of them."""
NOBODY = MacNumber(0)
"""Stands for no MAC where a number is needed; no adapter has it."""

_SEPARATORS = re.compile(r"[\s:.\-\u2010-\u2015\u2212]")
_QUOTES = "\"'`\u201c\u201d\u201e\u2018\u2019"
_BEFORE = re.compile(r"(?:mac(?:[ -]?address)?\s*[:=]\s*)?(?:0x)?", re.IGNORECASE)
_HEX = re.compile(r"[0-9a-fA-F]*\Z")
_GROUPED = re.compile(r"(?:[0-9a-fA-F]{1,2}[:\-]){5}[0-9a-fA-F]{1,2}\Z")


class MacError(ValueError):
    """Text is not a MAC address; `str(error)` says what is wrong and what would be right."""


@total_ordering
@dataclass(frozen=True, slots=True)
class Mac:
    """A 48-bit MAC address; `value` is 0 to 2**48 - 1, most significant octet first on the wire."""

    value: MacNumber

    def __post_init__(self) -> None:
        if not 0 <= self.value < 1 << 48:
            raise MacError(f"{self.value} is outside the 48 bits of a MAC address")

    @classmethod
    def parse(cls, text: str) -> Mac:
        """Read any common notation: colons, dashes, dots, blanks, bare, mixed case, single-digit groups; also in quotes and with
        `MAC:` or `0x` before it, as it is pasted from elsewhere.

        Raises MacError.
        """
        stripped = text.strip()
        if not _GROUPED.match(stripped):
            stripped = stripped.strip(_QUOTES)
            if before := _BEFORE.match(stripped):
                stripped = stripped[before.end() :].strip()
        if _GROUPED.match(stripped):
            if len(stripped) == 17:
                return cls(MacNumber(int(stripped.replace(":", "").replace("-", ""), 16)))
            groups = re.split(r"[:\-]", stripped)
            return cls(MacNumber(int("".join(group.rjust(2, "0") for group in groups), 16)))
        digits = _SEPARATORS.sub("", stripped)
        if not _HEX.match(digits):
            wrong = next(char for char in digits if char not in "0123456789abcdefABCDEF")
            raise MacError(f"{_shown(text)} is not a MAC address: {wrong!r} is not a hexadecimal digit")
        if len(digits) != 12:
            raise MacError(
                f"{_shown(text)} is not a MAC address: it has {len(digits)} hexadecimal digits, 12 are needed"
            )
        return cls(MacNumber(int(digits, 16)))

    @classmethod
    def from_bytes(cls, octets: bytes) -> Mac:
        """Six octets in wire order. Raises MacError."""
        if len(octets) != 6:
            raise MacError(f"a MAC address has 6 octets, not {len(octets)}")
        return cls(MacNumber(int.from_bytes(octets, "big")))

    def to_bytes(self) -> bytes:
        """Six octets in wire order."""
        return self.value.to_bytes(6, "big")

    @property
    def local(self) -> bool:
        """True when the locally administered bit is set (IEEE 802-2014 8.2.2): often a randomised MAC."""
        return bool(self.value >> 41 & 1)

    @property
    def multicast(self) -> bool:
        """True when the group bit is set (IEEE 802-2014 8.2.2); broadcast included."""
        return bool(self.value >> 40 & 1)

    @property
    def unusable_as_source(self) -> bool:
        """True for all zeros and for group addresses: no adapter sends from those."""
        return self.value == 0 or self.multicast

    def __str__(self) -> str:
        return colons(self.value)

    def __lt__(self, other: object) -> bool:
        if not isinstance(other, Mac):
            return NotImplemented
        return self.value < other.value


BROADCAST = Mac(MacNumber((1 << 48) - 1))


def colons(number: MacNumber) -> str:
    """A MAC address as people write it, where there are too many for values of their own."""
    return number.to_bytes(6, "big").hex(":")


def fragment_digits(text: str) -> str | None:
    """The bare lower-case hex digits of a fragment of a MAC in any notation, or None if it cannot be one.

    Used for search: '0c-4A:10' gives '0c4a10'. At least two digits are needed.
    """
    digits = _SEPARATORS.sub("", text.strip()).lower()
    if 2 <= len(digits) <= 12 and _HEX.match(digits):
        return digits
    return None


def _shown(text: str) -> str:
    return repr(text if len(text) <= 40 else text[:37] + "...")
