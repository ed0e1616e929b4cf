"""Entity tags (RFC 9110 8.8.3) for the API's JSON: who asks again for what has not changed gets 304 and no body."""

from __future__ import annotations

import hashlib

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

MOST = 4 << 20


class EntityTags:
    """Tags successful GET answers of JSON; those that have a tag of their own (an item's version, see matching.py), streams and
    bodies over MOST octets pass as they are."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """One request."""
        if scope["type"] != "http" or scope["method"] != "GET" or not scope["path"].startswith("/api/v1/"):
            await self._app(scope, receive, send)
            return
        asked = Headers(scope=scope).get("if-none-match", "")
        start: Message | None = None

        async def tagging(message: Message) -> None:
            nonlocal start
            if message["type"] == "http.response.start":
                start = message
                headers = Headers(raw=message["headers"])
                kind = headers.get("content-type", "")
                if message["status"] != 200 or "etag" in headers or not kind.startswith("application/json"):
                    start = None
                    await send(message)
            elif start is None:
                await send(message)
            else:
                head, start = start, None
                body = message.get("body", b"")
                if message.get("more_body") or len(body) > MOST:
                    await send(head)
                    await send(message)
                    return
                tag = f'W/"{hashlib.blake2b(body, digest_size=9).hexdigest()}"'
                headers = MutableHeaders(raw=head["headers"])
                headers["ETag"], headers["Cache-Control"] = tag, "private, no-cache"
                if tag in (part.strip() for part in asked.split(",")):
                    del headers["content-length"]
                    head, message = {**head, "status": 304}, {**message, "body": b""}
                await send({**head, "headers": headers.raw})
                await send(message)

        await self._app(scope, receive, tagging)
