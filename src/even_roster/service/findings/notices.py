"""Tells people outside: groups what turned into notices and sends them over the routes. Only on change, never twice.

Turns are gathered for GROUP_SECONDS, so that one cause with ten findings is one notice. What opened and closed again
meanwhile is not told. A route that fails is tried again with the next notice and after RETRY_SECONDS.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections import deque
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy import Connection

from ...api.events import RoutesEvent
from ...api.watching import RouteEdit, RouteNew, RouteTest, RouteView
from ...core.findings.engine import BY_KIND, Turn, Turned
from ...core.findings.model import Severity, State
from ...store import watch_records
from ...store.database import DiskFull
from ...store.edits import EditError, Missing, Versions
from ...store.journal import Journal, Written, version
from ...store.rows import RouteRow
from .. import setting_edits
from ..aids.repeating import attempt
from ..aids.secret_box import SecretBox, SecretError
from ..context import Context, now_ms
from ..views import maybe_time
from . import route_urls, senders
from .heard_notices import HeardNotices
from .senders import Item, SendError, Target

_log = logging.getLogger(__name__)
GROUP_SECONDS = 5.0
RETRY_SECONDS = 60.0
MOST_WAITING = 500
ROUTE = route_urls.ROUTE


class Notices:
    """The notices of one service."""

    def __init__(
        self, context: Context, send: Callable[[Target, str, Sequence[Item], int], None] = senders.send
    ) -> None:
        self._context, self._send = context, send
        self._box = SecretBox(context.secret, "notice routes")
        route_urls.seal_older(context.database, self._box)
        self._turns: deque[Sequence[tuple[int, Turned]]] = deque()
        self._gathered: dict[int, Item] = {}
        self._heard = HeardNotices(context.monotonic)
        self._waiting: dict[int, list[Item]] = {}
        self._task: asyncio.Task[None] | None = None
        self._news = asyncio.Event()
        context.findings.turned.append(self.turned)

    def begin(self) -> None:
        """Send from now on."""
        self._task = asyncio.create_task(self._run(), name="notices")

    async def close(self) -> None:
        """Stop."""
        if self._task is not None:
            self._task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._task

    def turned(self, turns: Sequence[tuple[int, Turned]]) -> None:
        """Findings turned; from any thread."""
        self._turns.append(turns)
        if self._context.loop is not None and not self._context.loop.is_closed():
            self._context.loop.call_soon_threadsafe(self._news.set)

    def _gather(self, identity: int, one: Turned) -> None:
        if not self._heard.holds(identity, one):
            self._add(identity, one)

    def _add(self, identity: int, one: Turned) -> None:
        if one.turn is Turn.ACCEPTED or (one.finding.state is State.ACCEPTED and one.turn is not Turn.CLOSED):
            self._gathered.pop(identity, None)
            return
        before = self._gathered.get(identity)
        if one.turn is Turn.CLOSED and before is not None and before.turn in ("opened", "reopened"):
            del self._gathered[identity]
            return
        item = _item(identity, one)
        if held := self._heard.before(identity):
            item = replace(item, said=f"{item.said}{held}")
        if one.turn is Turn.UPDATED and before is not None:
            item = replace(item, turn=before.turn)
        self._gathered[identity] = item

    async def _run(self) -> None:
        while True:
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(self._news.wait(), RETRY_SECONDS)
            if self._news.is_set():
                await asyncio.sleep(GROUP_SECONDS)
                self._news.clear()
            await attempt(self.flush, "notices could not be sent")

    def flush(self) -> int:
        """Send what was gathered, and what could not be sent before; gives how many notices went out. One thread at a time."""
        with self._context.database.read() as connection:
            routes = [row for row in watch_records.routes(connection) if row.on]
        while self._turns:
            for identity, one in self._turns.popleft():
                self._gather(identity, one)
        for identity, one in self._heard.due():
            self._add(identity, one)
        items, self._gathered = list(self._gathered.values()), {}
        self._waiting = {
            row.id: [*self._waiting.get(row.id, []), *(one for one in items if _wants(row, one))][-MOST_WAITING:]
            for row in routes
        }
        sent = 0
        for row in routes:
            if self._waiting[row.id] and not self._deliver(row, self._waiting[row.id]):
                self._waiting[row.id] = []
                sent += 1
        return sent

    def _deliver(self, row: RouteRow, items: Sequence[Item]) -> str:
        """Send one notice; gives what went wrong, empty when nothing did."""
        try:
            self._send(self._target(row), self._site(), items, now_ms())
            trouble = ""
        except (
            Exception
        ) as error:  # whatever is wrong with one route is that route's trouble, and the next one's turn comes
            known = isinstance(error, SendError | SecretError)
            trouble = (
                str(error) if known else f"this route cannot be used as it is entered: {error or type(error).__name__}"
            )
            _log.warning("notice over %s: %s", row.name, trouble, exc_info=not known)
        values: dict[str, Any] = {"trouble": trouble}
        if not trouble:
            values["sent_at"] = now_ms()
        with contextlib.suppress(DiskFull), self._context.database.write() as connection:  # it is sent all the same
            watch_records.note_delivery(connection, row.id, values)
        self._context.tell(RoutesEvent(id=row.id))
        return trouble

    def _site(self) -> str:
        with self._context.plan.reading() as plan:
            return plan.sites[self._context.plan.site_here].name

    def _target(self, row: RouteRow) -> Target:
        return Target(row.kind, secret=self._box.open(row.secret), **route_urls.opened(self._box, row.settings))

    # What people set

    def views(self) -> list[RouteView]:
        """All routes."""
        with self._context.database.read() as connection:
            return [_view(connection, row) for row in watch_records.routes(connection)]

    def view(self, identity: int) -> RouteView:
        """One route. Raises Missing."""
        with self._context.database.read() as connection:
            return _view(connection, _row(connection, identity))

    def add(self, who: str, new: RouteNew) -> RouteView:
        """A new route. Raises EditError."""
        _check(new)
        settings = {
            **self._to(new.kind, new.to), "sender": new.sender, "server": new.smtp_server, "user": new.user, "tls": new.tls,
        }  # fmt: skip
        values = {
            "name": new.name.strip(), "kind": new.kind, "settings": settings, "secret": self._box.seal(new.secret),
            "least": new.least, "on": True,
        }  # fmt: skip
        with setting_edits.writing(self._context, who) as journal:
            if any(row.name == values["name"] for row in watch_records.routes(journal.connection)):
                raise EditError(f"there is a route called {new.name!r} already; choose another name", "name")
            identity = journal.new_id(ROUTE)
            journal.save("add", ROUTE, new.name.strip(), [Written(ROUTE, (identity,), values)], (None, _told(values)))
        self._context.tell(RoutesEvent(id=identity))
        return self.view(identity)

    def edit(self, who: str, identity: int, request: RouteEdit, versions: Versions = None) -> RouteView:
        """Change a route. Raises Missing, StaleEdit, EditError."""
        with setting_edits.writing(self._context, who) as journal:
            before = _before(journal, identity, versions)
            after = {**before, **request.model_dump(include={"least", "on"}, exclude_none=True)}
            if request.to is not None:
                _check_to(before["kind"], request.to)
                if not route_urls.leads(self._box, before["settings"], request.to):
                    after["settings"] = {**before["settings"], **self._to(before["kind"], request.to)}
            if request.secret is not None:
                after["secret"] = self._box.seal(request.secret)
            told = _told(before), _told(after)
            journal.save("set", ROUTE, before["name"], [Written(ROUTE, (identity,), after)], told)
        self._context.tell(RoutesEvent(id=identity))
        return self.view(identity)

    def _to(self, kind: str, to: str) -> dict[str, str]:
        """Where a route leads, as it is kept."""
        return route_urls.sealed(self._box, to) if kind == route_urls.WEBHOOK else {"to": to}

    def remove(self, who: str, identity: int, versions: Versions = None) -> None:
        """Drop a route. Raises Missing, StaleEdit."""
        with setting_edits.writing(self._context, who) as journal:
            before = _before(journal, identity, versions)
            journal.save("remove", ROUTE, before["name"], [Written(ROUTE, (identity,), None)], (_told(before), None))
        self._context.tell(RoutesEvent(id=identity))

    def test(self, identity: int) -> RouteTest:
        """Send a notice that says it is a test. Raises Missing."""
        with self._context.database.read() as connection:
            row = _row(connection, identity)
        item = Item(0, "test", "test", "This is a test", "notice", (), "Notices arrive here.", "", now_ms())
        trouble = self._deliver(row, [item])
        told = "sent; syslog over UDP gives no answer" if row.kind == "syslog" else "sent, and taken by the other side"
        return RouteTest(ok=not trouble, said=trouble or told)


def _row(connection: Connection, identity: int) -> RouteRow:
    row = watch_records.route(connection, identity)
    if row is None:
        raise Missing(f"there is no notice route {identity}")
    return row


def _before(journal: Journal, identity: int, versions: Versions) -> dict[str, Any]:
    """A route as it is, to be edited. Raises Missing, StaleEdit."""
    before = journal.row(ROUTE, (identity,))
    if before is None:
        raise Missing(f"there is no notice route {identity}")
    journal.expect(ROUTE, (identity,), versions, f"the notice route {before['name']}", _told(before))
    return before


def _wants(row: RouteRow, item: Item) -> bool:
    """True for what is severe enough for a route."""
    return Severity(item.severity).rank <= Severity(row.least).rank


def _item(identity: int, one: Turned) -> Item:
    finding = one.finding
    rule = BY_KIND.get(finding.kind)
    return Item(
        identity, one.turn.value, finding.kind, rule.title if rule else finding.kind, finding.severity.value,
        tuple((s.type, s.value) for s in finding.subjects), "; ".join(e.said for e in finding.evidence[:3]),
        finding.remedy, finding.updated,
    )  # fmt: skip


def _told(values: Mapping[str, Any]) -> dict[str, Any]:
    """A route as the list of changes shows it: that there is a secret, never which."""
    shown = {name: value for name, value in values.items() if name not in ("settings", "secret")}
    settings = {name: value for name, value in values.get("settings", {}).items() if value and name != route_urls.URL}
    return {**shown, **settings, **({"secret": "kept"} if values.get("secret") else {})}


def _view(connection: Connection, row: RouteRow) -> RouteView:
    settings = {name: value for name, value in row.settings.items() if name != route_urls.URL}
    return RouteView(
        version=version(connection, ROUTE, (row.id,)), smtp_server=settings.pop("server", ""),
        id=row.id, name=row.name, kind=row.kind, has_secret=bool(row.secret), least=row.least, on=row.on,
        sent=maybe_time(row.sent_at), trouble=row.trouble, **settings,
    )  # fmt: skip


def _check(new: RouteNew) -> None:
    _check_to(new.kind, new.to)
    if new.kind == "mail":
        if not senders.are_mailboxes(new.sender, 1):
            raise EditError("a mail needs a sender's address, such as roster@larkspur.example", "sender")
        if not _host_and_port(new.smtp_server):
            raise EditError("name the SMTP server as HOST:PORT, such as mail.larkspur.example:587", "smtp_server")
        if new.user and new.tls == "none":
            raise EditError("a password is not sent over an open line: choose tls or starttls", "tls")


def _check_to(kind: str, to: str) -> None:
    if any(c in to for c in "\r\n"):
        raise EditError("the target holds a line break", "to")
    if kind == "webhook" and not senders.is_webhook(to):
        raise EditError("a webhook is a URL such as https://desk.larkspur.example/hook", "to")
    if kind == "mail" and not senders.are_mailboxes(to):
        raise EditError("a mail goes to an address such as office@larkspur.example", "to")
    if kind == "syslog" and not _host_and_port(to):
        raise EditError("a syslog server is HOST:PORT, such as logs.larkspur.example:514", "to")


def _host_and_port(text: str) -> bool:
    host, _, port = text.rpartition(":")
    return bool(host) and port.isdigit() and 0 < int(port) < 65536
