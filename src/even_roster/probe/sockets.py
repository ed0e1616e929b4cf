"""UDP exchanges and TCP connects through the kernel's sockets: what the packet and the kernel segment share."""

from __future__ import annotations

import asyncio
import errno
import socket
import struct
from collections import defaultdict
from collections.abc import Callable
from ipaddress import IPv4Address

from ..core.adapters import Adapter
from .binding import bind_to
from .segment import Reached, T

_NO_LINGER = struct.pack("ii", 1, 0)
_READS_AT_THE_END = 32
"""When the time for an answer is over, what arrived while this process was busy is read first: so many times 64 datagrams, about
what the receive buffer holds. More is not read: a flood must not keep the event loop here."""


class KernelSockets:
    """One shared UDP socket for all exchanges, answers told apart by sender, and TCP connects."""

    def __init__(self, adapter: Adapter) -> None:
        self._adapter = adapter
        self._udp: socket.socket | None = None
        self._waiting: dict[tuple[str, int], list[Callable[[bytes], bool]]] = defaultdict(list)

    async def datagram(
        self, to: IPv4Address, port: int, payload: bytes, accept: Callable[[bytes], T | None], *,
        answers_from: IPv4Address, timeout: float,
    ) -> T | None:  # fmt: skip
        """See Segment.datagram. Unreachable destinations are silent ones."""
        loop = asyncio.get_running_loop()
        sock = self._open(loop)
        future: asyncio.Future[T] = loop.create_future()

        def offer(data: bytes) -> bool:
            value = accept(data)
            if value is None or future.done():
                return False
            future.set_result(value)
            return True

        key = (str(answers_from), port)
        self._waiting[key].append(offer)
        try:
            try:
                sock.sendto(payload, (str(to), port))
            except OSError:
                return None
            await asyncio.wait({future}, timeout=timeout)
            for _ in range(_READS_AT_THE_END):
                if future.done() or not self._read(sock):
                    break
            return future.result() if future.done() else None
        finally:
            self._waiting[key].remove(offer)
            if not self._waiting[key]:
                del self._waiting[key]

    def _open(self, loop: asyncio.AbstractEventLoop) -> socket.socket:
        if self._udp is None:
            sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
            sock.setblocking(False)
            sock.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 20)
            bind_to(sock, self._adapter)
            if self._adapter.addresses:
                sock.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_IF, self._adapter.addresses[0].ip.packed)
            sock.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_TTL, 255)
            loop.add_reader(sock.fileno(), self._read, sock)
            self._udp = sock
        return self._udp

    def _read(self, sock: socket.socket) -> bool:
        """Read up to 64 datagrams that have arrived; returns whether there may be more."""
        for _ in range(64):
            try:
                data, (host, port, *_) = sock.recvfrom(65535)
            except BlockingIOError:
                return False
            except OSError:
                continue
            for offer in list(self._waiting.get((host, port), ())):
                if offer(data):
                    break
        return True

    async def stream(self, to: IPv4Address, port: int, timeout: float) -> Reached:
        """See Segment.stream."""
        loop = asyncio.get_running_loop()
        sock = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
        try:
            sock.setblocking(False)
            sock.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, _NO_LINGER)
            bind_to(sock, self._adapter)
            await asyncio.wait_for(loop.sock_connect(sock, (str(to), port)), timeout)
            return Reached.OPEN
        except ConnectionRefusedError:
            return Reached.REFUSED
        except TimeoutError:
            return _became(sock)
        except OSError:
            return Reached.SILENT
        finally:
            sock.close()

    async def close(self) -> None:
        """Close the shared socket."""
        if self._udp is not None:
            asyncio.get_running_loop().remove_reader(self._udp.fileno())
            self._udp.close()
            self._udp = None


def _became(sock: socket.socket) -> Reached:
    """What the kernel says of a connection whose time is over: it may have come about while this process was busy."""
    fault = sock.getsockopt(socket.SOL_SOCKET, socket.SO_ERROR)
    if fault:
        return Reached.REFUSED if fault == errno.ECONNREFUSED else Reached.SILENT
    try:
        sock.getpeername()
    except OSError:
        return Reached.SILENT
    return Reached.OPEN
