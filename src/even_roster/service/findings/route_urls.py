"""The URLs of webhooks are secrets as a whole: whoever knows one can send there. They are kept sealed, and shown by their host."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from urllib.parse import urlsplit

from sqlalchemy import Connection, select, update

from ...store.database import Database
from ...store.tables import change_items, changes, notice_routes
from ..aids.secret_box import SecretBox, SecretError

WEBHOOK, ROUTE = "webhook", "notice route"
URL = "url"
"""Where among a route's settings the sealed URL stands; its `to` is what is shown."""


def shown(url: str) -> str:
    """A URL without what opens it: its scheme, host and port."""
    try:
        parts = urlsplit(url)
    except ValueError:  # as an older version may have kept it
        return "a URL that cannot be read"
    host = parts.netloc.rpartition("@")[2]
    more = parts.path.strip("/") or parts.query or parts.fragment or "@" in parts.netloc
    return f"{parts.scheme}://{host}{'/…' if more else ''}"


def sealed(box: SecretBox, url: str) -> dict[str, str]:
    """The settings of a route that say where it leads."""
    return {"to": shown(url), URL: box.seal(url)}


def opened(box: SecretBox, settings: Mapping[str, Any]) -> dict[str, Any]:
    """A route's settings as its sender needs them. Raises SecretError."""
    found = {name: value for name, value in settings.items() if name != URL}
    return {**found, "to": box.open(settings[URL])} if settings.get(URL) else found


def leads(box: SecretBox, settings: Mapping[str, Any], to: str) -> bool:
    """Whether a route leads there already, as far as that can be told."""
    try:
        return bool(opened(box, settings)["to"] == to)
    except SecretError:
        return False


def seal_older(database: Database, box: SecretBox) -> int:
    """Seal the URLs that an older version kept open, in routes and in the list of changes; undo still finds them alike. Gives how
    many rows were rewritten."""
    with database.read() as connection:
        if not any(_open(row) for row in connection.execute(select(notice_routes)).mappings()) and not _open_changes(
            connection
        ):
            return 0
    with database.write() as connection:
        connection.exec_driver_sql("PRAGMA secure_delete = ON")  # what was there is not left in free pages of the file
        count = _Sealing(connection, box).run()
        connection.exec_driver_sql("PRAGMA secure_delete = OFF")
    with database.read() as connection:
        connection.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")
    return count


def _open(values: Any) -> bool:
    """Whether a route, as its row or as an edit of it, has its URL in the open."""
    return values is not None and values.get("kind") == WEBHOOK and URL not in (values.get("settings") or {URL: ""})


def _open_changes(connection: Connection) -> bool:
    query = select(change_items.c.before, change_items.c.after).where(change_items.c.kind == ROUTE)
    return any(_open(row.before) or _open(row.after) for row in connection.execute(query))


class _Sealing:
    """One pass over the records. A URL gets one sealed text wherever it stands, so that what an edit left equals what is there."""

    def __init__(self, connection: Connection, box: SecretBox) -> None:
        self._connection, self._box = connection, box
        self._known: dict[str, dict[str, str]] = {}

    def run(self) -> int:
        """Rewrite everything; gives how many rows."""
        count = 0
        for row in self._connection.execute(select(notice_routes)).mappings().all():
            if _open(row):
                url = row["settings"]["to"]
                values = {**self._values(row), "trouble": row["trouble"].replace(url, shown(url))}
                self._connection.execute(
                    update(notice_routes)
                    .where(notice_routes.c.id == row["id"])
                    .values(settings=values["settings"], trouble=values["trouble"])
                )
                count += 1
        for item in self._connection.execute(select(change_items).where(change_items.c.kind == ROUTE)).all():
            if _open(item.before) or _open(item.after):
                values = {"before": self._values(item.before), "after": self._values(item.after)}
                self._connection.execute(update(change_items).where(change_items.c.id == item.id).values(**values))
                count += 1
        for change in self._connection.execute(select(changes).where(changes.c.kind == ROUTE)).all():
            told = {"before": _told(change.before), "after": _told(change.after)}
            if told != {"before": change.before, "after": change.after}:
                self._connection.execute(update(changes).where(changes.c.id == change.id).values(**told))
                count += 1
        return count

    def _values(self, values: Any) -> Any:
        if values is None or not _open(values):
            return values
        url = values["settings"]["to"]
        if url not in self._known:
            self._known[url] = sealed(self._box, url)
        return {**values, "settings": {**values["settings"], **self._known[url]}}


def _told(values: Any) -> Any:
    """A route as a change recorded it, with its URL hidden."""
    if not isinstance(values, dict) or values.get("kind") != WEBHOOK or "to" not in values:
        return values
    return {**values, "to": shown(values["to"])}
