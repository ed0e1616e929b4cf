"""Reads what a router or switch knows of addresses: its ARP and neighbour tables, and its own addresses (IP-MIB, RFC
4293). Pure."""

from __future__ import annotations

from collections.abc import Mapping
from ipaddress import IPv4Address, IPv6Address

from ..address import Address, address_of
from ..mac import Mac
from .columns import Column, Oid, Rows
from .reading import Pair

_UNSURE = frozenset({5, 7})
"""ipNetToPhysicalState: invalid, incomplete"""
_INVALID = 2
"""ipNetToMediaType: invalid"""


def pairs(columns: Mapping[Column, Rows]) -> tuple[Pair, ...]:
    """Addresses with their MACs: of both families where the newer table is there, else IPv4."""
    found: dict[tuple[Address, bytes], None] = {}
    states = columns.get(Column.NEIGHBOUR_STATES, {})
    for key, octets in columns.get(Column.NEIGHBOUR_MACS, {}).items():
        address = _address(key[1:])
        if address is not None and states.get(key) not in _UNSURE and isinstance(octets, bytes):
            found[address, octets] = None
    if not found:
        kinds = columns.get(Column.MEDIA_KINDS, {})
        for key, octets in columns.get(Column.MEDIA_MACS, {}).items():
            address = _four(key[1:])
            if address is not None and kinds.get(key) != _INVALID and isinstance(octets, bytes):
                found[address, octets] = None
    told = ((address, octets) for address, octets in found if len(octets) == 6 and any(octets) and not octets[0] & 1)
    return tuple(Pair(address, Mac.from_bytes(octets).value) for address, octets in sorted(told))


def addresses(columns: Mapping[Column, Rows]) -> tuple[Address, ...]:
    """Its own addresses, loopback left out."""
    newer = {_address(key) for key in columns.get(Column.OWN_ADDRESSES, {})}
    older = {_four(key) for key in columns.get(Column.OLDER_ADDRESSES, {})}
    found = {one for one in (newer - {None}) or older if one is not None}
    return tuple(sorted(one for one in found if one not in _LOOPBACK))


def addressed(columns: Mapping[Column, Rows]) -> frozenset[int] | None:
    """The indexes of the interfaces that have an address of their own; None where none is told at all, so that it is not known of
    any. Loopback does not count, nor what each interface gives itself (link-local IPv6, RFC 4291); what cannot be read does."""
    newer, older = columns.get(Column.OWN_ADDRESSES, {}), columns.get(Column.OLDER_ADDRESSES, {})
    told = [(_address(key), index) for key, index in newer.items() if isinstance(index, int) and not _by_itself(key)]
    told += [(_four(key), index) for key, index in older.items() if isinstance(index, int)]
    return frozenset(index for address, index in told if address not in _LOOPBACK) if newer or older else None


def _by_itself(key: Oid) -> bool:
    """Whether an InetAddress is one that an interface gives itself: ipv6 (2), or ipv6z (4) with a zone, in fe80::/10."""
    return len(key) > 3 and key[0] in (2, 4) and key[2] == 0xFE and key[3] & 0xC0 == 0x80


_LOOPBACK = frozenset({address_of(IPv4Address("127.0.0.1")), address_of(IPv6Address("::1"))})


def _address(key: Oid) -> Address | None:
    """An InetAddressType, its length, and the octets (RFC 4001); link-local IPv6 addresses belong to no place alone and are left
    out."""
    if len(key) < 2 or len(key) != 2 + key[1] or any(part > 255 for part in key[2:]):
        return None
    if key[0] == 1 and key[1] == 4:
        return _four(key[2:])
    if key[0] == 2 and key[1] == 16:
        six = IPv6Address(bytes(key[2:]))
        return None if six.is_link_local or six.is_multicast else address_of(six)
    return None


def _four(key: Oid) -> Address | None:
    if len(key) != 4 or any(part > 255 for part in key):
        return None
    four = IPv4Address(bytes(key))
    return None if four.is_multicast or four.is_unspecified else address_of(four)
