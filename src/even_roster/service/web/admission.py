"""Who is let in, and with how much, before anything that was sent is read: a token first, then sizes and patience."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from ...apart.spreadsheets import MOST_BYTES
from ...api.common import Problem
from .problems import TITLES, respond

OPEN = ("/healthz", "/enter", "/api/docs", "/api/v1/openapi.json")
"""What anybody may read: it holds nothing of the site."""
MOST = 1 << 20
"""Octets of a body."""
FILES: Mapping[str, int] = {
    "/api/v1/sheets/import": MOST_BYTES,
    "/api/v1/sheets/workbook": MOST_BYTES,
    "/api/v1/vendors/load": 16 << 20,
}
"""Octets of bodies that are files."""
PATIENCE = 30.0
"""Seconds that the next part of a body may take."""
STREAMS = 64
"""How many may listen to events at once."""
STREAM = "/api/v1/events"


def is_open(path: str) -> bool:
    """Whether a path is for anybody: the console's own files are, and what says nothing of the site."""
    if path in OPEN:
        return True
    return not path.startswith("/api/") and path != "/metrics"


class _CutOff(Exception):
    """The rest of a body is not waited for."""


class Admission:
    """Refuses who has not signed in, bodies that are too large or do not come, and more listeners than there is room for."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app
        self._listening = 0

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """One request."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        refused = self._refused(scope)
        if refused is not None:
            await respond(refused)(scope, receive, send)
        elif scope["path"] == STREAM:
            self._listening += 1
            try:
                await self._app(scope, receive, send)
            finally:
                self._listening -= 1
        else:
            await self._read(scope, receive, send)

    def _refused(self, scope: Scope) -> Problem | None:
        path = scope["path"]
        if not is_open(path) and scope.get("roster_who") is None:
            return _problem(
                401,
                "not_signed_in",
                "sign in with the address that the service printed when it started, or send its token",
            )
        if path == STREAM and self._listening >= STREAMS:
            return _problem(503, "too_many_streams", f"{STREAMS} listen to events already; close one of them")
        length = Headers(scope=scope).get("content-length", "0")
        if not length.isdigit() or int(length[:18]) > _most(path):
            return _too_large(path)
        return None

    async def _read(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on, and count what comes of its body. Whatever the application makes of a body that was cut off, what is
        answered is why it was."""
        path, left, whole, begun = scope["path"], _most(scope["path"]), False, False
        refused: Problem | None = None

        async def counted() -> Message:
            nonlocal left, whole, refused
            if whole:
                return await receive()
            try:
                message = await asyncio.wait_for(receive(), PATIENCE)
            except TimeoutError:
                refused = _problem(408, "too_slow", f"nothing came of the body for {PATIENCE:.0f} seconds")
                raise _CutOff from None
            if message["type"] == "http.request":
                left -= len(message.get("body", b""))
                whole = not message.get("more_body", False)
                if left < 0:
                    refused = _too_large(path)
                    raise _CutOff
            return message

        async def noted(message: Message) -> None:
            nonlocal begun
            if refused is None or begun:
                begun = True
                await send(message)

        try:
            await self._app(scope, counted, noted)
        except _CutOff:
            if begun:
                raise
        if refused is not None and not begun:
            answer = respond(refused)
            answer.headers["Connection"] = "close"
            await answer(scope, receive, send)


def _most(path: str) -> int:
    return FILES.get(path, MOST)


def _too_large(path: str) -> Problem:
    return _problem(413, "too_large", f"a body may have {_most(path) >> 20} MiB here; send less at a time")


def _problem(status: int, code: str, said: str) -> Problem:
    return Problem(title=TITLES[status], status=status, code=code, detail=said)
