"""DHCP messages (RFC 2131) and their options (RFC 2132), as bytes and back.

Options that appear several times are joined (RFC 3396), options in the file and sname fields are read where option 52
says so. Unknown options are kept as bytes. Nothing is read past the end; bad input raises WireError.
"""

from __future__ import annotations

import struct
from collections.abc import Iterable
from dataclasses import dataclass, field
from enum import IntEnum
from ipaddress import IPv4Address

from ..core.mac import Mac
from . import ethernet, ipv4
from .errors import WireError, reader

SERVER_PORT, CLIENT_PORT = 67, 68
BROADCAST_FLAG = 0x8000
_HEAD = struct.Struct("!BBBBIHH4s4s4s4s16s64s128s")
_COOKIE = bytes((99, 130, 83, 99))
_LEAST = 300
NOBODY = IPv4Address(0)
EVERYBODY = IPv4Address("255.255.255.255")


class Kind(IntEnum):
    """Option 53 (RFC 2132 9.6)."""

    DISCOVER = 1
    OFFER = 2
    REQUEST = 3
    DECLINE = 4
    ACK = 5
    NAK = 6
    RELEASE = 7
    INFORM = 8


class Option(IntEnum):
    """Options by code (RFC 2132)."""

    MASK = 1
    ROUTERS = 3
    DNS = 6
    HOSTNAME = 12
    DOMAIN = 15
    NTP = 42
    VENDOR = 43
    ADDRESS = 50
    LEASE_TIME = 51
    OVERLOAD = 52
    KIND = 53
    SERVER = 54
    PARAMETERS = 55
    MESSAGE = 56
    RENEWAL = 58
    REBINDING = 59
    CLIENT_ID = 61
    BOOT_SERVER = 66
    BOOT_FILE = 67


@dataclass(frozen=True, slots=True)
class Message:
    """One message. `reply` is the op field; addresses 0.0.0.0 where there is none; times in seconds."""

    reply: bool
    transaction: int
    mac: Mac
    kind: Kind
    client: IPv4Address = NOBODY
    yours: IPv4Address = NOBODY
    next_server: IPv4Address = NOBODY
    relay: IPv4Address = NOBODY
    seconds: int = 0
    broadcast: bool = False
    options: tuple[tuple[int, bytes], ...] = field(default=())

    def option(self, code: int) -> bytes | None:
        """The value of an option."""
        return next((value for number, value in self.options if number == code), None)

    def addresses(self, code: int) -> list[IPv4Address]:
        """An option that is a list of addresses."""
        value = self.option(code) or b""
        return [IPv4Address(value[i : i + 4]) for i in range(0, len(value) - 3, 4)]

    def address(self, code: int) -> IPv4Address | None:
        """An option that is one address."""
        return next(iter(self.addresses(code)), None)

    def number(self, code: int) -> int | None:
        """An option that is a 32-bit number, such as times in seconds."""
        value = self.option(code)
        return int.from_bytes(value, "big") if value is not None and len(value) == 4 else None

    def text(self, code: int) -> str:
        """An option that is text, as it came: whoever shows it cleans it."""
        return (self.option(code) or b"").rstrip(b"\0").decode("utf-8", "replace")


def encode(message: Message) -> bytes:
    """The octets of a message, padded to 300 as old relays expect (RFC 1542 2.1)."""
    flags = BROADCAST_FLAG if message.broadcast else 0
    head = _HEAD.pack(
        2 if message.reply else 1, 1, 6, 0, message.transaction, message.seconds, flags, message.client.packed,
        message.yours.packed, message.next_server.packed, message.relay.packed, message.mac.to_bytes(), b"", b"",
    )  # fmt: skip
    body = bytearray((Option.KIND, 1, message.kind))
    for code, value in message.options:
        if code == Option.KIND:
            continue
        for start in range(0, len(value) or 1, 255):
            part = value[start : start + 255]
            body += bytes((code, len(part))) + part
    body.append(255)
    return (head + _COOKIE + bytes(body)).ljust(_LEAST, b"\0")


@reader
def decode(data: bytes) -> Message:
    """Read a message. Raises WireError."""
    if len(data) < _HEAD.size + 4:
        raise WireError(f"a DHCP message has at least {_HEAD.size + 4} octets, here are {len(data)}")
    op, htype, hlen, _, xid, secs, flags, ci, yi, si, gi, chaddr, sname, file = _HEAD.unpack_from(data)
    if data[_HEAD.size : _HEAD.size + 4] != _COOKIE:
        raise WireError("not DHCP: the magic cookie of RFC 2131 is missing")
    if op not in (1, 2) or (htype, hlen) != (1, 6):
        raise WireError("not a DHCP message for Ethernet")
    found: dict[int, bytes] = {}
    _options(data[_HEAD.size + 4 :], found)
    overload = found.get(Option.OVERLOAD, b"\0")[:1]
    if overload in (b"\1", b"\3"):
        _options(file, found)
    if overload in (b"\2", b"\3"):
        _options(sname, found)
    kind = found.pop(Option.KIND, b"")
    if len(kind) != 1 or kind[0] not in list(Kind):
        raise WireError("a BOOTP message or an unknown DHCP message type")
    return Message(
        op == 2, xid, Mac.from_bytes(chaddr[:6]), Kind(kind[0]), IPv4Address(ci), IPv4Address(yi), IPv4Address(si),
        IPv4Address(gi), secs, bool(flags & BROADCAST_FLAG), tuple(found.items()),
    )  # fmt: skip


def _options(data: bytes, found: dict[int, bytes]) -> None:
    at = 0
    while at < len(data):
        code = data[at]
        if code == 255:
            return
        if code == 0:
            at += 1
            continue
        if at + 1 >= len(data) or at + 2 + data[at + 1] > len(data):
            raise WireError(f"DHCP option {code} runs past the end of the message")
        length = data[at + 1]
        found[code] = found.get(code, b"") + data[at + 2 : at + 2 + length]
        at += 2 + length


def packed(addresses: Iterable[IPv4Address]) -> bytes:
    """Addresses as the value of an option."""
    return b"".join(address.packed for address in addresses)


def frame(
    message: Message, source_mac: Mac, to_mac: Mac, source: IPv4Address = NOBODY, to: IPv4Address = EVERYBODY
) -> bytes:
    """A message in UDP, IPv4 and Ethernet, as it goes over the own link (RFC 2131 4.1)."""
    ports = (SERVER_PORT, CLIENT_PORT) if message.reply else (CLIENT_PORT, SERVER_PORT)
    body = ipv4.encode_udp(ipv4.Udp(*ports, encode(message)), source, to)
    packet = ipv4.encode(ipv4.Packet(source, to, ipv4.Protocol.UDP, body))
    return ethernet.encode(ethernet.Frame(to_mac, source_mac, ethernet.EtherType.IPV4, packet))


@reader
def of_frame(data: bytes) -> Message | None:
    """The message in a frame; None when it carries something else. Raises WireError on a broken one."""
    outer = ethernet.decode(data)
    if outer.ethertype != ethernet.EtherType.IPV4:
        return None
    packet = ipv4.decode(outer.payload)
    if packet.protocol != ipv4.Protocol.UDP:
        return None
    datagram = ipv4.decode_udp(packet, check=False)
    if {datagram.source_port, datagram.destination_port} - {SERVER_PORT, CLIENT_PORT}:
        return None
    return decode(datagram.payload)
