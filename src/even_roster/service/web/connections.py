"""Connections with an end to their patience: who sends no request, a head that never ends, or reads no answer, does not keep a
place for ever."""

from __future__ import annotations

import asyncio
from typing import Any

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

from .accepting import Arrival, Places, refusal

HEAD_SECONDS = 15.0
"""From a connection, or the first octet of a further request, to the end of its head (RFC 9110 15.5.9)."""
HEAD_OCTETS = 64 << 10
"""Of a request's line and fields together (RFC 6585 5)."""
UNREAD_SECONDS = 30.0
"""An answer of which nothing was read for so long is not waited for."""
PIPELINE = 16
"""Requests that may wait behind the one that is answered (RFC 9112 9.3.2)."""
REST_SECONDS = 0.1
"""After a refusal for want of a sign-in nothing more is read for so long: asking faster brings nobody further."""
CONNECTION = "roster_connection"
"""Where a request's scope has its connection."""


class Connection(HttpToolsProtocol):
    """One connection of HTTP/1.1."""

    _timer: asyncio.TimerHandle | None = None
    _head: int | None = 0
    _stalled: asyncio.TimerHandle | None = None
    _unread = 0
    _tired = False

    def __init__(self, *given: Any, arrival: Arrival, places: Places, **named: Any) -> None:
        super().__init__(*given, **named)
        self._arrival, self._places = arrival, places

    def signed(self, who: str) -> bool:
        """Who it is has been said; False where that sign-in has as many connections as it may have."""
        return self._places.signed(self._arrival, who)

    def tire(self) -> None:
        """It is refused: it has to rest before it may ask again."""
        self._tired = True

    def on_response_complete(self) -> None:
        """An answer is written; another request may follow, at once or after a rest."""
        super().on_response_complete()
        if self._tired and not self.transport.is_closing():
            self._tired = False
            self.flow.pause_reading()
            self.loop.call_later(REST_SECONDS, self._rested)

    def _rested(self) -> None:
        if not self.transport.is_closing():
            self.flow.resume_reading()

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        """Begin to wait for a request."""
        super().connection_made(transport)
        self._arrival.protocol = self
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
        self.scope[CONNECTION] = self  # type: ignore[literal-required]
        self._head = self._head or 0
        self._wait()
        if len(self.pipeline) >= PIPELINE and not self.transport.is_closing():
            self._arrival.end()  # an answer would be taken for one of those that wait

    def on_headers_complete(self) -> None:
        """The head is there: what takes long from now on has an end of its own."""
        self._head = None
        self._stop()
        if self.transport.is_closing():
            return
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

    def pause_writing(self) -> None:
        """The other side does not read as fast as it is answered."""
        super().pause_writing()
        self._watch()

    def resume_writing(self) -> None:
        """It has read."""
        super().resume_writing()
        self._watched()

    def connection_lost(self, exc: Exception | None) -> None:
        """Nothing to wait for any more."""
        self._stop()
        self._watched()
        self._places.gone(self._arrival)
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

    def _watch(self) -> None:
        self._watched()
        self._unread = self.transport.get_write_buffer_size()
        self._stalled = self.loop.call_later(UNREAD_SECONDS, self._still_unread)

    def _watched(self) -> None:
        if self._stalled is not None:
            self._stalled.cancel()
            self._stalled = None

    def _still_unread(self) -> None:
        """Go on where something was read meanwhile, however little; nothing more is written while writing is paused."""
        self._stalled = None
        if self.transport.get_write_buffer_size() < self._unread:
            self._watch()
        else:
            self._arrival.end()

    def _refuse(self, status: int, code: str, said: str) -> None:
        """Answer without asking the application, and close."""
        titles = {400: "Bad request", 408: "Too slow", 431: "Too much"}
        if self.transport.is_closing():
            return
        self.transport.write(refusal(status, titles[status], code, said))
        self.transport.close()
