"""BOOTP (RFC 951), with the vendor area of RFC 1497 and the rules of RFC 1542: what a device without DHCP asks, and the answer.

A message with DHCP's option 53 is DHCP (RFC 2131) and none of this. Nothing is read past the end; bad input raises WireError.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from ipaddress import IPv4Address

from ..core.mac import Mac
from . import ethernet, ipv4
from .dhcp import CLIENT_PORT, NOBODY, SERVER_PORT, Option
from .errors import WireError, reader

_HEAD = struct.Struct("!BBBBIHH4s4s4s4s16s64s128s")
_COOKIE = bytes((99, 130, 83, 99))
_VENDOR = 64
_BROADCAST_FLAG = 0x8000


@dataclass(frozen=True, slots=True)
class Request:
    """A device's question: who it is, the address it has (0.0.0.0: none), whether the answer must be broadcast."""

    transaction: int
    mac: Mac
    client: IPv4Address = NOBODY
    broadcast: bool = False
    seconds: int = 0


def encode(request: Request) -> bytes:
    """The 300 octets of a question."""
    flags = _BROADCAST_FLAG if request.broadcast else 0
    nobody = NOBODY.packed
    head = _HEAD.pack(
        1, 1, 6, 0, request.transaction, request.seconds, flags, request.client.packed, nobody, nobody, nobody,
        request.mac.to_bytes(), b"", b"",
    )  # fmt: skip
    return head + (_COOKIE + b"\xff").ljust(_VENDOR, b"\0")


@reader
def decode(data: bytes) -> Request:
    """Read a question. Raises WireError when it is an answer, DHCP, or nothing of the kind."""
    if len(data) < _HEAD.size:
        raise WireError(f"a BOOTP message has at least {_HEAD.size} octets, here are {len(data)}")
    op, htype, hlen, _, xid, secs, flags, ci, _, _, _, chaddr, _, _ = _HEAD.unpack_from(data)
    if op != 1 or (htype, hlen) != (1, 6):
        raise WireError("not a BOOTP question for Ethernet")
    vendor = data[_HEAD.size :]
    if vendor[:4] == _COOKIE and Option.KIND in _codes(vendor[4:]):
        raise WireError("a DHCP message, not BOOTP")
    return Request(xid, Mac.from_bytes(chaddr[:6]), IPv4Address(ci), bool(flags & _BROADCAST_FLAG), secs)


def _codes(area: bytes) -> set[int]:
    found, at = set(), 0
    while at < len(area) and area[at] != 255:
        if area[at] == 0:
            at += 1
            continue
        found.add(area[at])
        if at + 1 >= len(area):
            break
        at += 2 + area[at + 1]
    return found


def reply(request: Request, yours: IPv4Address, mask: IPv4Address, server: IPv4Address) -> bytes:
    """The answer: an address and its mask, no gateway, no server to boot from but the one who answers."""
    head = _HEAD.pack(
        2, 1, 6, 0, request.transaction, request.seconds, _BROADCAST_FLAG if request.broadcast else 0, request.client.packed,
        yours.packed, server.packed, NOBODY.packed, request.mac.to_bytes(), b"", b"",
    )  # fmt: skip
    return head + (_COOKIE + bytes((Option.MASK, 4)) + mask.packed + b"\xff").ljust(_VENDOR, b"\0")


def frame(payload: bytes, source_mac: Mac, to_mac: Mac, source: IPv4Address, to: IPv4Address, answer: bool) -> bytes:
    """A message in UDP, IPv4 and Ethernet: from client to server, or with `answer` the other way."""
    ports = (SERVER_PORT, CLIENT_PORT) if answer else (CLIENT_PORT, SERVER_PORT)
    body = ipv4.encode_udp(ipv4.Udp(*ports, payload), source, to)
    packet = ipv4.encode(ipv4.Packet(source, to, ipv4.Protocol.UDP, body))
    return ethernet.encode(ethernet.Frame(to_mac, source_mac, ethernet.EtherType.IPV4, packet))
