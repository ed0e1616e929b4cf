"""Wake-on-LAN: the magic packet, sixteen times the MAC behind six octets of ones, with a SecureOn password behind it where the
adapter wants one. Its form is AMD's publication 20213 (1995); it goes as a frame of EtherType 0x0842 or as a UDP datagram, and
adapters look only for the sequence.
"""

from __future__ import annotations

from ipaddress import IPv4Address

from ..core.mac import BROADCAST, Mac
from . import ethernet, ipv4
from .errors import WireError, reader

ETHERTYPE = 0x0842
PORT = 9
_SYNC = b"\xff" * 6
PASSWORD_SIZES = (4, 6)


def encode(mac: Mac, password: bytes = b"") -> bytes:
    """The magic packet for a MAC; a password has 4 or 6 octets. Raises ValueError."""
    if password and len(password) not in PASSWORD_SIZES:
        raise ValueError(f"a SecureOn password has 4 or 6 octets, not {len(password)}")
    return _SYNC + mac.to_bytes() * 16 + password


@reader
def decode(data: bytes) -> tuple[Mac, bytes]:
    """Whom a magic packet wakes, and the password in it. Raises WireError."""
    at = data.find(_SYNC)
    body = data[at + 6 :] if at >= 0 else b""
    if len(body) < 96 or body[:96] != body[:6] * 16:
        raise WireError("not a magic packet: six octets of ones and sixteen times a MAC are needed")
    rest = body[96:]
    return Mac.from_bytes(body[:6]), rest if len(rest) in PASSWORD_SIZES else b""


def frames(
    mac: Mac, own: Mac, source: IPv4Address | None, broadcast: IPv4Address | None, password: bytes = b""
) -> list[bytes]:
    """What is sent on a link to wake a MAC: a raw frame to it alone, the same to everybody, and where the link has a subnet a
    datagram to its broadcast address (RFC 919), for adapters and switches that care for one of them only."""
    magic = encode(mac, password)
    found = [ethernet.encode(ethernet.Frame(to, own, ETHERTYPE, magic)) for to in (mac, BROADCAST)]
    if source is not None and broadcast is not None:
        body = ipv4.encode_udp(ipv4.Udp(PORT, PORT, magic), source, broadcast)
        packet = ipv4.encode(ipv4.Packet(source, broadcast, ipv4.Protocol.UDP, body))
        found.append(ethernet.encode(ethernet.Frame(BROADCAST, own, ethernet.EtherType.IPV4, packet)))
    return found
