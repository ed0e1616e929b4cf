"""Who may use the service: the local token for programs, a one-time ticket that becomes a cookie for browsers."""

from __future__ import annotations

import hashlib
import hmac
import secrets
import time
from typing import NamedTuple

from starlette.datastructures import Headers

from ...store import sign_in_records
from ..context import Context, now_ms, write_service_file

COOKIE = "roster_session"
SESSION_SECONDS = 30 * 24 * 3600
TICKET_SECONDS = 15 * 60
MOST_TICKETS = 1_000
"""That nobody has used yet; the oldest is no good any more beyond it."""
PROGRAM, BROWSER = "command line", "console"


class Known(NamedTuple):
    """Who asks, as changes name it, and by which sign-in: what shares of the service's places go by."""

    who: str
    sign_in: str


class Gate:
    """Checks tokens, tickets and sessions. Sessions are signed, so they outlive a restart; tickets do not."""

    def __init__(self, context: Context) -> None:
        self._context = context
        self._tickets: dict[str, float] = {}

    def ticket(self) -> str:
        """A new one-time ticket, good for TICKET_SECONDS."""
        now = time.monotonic()
        good = [(ticket, until) for ticket, until in self._tickets.items() if until > now]
        self._tickets = dict(good[-(MOST_TICKETS - 1) :])
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

    def who(self, headers: Headers, cookies: dict[str, str]) -> Known | None:
        """Who a request comes from, or None: nobody that is known."""
        scheme, _, token = headers.get("authorization", "").partition(" ")
        if scheme.lower() == "bearer":
            good = hmac.compare_digest(token.encode(), self._context.token.encode())
            return Known(PROGRAM, "token") if good else None
        session = cookies.get(COOKIE, "")
        return Known(BROWSER, f"session {_named(session.rpartition('.')[0])}") if self._session(session) else None

    def end(self, session: str) -> None:
        """End a session, for good; one that is none any more stays so."""
        if not self._session(session):
            return
        body, _, _ = session.rpartition(".")
        database = self._context.database
        with database.write() as connection:
            kept = sign_in_records.end(connection, _named(body), _until(body), int(time.time()))
            database.when_stored(lambda: self._context.sign_in_by(kept))

    def renew(self) -> None:
        """End every sign-in: there is another token, and no ticket or session is good any more. What is sealed stays so."""
        database = self._context.database
        with database.write() as connection:
            kept = sign_in_records.renew(connection, secrets.token_bytes(32), now_ms())
            database.when_stored(lambda: self._context.sign_in_by(kept))
        self._tickets = {}
        write_service_file(self._context)

    def _session(self, session: str) -> bool:
        body, _, signature = session.rpartition(".")
        if _until(body) < time.time() or not hmac.compare_digest(signature.encode(), self._sign(body).encode()):
            return False
        return _named(body) not in self._context.sign_ins.ended

    def _sign(self, body: str) -> str:
        return hmac.new(self._context.signing, b"session:" + body.encode(), hashlib.sha256).hexdigest()


def _until(body: str) -> int:
    """When a session runs out (UTC seconds), before its signature was looked at; 0 for what is none."""
    until = body.partition(".")[0]
    return int(until[:12]) if until.isascii() and until.isdigit() else 0


def _named(body: str) -> str:
    """By what a session is known: not by what opens it."""
    return hashlib.sha256(body.encode()).hexdigest()[:32]
