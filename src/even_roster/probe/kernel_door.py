"""Nudges neighbours and reads the kernel's table: what a sweep without privileges works with.

A datagram to the discard port (RFC 863) makes the kernel ask for the neighbour; its table tells who answered. Echo
goes through ICMP datagram sockets where the system permits them (net.ipv4.ping_group_range).
"""

from __future__ import annotations

import contextlib
import errno
import select
import socket
import time
from collections.abc import Sequence
from ipaddress import IPv4Address
from pathlib import Path

from ..core.adapters import Adapter
from ..wire import icmp
from ..wire.errors import WireError
from .binding import bind_to, interface_index
from .netlink import NeighbourTable
from .segment import Neighbour, SegmentError
from .templates import ECHO_PAYLOAD

_DISCARD = 9
_THRESHOLD = Path("/proc/sys/net/ipv4/neigh/default/gc_thresh3")
_USUAL_THRESHOLD = 1024
_SHARE_LEFT_FREE = 0.15
_IP_RECVERR = 11
_MSG_ERRQUEUE = 0x2000


class KernelDoor:
    """Nudges and reads the neighbour table; one UDP, one netlink and perhaps one ICMP socket."""

    def __init__(self, adapter: Adapter, echo: bool) -> None:
        self._table = NeighbourTable(interface_index(adapter))
        self._udp = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._udp.setblocking(False)
        # Without this the kernel drops datagrams in silence when its table is full (udp(7), ip(7)).
        self._udp.setsockopt(socket.IPPROTO_IP, _IP_RECVERR, 1)
        bind_to(self._udp, adapter)
        self._icmp = echo_socket(adapter) if echo else None
        self._poll = select.poll()
        if self._icmp is not None:
            self._poll.register(self._icmp, select.POLLIN)
        self.capacity = int(_threshold() * (1 - _SHARE_LEFT_FREE))

    def now(self) -> float:
        """Monotonic seconds."""
        return time.monotonic()

    def nudge(self, address: IPv4Address) -> bool:
        """See NeighbourDoor.nudge."""
        for _ in range(64):
            try:
                self._udp.sendto(b"", (str(address), _DISCARD))
                return True
            except OSError as error:
                if error.errno in (errno.ENOBUFS, errno.EAGAIN):
                    return False
                if error.errno in (errno.ENODEV, errno.ENETDOWN):
                    raise SegmentError(f"the link is gone: {error.strerror}") from error
                self._forget_errors()  # of earlier datagrams: ports that are closed, neighbours that are silent
        return False

    def _forget_errors(self) -> None:
        with contextlib.suppress(OSError):
            while True:
                self._udp.recvmsg(512, 512, _MSG_ERRQUEUE)

    def echo(self, address: IPv4Address, sequence: int) -> bool:
        """See NeighbourDoor.echo."""
        if self._icmp is None:
            return False
        message = icmp.encode(icmp.Echo(False, 0, sequence, ECHO_PAYLOAD))
        with contextlib.suppress(OSError):
            self._icmp.sendto(message, (str(address), 0))
            return True
        return False

    def echoes(self) -> Sequence[tuple[float, IPv4Address]]:
        """See NeighbourDoor.echoes."""
        found: list[tuple[float, IPv4Address]] = []
        while self._icmp is not None:
            try:
                data, (host, _) = self._icmp.recvfrom(2048)
            except BlockingIOError:
                break
            except OSError:
                continue
            with contextlib.suppress(WireError):
                message = icmp.decode(data)
                if isinstance(message, icmp.Echo) and message.reply:
                    found.append((time.monotonic(), IPv4Address(host)))
        return found

    def table(self) -> Sequence[Neighbour]:
        """See NeighbourDoor.table."""
        try:
            return self._table.read()
        except OSError as error:
            raise SegmentError(str(error)) from error

    def wait(self, timeout: float) -> None:
        """See NeighbourDoor.wait."""
        if self._icmp is None:
            time.sleep(max(timeout, 0.0))
        else:
            self._poll.poll(max(timeout, 0.0) * 1000)

    def close(self) -> None:
        """Close the sockets."""
        self._table.close()
        self._udp.close()
        if self._icmp is not None:
            self._icmp.close()


def echo_socket(adapter: Adapter) -> socket.socket | None:
    """An ICMP datagram socket where ping_group_range permits it, else None."""
    try:
        sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM, socket.IPPROTO_ICMP)
    except OSError:
        return None
    sock.setblocking(False)
    with contextlib.suppress(OSError):
        bind_to(sock, adapter)
    return sock


def _threshold() -> int:
    try:
        return max(int(_THRESHOLD.read_text()), 128)
    except (OSError, ValueError):
        return _USUAL_THRESHOLD
