"""Connections with an end to their patience: who sends no request, or a head that never ends, does not keep a place for ever."""

from __future__ import annotations

import asyncio
from typing import Any

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

from ...api.common import Problem

HEAD_SECONDS = 15.0
"""From a connection, or the first octet of a further request, to the end of its head (RFC 9110 15.5.9)."""
HEAD_OCTETS = 64 << 10
"""Of a request's line and fields together (RFC 6585 5)."""
MOST = 256
"""Connections at once; one more is told so and closed."""


class Connection(HttpToolsProtocol):
    """One connection of HTTP/1.1."""

    _timer: asyncio.TimerHandle | None = None
    _head: int | None = 0

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        """Begin to wait for a request."""
        super().connection_made(transport)
        if len(self.connections) > MOST:
            self._refuse(503, "too_many_connections", f"{MOST} connections are open already; close some of them")
            return
        self._wait()

    def data_received(self, data: bytes) -> None:
        """Take octets; as long as a head has not ended, not too many of them."""
        if self.transport.is_closing():
            return
        if self._head is not None:
            self._head += len(data)
        super().data_received(data)
        if self._head is not None and self._head > HEAD_OCTETS and not self.transport.is_closing():
            self._refuse_head()

    def on_message_begin(self) -> None:
        """A head begins."""
        super().on_message_begin()
        self._head = self._head or 0
        self._wait()

    def on_headers_complete(self) -> None:
        """The head is there: what takes long from now on has an end of its own."""
        self._head = None
        self._stop()
        if len(self.url) + sum(len(name) + len(value) + 4 for name, value in self.headers) > HEAD_OCTETS:
            self._refuse_head()
        else:
            super().on_headers_complete()

    def on_body(self, body: bytes) -> None:
        """A part of the body."""
        if not self.transport.is_closing():
            super().on_body(body)

    def on_message_complete(self) -> None:
        """The body is there, too; another head may follow."""
        self._head = 0
        if not self.transport.is_closing():
            super().on_message_complete()

    def connection_lost(self, exc: Exception | None) -> None:
        """Nothing to wait for any more."""
        self._stop()
        super().connection_lost(exc)

    def send_400_response(self, msg: str) -> None:
        """What is no HTTP is told so in our words."""
        self._refuse(400, "bad_request", "this is no request of HTTP/1.1")

    def _refuse_head(self) -> None:
        self._refuse(431, "head_too_large", f"the request's line and fields may have {HEAD_OCTETS >> 10} KiB together")

    def _wait(self) -> None:
        if self._timer is None:
            self._timer = self.loop.call_later(HEAD_SECONDS, self._late)

    def _stop(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None

    def _late(self) -> None:
        self._timer = None
        if self.transport.is_closing():
            return
        if self._head:
            self._refuse(408, "too_slow", f"the request's head did not come within {HEAD_SECONDS:.0f} seconds")
        else:
            self.transport.close()

    def _refuse(self, status: int, code: str, said: str) -> None:
        """Answer without asking the application, and close."""
        titles = {400: "Bad request", 408: "Too slow", 431: "Too much", 503: "Too many"}
        told = Problem(title=titles[status], status=status, code=code, detail=said)
        body = told.model_dump_json(exclude_none=True).encode()
        fields: list[Any] = [
            f"HTTP/1.1 {status} {titles[status]}\r\n".encode(), b"content-type: application/problem+json\r\n",
            f"content-length: {len(body)}\r\n".encode(), b"connection: close\r\n\r\n", body,
        ]  # fmt: skip
        if self.transport.is_closing():
            return
        self.transport.write(b"".join(fields))
        self.transport.close()
