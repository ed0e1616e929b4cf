"""NetBIOS node status (RFC 1002 4.2.17 and 4.2.18): asks a host over UDP port 137 for its own names."""

from __future__ import annotations

import struct
from dataclasses import dataclass

from ..core.mac import Mac, MacNumber
from .errors import WireError, reader

PORT = 137
_HEADER = struct.Struct("!HHHHHH")
_NBSTAT = 0x0021
_IN = 0x0001
_GROUP = 0x8000
_ACTIVE = 0x0400
WORKSTATION, SERVER = 0x00, 0x20


@dataclass(frozen=True, slots=True)
class NodeName:
    """One registered name: up to 15 octets of text, the service it is for (16th octet), and its flags."""

    name: str
    suffix: int
    group: bool
    active: bool


@dataclass(frozen=True, slots=True)
class NodeStatus:
    """What a host says of itself; `mac` is the unit identifier, None when it is all zeros."""

    transaction: int
    names: tuple[NodeName, ...]
    mac: Mac | None

    @property
    def host_name(self) -> str | None:
        """The unique workstation name (suffix 00), else the server name (suffix 20)."""
        for suffix in (WORKSTATION, SERVER):
            for name in self.names:
                if name.suffix == suffix and not name.group:
                    return name.name
        return None


def encode_request(transaction: int) -> bytes:
    """A node status request for the wildcard name '*' (RFC 1002 4.2.17)."""
    return _HEADER.pack(transaction, 0, 1, 0, 0, 0) + _wildcard() + struct.pack("!HH", _NBSTAT, _IN)


@reader
def decode_request(data: bytes) -> int:
    """The transaction of a node status request. Raises WireError."""
    if len(data) < _HEADER.size + 38:
        raise WireError("a node status request is cut off")
    transaction, flags, questions, _, _, _ = _HEADER.unpack_from(data)
    if flags & 0x8000 or questions != 1 or data[_HEADER.size : _HEADER.size + 34] != _wildcard():
        raise WireError("not a node status request")
    if struct.unpack_from("!HH", data, _HEADER.size + 34) != (_NBSTAT, _IN):
        raise WireError("not a question for node status")
    return int(transaction)


def encode_status(status: NodeStatus) -> bytes:
    """A node status response (RFC 1002 4.2.18); statistics are zero but for the unit identifier."""
    rows = b"".join(
        name.name.encode("latin-1", "replace")[:15].ljust(15)
        + struct.pack("!BH", name.suffix, (_GROUP if name.group else 0) | (_ACTIVE if name.active else 0))
        for name in status.names
    )
    mac = (status.mac or Mac(MacNumber(0))).to_bytes()
    rdata = bytes([len(status.names)]) + rows + mac + bytes(40)
    head = _HEADER.pack(status.transaction, 0x8400, 0, 1, 0, 0)
    return head + _wildcard() + struct.pack("!HHIH", _NBSTAT, _IN, 0, len(rdata)) + rdata


@reader
def decode_status(data: bytes) -> NodeStatus:
    """Read a node status response. Raises WireError."""
    if len(data) < _HEADER.size + 1:
        raise WireError("a node status response is cut off")
    transaction, flags, _, answers, _, _ = _HEADER.unpack_from(data)
    if not flags & 0x8000 or flags & 0x000F or answers < 1:
        raise WireError("not a positive NetBIOS response")
    at = _skip_name(data, _HEADER.size)
    if len(data) < at + 11:
        raise WireError("the answer's record is cut off")
    kind, _, _, length = struct.unpack_from("!HHIH", data, at)
    at += 10
    if kind != _NBSTAT or length < 1 or len(data) < at + length:
        raise WireError("the answer is not node status, or its length is wrong")
    count = data[at]
    end = at + length
    at += 1
    if at + count * 18 > end:
        raise WireError(f"{count} names do not fit in {length} octets")
    names = tuple(_name_row(data, at + i * 18) for i in range(count))
    unit = data[at + count * 18 : at + count * 18 + 6]
    mac = Mac.from_bytes(unit) if len(unit) == 6 and at + count * 18 + 6 <= end and any(unit) else None
    return NodeStatus(transaction, names, mac)


def _name_row(data: bytes, at: int) -> NodeName:
    suffix, flags = struct.unpack_from("!BH", data, at + 15)
    text = data[at : at + 15].decode("latin-1").rstrip(" \0")
    return NodeName(text, suffix, bool(flags & _GROUP), bool(flags & _ACTIVE))


def _skip_name(data: bytes, at: int) -> int:
    """Behind a name in second-level encoding (RFC 1002 4.1): labels or one pointer."""
    while at < len(data):
        size = data[at]
        if size & 0xC0 == 0xC0:
            return at + 2
        if size & 0xC0:
            raise WireError("a label has reserved bits set")
        at += 1 + size
        if size == 0:
            return at
    raise WireError("a name runs past the end")


def _wildcard() -> bytes:
    """'*' padded with zeros, each half octet as a letter from 'A' (RFC 1001 14.1)."""
    letters = b"".join(bytes((0x41 + (octet >> 4), 0x41 + (octet & 15))) for octet in b"*".ljust(16, b"\0"))
    return bytes([len(letters)]) + letters + b"\0"
