"""Who is let in, and with how much, before anything that was sent is read: a token first, then sizes and patience."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from ...apart.spreadsheets import MOST_BYTES
from ...api.common import Problem
from .accepting import Places
from .connections import CONNECTION
from .problems import TITLES, respond, respond_and_close

SIGN_IN = "/api/v1/sign-in"
OPEN = ("/healthz", SIGN_IN, "/api/docs", "/api/v1/openapi.json")
"""What anybody may read: it holds nothing of the site."""
FILES: Mapping[str, int] = {
    "/api/v1/sheets/import": MOST_BYTES,
    "/api/v1/sheets/workbook": MOST_BYTES,
    "/api/v1/vendors/load": 16 << 20,
}
"""Octets of bodies that are files; of others as the settings have it."""
PATIENCE = 30.0
"""Seconds that the next part of a body may take."""
SIGNED_IN = "roster_sign_in"
"""Where a request's scope has by which sign-in it comes."""
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

    def __init__(self, app: ASGIApp, places: Places) -> None:
        self._app, self._places = app, places

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """One request."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        refused = self._refused(scope)
        if refused is not None:
            connection = scope.get(CONNECTION)
            if refused.status == 401 and connection is not None:
                connection.tire()
            await respond(refused)(scope, receive, send)
            return
        who = scope.get(SIGNED_IN)
        if who is None:  # its connection is one of its address's share, and has one request at a time
            await self._read(scope, receive, send)
        elif scope["path"] == STREAM:
            await self._listen(who, scope, receive, send)
        elif not self._places.begin(who):
            most = self._places.limits.requests_each
            said = f"{most} requests of this sign-in are open already; wait for their answers"
            await respond_and_close(_problem(503, "too_many_requests", said))(scope, receive, send)
        else:
            try:
                await self._read(scope, receive, send)
            finally:
                self._places.end(who)

    async def _listen(self, who: str, scope: Scope, receive: Receive, send: Send) -> None:
        if not self._places.listen(who):
            limits = self._places.limits
            said = f"{limits.streams_each} of a sign-in, or {limits.streams} together, listen to events already; close one of them"
            await respond_and_close(_problem(503, "too_many_streams", said))(scope, receive, send)
            return
        try:
            await self._app(scope, receive, send)
        finally:
            self._places.leave(who)

    def _refused(self, scope: Scope) -> Problem | None:
        path = scope["path"]
        if not is_open(path) and scope.get("roster_who") is None:
            return _problem(
                401,
                "not_signed_in",
                "sign in with the address that the service printed when it started, or send its token",
            )
        length = Headers(scope=scope).get("content-length", "0")
        if not length.isdigit() or int(length[:18]) > self._most(path):
            return _too_large(self._most(path))
        return None

    def _most(self, path: str) -> int:
        return FILES.get(path, self._places.limits.body)

    async def _read(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on, and count what comes of its body. Whatever the application makes of a body that was cut off, what is
        answered is why it was."""
        left, whole, begun = self._most(scope["path"]), False, False
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
                    refused = _too_large(self._most(scope["path"]))
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
            await respond_and_close(refused)(scope, receive, send)


def _too_large(most: int) -> Problem:
    said = f"{most >> 20} MiB" if most >= 1 << 20 else f"{most >> 10} KiB"
    return _problem(413, "too_large", f"a body may have {said} here; send less at a time")


def _problem(status: int, code: str, said: str) -> Problem:
    title = "Too many" if status == 503 else TITLES[status]
    return Problem(title=title, status=status, code=code, detail=said)
