"""How addresses are stored: IPv4 as INTEGER, IPv6 as a BLOB of 16 octets in network order.

SQLite sorts every INTEGER before every BLOB, and BLOBs by their octets, so ranges of either family are index scans in one column,
and what IPv4 stored needs no rewriting. NO_ADDRESS stands behind both: a BLOB of 17 octets.
"""

from __future__ import annotations

from typing import Any

from sqlalchemy import BigInteger
from sqlalchemy.types import TypeDecorator

from ..core.address import LAST, LAST_IPV4, Address

NO_ADDRESS = Address(LAST + 1)
"""Sorts behind every address: of a device that was never seen with one."""
_NONE = b"\xff" * 17


class AddressNumber(TypeDecorator[int]):
    """A column of addresses as numbers of core.address; negative numbers are allowed for rows that are on their way."""

    impl = BigInteger
    cache_ok = True

    def process_bind_param(self, value: Any, dialect: Any) -> Any:
        """A number as it is stored."""
        return value if value is None or value <= LAST_IPV4 else stored(value)

    def process_result_value(self, value: Any, dialect: Any) -> Any:
        """What is stored as a number."""
        return value if value is None or isinstance(value, int) else number(value)


def stored(address: int) -> int | bytes:
    """An address as SQLite keeps it."""
    if address <= LAST_IPV4:
        return address
    return address.to_bytes(16, "big") if address <= LAST else _NONE


def number(value: int | bytes) -> Address:
    """The address that SQLite keeps so."""
    if isinstance(value, int):
        return Address(value)
    return Address(int.from_bytes(value, "big")) if len(value) == 16 else NO_ADDRESS
