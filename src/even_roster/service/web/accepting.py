"""Takes connections in itself: one beyond its address's share is refused before a protocol, or TLS, is begun for it."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import socket
import ssl
import struct
import sys
import time
from collections.abc import Callable
from typing import Any

import uvicorn

from ...api.common import Problem
from .shares import Shares

HANDSHAKE_SECONDS = 10.0
"""To agree on TLS (RFC 8446)."""
TURN_SECONDS = 0.002
"""How long connections are taken in before anybody else has a turn."""
TOLD_EACH_SECOND = 20
"""Refusals that are put into words; in a storm the others are only closed, which takes a third of the time."""
PAUSE_SECONDS = 0.1
"""When the process may open nothing more."""
_AT_ONCE = struct.pack("ii", 1, 0)
"""Linger for no time at all (socket(7))."""
_log = logging.getLogger(__name__)


class Arrival:
    """One connection, from the moment it is taken in until it has ended."""

    __slots__ = ("protocol", "socket", "task")

    def __init__(self, line: socket.socket) -> None:
        self.socket = line
        self.task: asyncio.Task[None] | None = None
        self.protocol: asyncio.Protocol | None = None

    def end(self) -> None:
        """End it now, whatever it does. What the other side has not read is not kept for it by the system either (RST, RFC 9293
        3.10.7.1)."""
        transport = getattr(self.protocol, "transport", None)
        if transport is not None:
            with contextlib.suppress(OSError):
                transport.get_extra_info("socket").setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, _AT_ONCE)
            transport.abort()
        elif self.task is not None:
            self.task.cancel()


Places = Shares[Arrival]
Made = Callable[[Arrival], asyncio.Protocol]


def refusal(status: int, title: str, code: str, said: str) -> bytes:
    """An answer that is made without asking the application, and is the last one of its connection."""
    told = Problem(title=title, status=status, code=code, detail=said)
    body = told.model_dump_json(exclude_none=True).encode()
    return b"".join((
        f"HTTP/1.1 {status} {title}\r\n".encode(), b"content-type: application/problem+json\r\n",
        f"content-length: {len(body)}\r\n".encode(), b"connection: close\r\n\r\n", body,
    ))  # fmt: skip


_TOO_MANY = refusal(
    503,
    "Too many",
    "too_many_connections",
    "so many connections are open already that there is no place for another one from here",
)


class Accepting:
    """The door of one listener."""

    def __init__(self, listener: socket.socket, places: Places, made: Made, tls: ssl.SSLContext | None) -> None:
        self._listener, self._places, self._made, self._tls = listener, places, made, tls
        self._loop = asyncio.get_running_loop()
        self._open = False
        self._told, self._told_since = 0, 0.0

    def begin(self) -> None:
        """Take connections in from now on."""
        self._listener.setblocking(False)
        self._open = True
        self._loop.add_reader(self._listener, self._ready)

    def close(self) -> None:
        """Take no more in; those that are there stay."""
        if self._open:
            self._open = False
            self._loop.remove_reader(self._listener)

    async def wait_closed(self) -> None:
        """There is nothing to wait for."""

    def _ready(self) -> None:
        until = time.monotonic() + TURN_SECONDS
        while time.monotonic() < until:
            try:
                line, address = self._listener.accept()
            except (BlockingIOError, InterruptedError):
                return
            except ConnectionError:  # it left before it was taken in
                continue
            except OSError as error:
                _log.warning("no connection can be taken in: %s", error)
                self._loop.remove_reader(self._listener)
                self._loop.call_later(PAUSE_SECONDS, self._again)
                return
            self._arrived(line, str(address[0]))

    def _again(self) -> None:
        if self._open:
            self._loop.add_reader(self._listener, self._ready)

    def _arrived(self, line: socket.socket, host: str) -> None:
        arrival = Arrival(line)
        came = self._places.come(arrival, host, self._loop.time())
        if came.goes is not None:
            came.goes.end()
        if not came.stays:
            self._refuse(line)
            return
        line.setblocking(False)
        with contextlib.suppress(OSError):
            line.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        arrival.task = self._loop.create_task(self._connect(arrival))

    def _refuse(self, line: socket.socket) -> None:
        """Say so where that can be said at once, and close."""
        now = time.monotonic()
        if now - self._told_since >= 1.0:
            self._told, self._told_since = 0, now
        self._told += 1
        if self._tls is None and self._told <= TOLD_EACH_SECOND:
            with contextlib.suppress(OSError):
                line.setblocking(False)
                with contextlib.suppress(BlockingIOError):
                    line.recv(1 << 16)  # what is not read would take the answer away (RFC 9112 9.6)
                line.send(_TOO_MANY)
        line.close()

    async def _connect(self, arrival: Arrival) -> None:
        try:
            await self._loop.connect_accepted_socket(
                lambda: self._made(arrival), arrival.socket, ssl=self._tls,
                ssl_handshake_timeout=HANDSHAKE_SECONDS if self._tls else None,
            )  # fmt: skip
        except (Exception, asyncio.CancelledError) as error:  # no TLS, or none in time; or it had to make room
            self._places.gone(arrival)
            arrival.socket.close()
            _log.debug("a connection came to nothing: %s", error)
        finally:
            arrival.task = None


class Server(uvicorn.Server):
    """uvicorn's server with our door, and our places."""

    def __init__(self, config: uvicorn.Config, places: Places) -> None:
        super().__init__(config)
        self._places = places

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        """Begin the application, and open the door."""
        await self.lifespan.startup()
        if self.lifespan.should_exit:
            sys.exit(3)
        loop = asyncio.get_running_loop()
        kind: Any = self.config.http_protocol_class

        def made(arrival: Arrival) -> asyncio.Protocol:
            protocol: asyncio.Protocol = kind(
                config=self.config, server_state=self.server_state, app_state=self.lifespan.state, _loop=loop,
                arrival=arrival, places=self._places,
            )  # fmt: skip
            return protocol

        doors = [Accepting(one, self._places, made, self.config.ssl) for one in sockets or []]
        for door in doors:
            door.begin()
        self.servers = doors  # type: ignore[assignment]
        self.started = True
