"""ICMP echo, destination unreachable and time exceeded (RFC 792)."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from enum import IntEnum

from .checksum import internet_checksum
from .errors import WireError, reader

_HEADER = struct.Struct("!BBHHH")


class IcmpType(IntEnum):
    """The message types this project reads."""

    ECHO_REPLY = 0
    UNREACHABLE = 3
    ECHO_REQUEST = 8
    TIME_EXCEEDED = 11


@dataclass(frozen=True, slots=True)
class Echo:
    """An echo request or its reply; identifier and sequence are 16 bits."""

    reply: bool
    identifier: int
    sequence: int
    payload: bytes = b""


@dataclass(frozen=True, slots=True)
class Unreachable:
    """Destination unreachable; `code` as in RFC 792, `original` the head of the packet it is about."""

    code: int
    original: bytes


@dataclass(frozen=True, slots=True)
class TimeExceeded:
    """A packet's time to live ran out on the way (code 0) or its pieces did not come together (1)."""

    code: int
    original: bytes


Message = Echo | Unreachable | TimeExceeded


def encode(message: Message) -> bytes:
    """The message with its checksum."""
    if isinstance(message, Echo):
        kind = IcmpType.ECHO_REPLY if message.reply else IcmpType.ECHO_REQUEST
        data = _HEADER.pack(kind, 0, 0, message.identifier, message.sequence) + message.payload
    else:
        kind = IcmpType.UNREACHABLE if isinstance(message, Unreachable) else IcmpType.TIME_EXCEEDED
        data = _HEADER.pack(kind, message.code, 0, 0, 0) + message.original
    return data[:2] + struct.pack("!H", internet_checksum(data)) + data[4:]


@reader
def decode(data: bytes) -> Message:
    """Read a message. Raises WireError, also for other ICMP types."""
    if len(data) < _HEADER.size:
        raise WireError(f"an ICMP message has at least {_HEADER.size} octets, here are {len(data)}")
    if internet_checksum(data):
        raise WireError("wrong ICMP checksum")
    kind, code, _, identifier, sequence = _HEADER.unpack_from(data)
    if kind in (IcmpType.ECHO_REPLY, IcmpType.ECHO_REQUEST):
        return Echo(kind == IcmpType.ECHO_REPLY, identifier, sequence, data[_HEADER.size :])
    if kind == IcmpType.UNREACHABLE:
        return Unreachable(code, data[_HEADER.size :])
    if kind == IcmpType.TIME_EXCEEDED:
        return TimeExceeded(code, data[_HEADER.size :])
    raise WireError(f"ICMP type {kind} is not read here")
