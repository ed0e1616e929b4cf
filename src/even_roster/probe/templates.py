"""Frames of a sweep, built once and patched per target: only what differs is written. Pure."""

from __future__ import annotations

import struct
from ipaddress import IPv4Address

from ..core.mac import Mac, MacNumber
from ..wire import arp, ethernet, icmp, ipv4

_ANYWHERE = IPv4Address("0.0.0.0")
_TARGET = struct.Struct("!I")
_SHORT = struct.Struct("!H")
_ARP_TARGET_AT = 14 + 24
_IP_CHECKSUM_AT = 14 + 10
_IP_TARGET_AT = 14 + 16
ECHO_PAYLOAD = b"even roster echo"


class ArpTemplate:
    """Broadcast ARP requests (RFC 826) from one sender for any target."""

    def __init__(self, mac: Mac, address: IPv4Address) -> None:
        self._frame = bytearray(ethernet.encode(arp.request(mac, address, _ANYWHERE)))

    def frame(self, target: int) -> bytes:
        """The 60 octets that ask for one address."""
        _TARGET.pack_into(self._frame, _ARP_TARGET_AT, target)
        return bytes(self._frame)


class EchoTemplate:
    """ICMP echo requests (RFC 792) from one sender; the next hop's MAC and the target are patched in."""

    def __init__(self, mac: Mac, address: IPv4Address, identifier: int, sequence: int) -> None:
        message = icmp.encode(icmp.Echo(False, identifier, sequence, ECHO_PAYLOAD))
        packet = ipv4.encode(ipv4.Packet(address, _ANYWHERE, ipv4.Protocol.ICMP, message))
        frame = ethernet.Frame(Mac(MacNumber(0)), mac, ethernet.EtherType.IPV4, packet)
        self._frame = bytearray(ethernet.encode(frame))
        self._sum = ~_SHORT.unpack_from(self._frame, _IP_CHECKSUM_AT)[0] & 0xFFFF

    def frame(self, target: int, next_hop: bytes) -> bytes:
        """The frame for one target; the header checksum is updated as in RFC 1624, not computed anew."""
        total = self._sum + (target >> 16) + (target & 0xFFFF)
        total = (total & 0xFFFF) + (total >> 16)
        total = (total & 0xFFFF) + (total >> 16)
        frame = self._frame
        frame[0:6] = next_hop
        _SHORT.pack_into(frame, _IP_CHECKSUM_AT, ~total & 0xFFFF)
        _TARGET.pack_into(frame, _IP_TARGET_AT, target)
        return bytes(frame)
