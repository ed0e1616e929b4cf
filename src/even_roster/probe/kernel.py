"""The kernel segment: a scan without any privileges.

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
from .netlink import NeighbourTable
from .segment import Abilities, FrameDoor, Neighbour, SegmentError
from .sockets import KernelSockets, bind_to, interface_index
from .templates import ECHO_PAYLOAD

_DISCARD = 9
_THRESHOLD = Path("/proc/sys/net/ipv4/neigh/default/gc_thresh3")
_USUAL_THRESHOLD = 1024
_SHARE_LEFT_FREE = 0.4

NO_FRAMES = (
    "without raw frames a second MAC answering for one address cannot be seen; "
    "give the service CAP_NET_RAW to detect duplicates"
)
NO_FOREIGN = "without raw frames devices at foreign addresses (factory settings, 169.254.x.y) cannot be seen"
NO_ECHO = "echo is not permitted to this account, so reply times and hosts behind the gateway come from TCP connects"


class KernelDoor:
    """Nudges and reads the neighbour table; one UDP, one netlink and perhaps one ICMP socket."""

    def __init__(self, adapter: Adapter, echo: bool) -> None:
        self._table = NeighbourTable(interface_index(adapter))
        self._udp = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._udp.setblocking(False)
        bind_to(self._udp, adapter)
        self._icmp = _echo_socket(adapter) if echo else None
        self._poll = select.poll()
        if self._icmp is not None:
            self._poll.register(self._icmp, select.POLLIN)
        self.capacity = int(_threshold() * (1 - _SHARE_LEFT_FREE))

    def now(self) -> float:
        """Monotonic seconds."""
        return time.monotonic()

    def nudge(self, address: IPv4Address) -> bool:
        """See NeighbourDoor.nudge."""
        for _ in range(3):
            try:
                self._udp.sendto(b"", (str(address), _DISCARD))
                return True
            except OSError as error:
                if error.errno in (errno.ENOBUFS, errno.EAGAIN):
                    return False
                if error.errno in (errno.ENODEV, errno.ENETDOWN):
                    raise SegmentError(f"the link is gone: {error.strerror}") from error
        return True

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


class KernelSegment:
    """What an ordinary account can see of a network."""

    kind = "kernel"

    def __init__(self, adapter: Adapter) -> None:
        self.adapter = adapter
        self._sockets = KernelSockets(adapter)
        self.datagram = self._sockets.datagram
        self.stream = self._sockets.stream
        self.close = self._sockets.close
        probe = _echo_socket(adapter)
        self._echo = probe is not None
        if probe is not None:
            probe.close()

    def abilities(self) -> Abilities:
        """No raw frames; the limits say what that costs."""
        limits = (NO_FRAMES, NO_FOREIGN) if self._echo else (NO_FRAMES, NO_FOREIGN, NO_ECHO)
        return Abilities(frames=False, echo=self._echo, neighbours=True, limits=limits)

    def frames(self) -> FrameDoor:
        """Never possible here."""
        raise SegmentError("this account may not open raw frames (CAP_NET_RAW is missing)")

    def neighbours(self) -> KernelDoor:
        """Open the kernel's table. Raises SegmentError."""
        return KernelDoor(self.adapter, self._echo)


def _echo_socket(adapter: Adapter) -> socket.socket | None:
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
