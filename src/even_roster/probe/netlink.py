"""Reads the kernel's neighbour table over rtnetlink (RFC 3549; linux/neighbour.h). No privileges are needed."""

from __future__ import annotations

import os
import socket
import struct
from collections.abc import Iterator
from ipaddress import IPv4Address

from ..core.mac import Mac
from .segment import Neighbour

_RTM_NEWNEIGH, _RTM_GETNEIGH = 28, 30
_REQUEST, _DUMP = 0x1, 0x300
_DONE, _ERROR = 3, 2
_NDA_DST, _NDA_LLADDR, _NDA_CACHEINFO, _NDA_IFINDEX = 1, 2, 3, 8
_MESSAGE = struct.Struct("=IHHII")
_NDMSG = struct.Struct("=BBHiHBB")
_ATTRIBUTE = struct.Struct("=HH")
_TICKS = os.sysconf("SC_CLK_TCK") if hasattr(os, "sysconf") else 100


class NeighbourTable:
    """A netlink socket and one dump after another."""

    def __init__(self, interface: int) -> None:
        self._interface = interface
        self._sequence = 0
        self._socket = socket.socket(socket.AF_NETLINK, socket.SOCK_RAW, 0)
        self._socket.bind((0, 0))
        self._socket.settimeout(2.0)

    def read(self) -> list[Neighbour]:
        """Every IPv4 neighbour of this interface. Raises OSError when the kernel refuses."""
        self._sequence += 1
        attribute = struct.pack("=HHi", 8, _NDA_IFINDEX, self._interface)
        body = _NDMSG.pack(socket.AF_INET, 0, 0, 0, 0, 0, 0) + attribute
        head = _MESSAGE.pack(_MESSAGE.size + len(body), _RTM_GETNEIGH, _REQUEST | _DUMP, self._sequence, 0)
        self._socket.send(head + body)
        found: list[Neighbour] = []
        while True:
            data = self._socket.recv(1 << 18)
            for kind, sequence, payload in _messages(data):
                if sequence != self._sequence:
                    continue
                if kind == _DONE:
                    return found
                if kind == _ERROR:
                    number = -struct.unpack_from("=i", payload)[0]
                    raise OSError(number, f"the kernel refused to show its neighbours: {os.strerror(number)}")
                if kind == _RTM_NEWNEIGH and (entry := self._entry(payload)):
                    found.append(entry)

    def _entry(self, payload: bytes) -> Neighbour | None:
        family, _, _, interface, state, _, _ = _NDMSG.unpack_from(payload)
        if family != socket.AF_INET or interface != self._interface:
            return None
        address, mac, age = None, None, 0.0
        for kind, value in _attributes(payload[_NDMSG.size :]):
            if kind == _NDA_DST and len(value) == 4:
                address = IPv4Address(value)
            elif kind == _NDA_LLADDR and len(value) == 6:
                mac = Mac.from_bytes(value)
            elif kind == _NDA_CACHEINFO and len(value) >= 12:
                _, _, updated = struct.unpack_from("=III", value)
                age = updated / _TICKS
        return Neighbour(address, mac, state, age) if address is not None else None

    def close(self) -> None:
        """Close the socket."""
        self._socket.close()


def _messages(data: bytes) -> Iterator[tuple[int, int, bytes]]:
    at = 0
    while at + _MESSAGE.size <= len(data):
        length, kind, _, sequence, _ = _MESSAGE.unpack_from(data, at)
        if length < _MESSAGE.size or at + length > len(data):
            return
        yield kind, sequence, data[at + _MESSAGE.size : at + length]
        at += (length + 3) & ~3


def _attributes(data: bytes) -> Iterator[tuple[int, bytes]]:
    at = 0
    while at + _ATTRIBUTE.size <= len(data):
        length, kind = _ATTRIBUTE.unpack_from(data, at)
        if length < _ATTRIBUTE.size or at + length > len(data):
            return
        yield kind & 0x3FFF, data[at + _ATTRIBUTE.size : at + length]
        at += (length + 3) & ~3
