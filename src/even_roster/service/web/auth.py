"""Who may use the service: the local token for programs, a one-time ticket that becomes a cookie for browsers."""

from __future__ import annotations

import hashlib
import hmac
import secrets
import time

from starlette.datastructures import Headers

from ..context import Context

COOKIE = "roster_session"
SESSION_SECONDS = 30 * 24 * 3600
TICKET_SECONDS = 15 * 60


class Gate:
    """Checks tokens, tickets and sessions. Sessions are signed, so they outlive a restart; tickets do not."""

    def __init__(self, context: Context) -> None:
        self._context = context
        self._tickets: dict[str, float] = {}

    def ticket(self) -> str:
        """A new one-time ticket, good for TICKET_SECONDS."""
        now = time.monotonic()
        self._tickets = {ticket: until for ticket, until in self._tickets.items() if until > now}
        ticket = secrets.token_urlsafe(18)
        self._tickets[ticket] = now + TICKET_SECONDS
        return ticket

    def redeem(self, ticket: str) -> str | None:
        """A session for a ticket, once; None when it is not good any more."""
        until = self._tickets.pop(ticket, 0.0)
        if until < time.monotonic():
            return None
        body = f"{int(time.time()) + SESSION_SECONDS}.{secrets.token_urlsafe(9)}"
        return f"{body}.{self._sign(body)}"

    def who(self, headers: Headers, cookies: dict[str, str]) -> str | None:
        """The account a request comes from, or None: nobody."""
        scheme, _, token = headers.get("authorization", "").partition(" ")
        if scheme.lower() == "bearer":
            return "command line" if hmac.compare_digest(token.encode(), self._context.token.encode()) else None
        return "console" if self._session(cookies.get(COOKIE, "")) else None

    def _session(self, session: str) -> bool:
        body, _, signature = session.rpartition(".")
        until = body.partition(".")[0]
        if not until.isdigit() or int(until) < time.time():
            return False
        return hmac.compare_digest(signature.encode(), self._sign(body).encode())

    def _sign(self, body: str) -> str:
        return hmac.new(self._context.secret, b"session:" + body.encode(), hashlib.sha256).hexdigest()
