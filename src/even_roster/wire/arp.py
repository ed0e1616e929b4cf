"""ARP for IPv4 over Ethernet (RFC 826), probes and announcements (RFC 5227)."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from enum import IntEnum
from ipaddress import IPv4Address

from ..core.mac import BROADCAST, Mac, MacNumber
from .errors import WireError, reader
from .ethernet import EtherType, Frame

_PACKET = struct.Struct("!HHBBH6s4s6s4s")
NO_MAC = Mac(MacNumber(0))


class Operation(IntEnum):
    """The two operations of RFC 826."""

    REQUEST = 1
    REPLY = 2


@dataclass(frozen=True, slots=True)
class Arp:
    """One packet; an ARP probe (RFC 5227 1.1) has `sender_address` 0.0.0.0."""

    operation: Operation
    sender_mac: Mac
    sender_address: IPv4Address
    target_mac: Mac
    target_address: IPv4Address

    @property
    def announcement(self) -> bool:
        """True when sender and target address are the same (gratuitous ARP, RFC 5227 3)."""
        return self.sender_address == self.target_address


def encode(packet: Arp) -> bytes:
    """The 28 octets of a packet."""
    return _PACKET.pack(
        1, EtherType.IPV4, 6, 4, packet.operation,
        packet.sender_mac.to_bytes(), packet.sender_address.packed,
        packet.target_mac.to_bytes(), packet.target_address.packed,
    )  # fmt: skip


@reader
def decode(data: bytes) -> Arp:
    """Read a packet; padding behind it is ignored. Raises WireError."""
    if len(data) < _PACKET.size:
        raise WireError(f"an ARP packet has {_PACKET.size} octets, here are {len(data)}")
    hardware, protocol, mac_size, address_size, operation, smac, saddr, tmac, taddr = _PACKET.unpack_from(data)
    if (hardware, protocol, mac_size, address_size) != (1, EtherType.IPV4, 6, 4):
        raise WireError("not ARP for IPv4 over Ethernet")
    if operation not in (Operation.REQUEST, Operation.REPLY):
        raise WireError(f"ARP operation {operation} is neither request nor reply")
    return Arp(
        Operation(operation),
        Mac.from_bytes(smac),
        IPv4Address(saddr),
        Mac.from_bytes(tmac),
        IPv4Address(taddr),
    )


def request(sender_mac: Mac, sender_address: IPv4Address, target: IPv4Address) -> Frame:
    """A broadcast question: who has `target`?"""
    packet = Arp(Operation.REQUEST, sender_mac, sender_address, NO_MAC, target)
    return Frame(BROADCAST, sender_mac, EtherType.ARP, encode(packet))


def probe(sender_mac: Mac, target: IPv4Address) -> Frame:
    """A question that claims nothing (RFC 5227 2.1.1): sent from 0.0.0.0, so that no table learns a wrong pair."""
    return request(sender_mac, IPv4Address(0), target)


def reply_to(question: Arp, mac: Mac, address: IPv4Address) -> Frame:
    """The unicast answer of the holder of `address` to a question."""
    packet = Arp(Operation.REPLY, mac, address, question.sender_mac, question.sender_address)
    return Frame(question.sender_mac, mac, EtherType.ARP, encode(packet))


def announcement(mac: Mac, address: IPv4Address) -> Frame:
    """A gratuitous request that tells the link who has `address` (RFC 5227 2.3)."""
    return request(mac, address, address)
