"""Publishes the plan to DHCP servers. What is about to be written is noted first, so that no publishing is forgotten half way.

All of it belongs in threads. A server's line is never held while something is stored: first it is looked at and checks what it is
to get, then that is noted, then it is written, and last it is stored how that ended.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Protocol

from sqlalchemy import update

from ...api.events import DhcpEvent
from ...core.address import dotted
from ...core.dhcp import PlanError, Scope, key_of, meaning
from ...core.ticking import BY_HAND
from ...dhcp.controlled import PLACE
from ...dhcp.server import (
    ChangedMeanwhile,
    DhcpServer,
    Former,
    Prepared,
    Preview,
    Published,
    ServerTrouble,
    Texts,
    There,
    as_owned,
    carry_out,
    prepare,
    preview,
)
from ...dhcp.server import digest as texts_digest
from ...store import begun_publishings, lease_records, server_versions
from ...store.begun_publishings import Begun
from ...store.one_lock import OneLock
from ...store.rows import DhcpServerRow
from ...store.server_versions import Version
from ...store.tables import dhcp_servers
from ..aids.secret_box import SecretBox, SecretError
from ..context import Context, now_ms


class Servers(Protocol):
    """What is needed of all servers of a service."""

    def row(self, identity: int) -> DhcpServerRow:
        """A server's record. Raises Missing."""

    def server(self, row: DhcpServerRow) -> DhcpServer:
        """The counterpart behind a record. Raises ServerTrouble."""

    def wanted(self, identity: int) -> list[Scope]:
        """What a server should hand out. Raises PlanError."""

    def line(self, identity: int) -> OneLock:
        """For talking to a server, one at a time."""

    def read_holdings(self, identity: int, there: There | None = None) -> bool:
        """Read all that a server holds now, or take it from what was just read of it; tells whether it told of a change. Raises
        Missing."""

    def tell_changed(self, identity: int) -> None:
        """Tell all who look at what a server has, or has of the plan, that it changed."""


class Publishing:
    """To all servers of one service."""

    def __init__(self, context: Context, servers: Servers) -> None:
        self._context = context
        self._servers = servers
        self._under_way: set[int] = set()
        self._box = SecretBox(context.secret, "server versions")

    def under_way(self, identity: int) -> bool:
        """True while something is published to a server: then its record and what it has do not belong together."""
        return identity in self._under_way

    def preview(self, identity: int, take_over: bool = False) -> Preview:
        """The difference between the plan and a server. Raises Missing, PlanError, ServerTrouble."""
        row = self._known(identity)
        with self._servers.line(identity):
            return preview(
                self._servers.server(row),
                self._servers.wanted(identity),
                as_owned(row.owned),
                self._former(identity),
                take_over,
            )[0]

    def publish(self, identity: int, digest: str | None, take_over: bool = False) -> Published:
        """Publish and verify. Raises Missing, PlanError, ServerTrouble; then the server is as it was."""
        self._known(identity)
        with self._servers.line(identity):
            if identity in self._under_way:
                raise ChangedMeanwhile(
                    "somebody else is publishing to this server; look at the difference again when that has ended"
                )
            self._under_way.add(identity)
        try:
            done = self._publish(identity, digest, take_over)
        finally:
            self._under_way.discard(identity)
            if self._servers.row(identity).begun:
                self._servers.read_holdings(identity)  # tells how it ended
        if not self._servers.read_holdings(identity, done.back):
            self._servers.tell_changed(identity)
        return done

    def _known(self, identity: int) -> DhcpServerRow:
        """A server's record; of a publishing that was cut off it is told first how it ended."""
        row = self._servers.row(identity)
        if row.begun and not self.under_way(identity):
            self._servers.read_holdings(identity)
            row = self._servers.row(identity)
            if row.begun and not self.under_way(identity):
                raise ServerTrouble(
                    f"a publishing to this server was cut off, and how far it came cannot be told: {row.holdings_trouble}"
                )
        return row

    def _publish(self, identity: int, digest: str | None, take_over: bool) -> Published:
        row = self._servers.row(identity)
        wanted = self._servers.wanted(identity)
        server = self._servers.server(row)
        try:
            with self._servers.line(identity):
                prepared = prepare(server, wanted, as_owned(row.owned), digest, self._former(identity), take_over)
            begun = self._begun(row, prepared)
            if prepared.checked:
                with self._context.database.write() as connection:
                    begun_publishings.note(connection, identity, begun)
            with self._servers.line(identity):
                done = carry_out(server, prepared)
        except ChangedMeanwhile:
            # Nothing is wrong with the server, nor with the plan, and nothing was written.
            with self._context.database.write() as connection:
                begun_publishings.forget(connection, identity)
            raise
        except (ServerTrouble, PlanError) as error:
            self._refused(identity, wanted, str(error))
            raise
        with self._context.database.write() as connection:
            lease_records.replace_published(connection, identity, begun.entries, begun.owned, now_ms())
            if done.before != done.after:
                version = begun.version
                after = texts_digest(done.after)
                kept = Version(version.texts, version.before, version.meaning, version.owned, after)
                server_versions.keep(connection, identity, kept, now_ms())
            begun_publishings.forget(connection, identity)
            if row.kind == BY_HAND:
                lease_records.hand_out(connection, identity, done.after[PLACE])
        return done

    def _begun(self, row: DhcpServerRow, prepared: Prepared) -> Begun:
        """What is remembered of a publishing. The texts are sealed: there may be passwords in them."""
        shown, there = prepared.shown, prepared.there
        keys = {key for keys in shown.owned.values() for key in keys}
        entries = tuple(one for scope in prepared.wanted for one in scope.reservations if key_of(one) in keys)
        sealed = {path: self._box.seal(text) for path, text in there.texts.items()} if prepared.checked else {}
        meant = meaning(one.scope for one in there.scopes)
        version = Version(sealed, there.digest, meant, row.owned, texts_digest(shown.after))
        return Begun(version, shown.owned, entries)

    def _former(self, identity: int) -> Former:
        """Looks for earlier texts of a server that meant what is wanted now."""

        def find(there: There, meant: str) -> Texts | None:
            with self._context.database.read() as connection:
                version = server_versions.former(connection, identity, there.digest, meant)
            try:
                return (
                    {path: self._box.open(text) for path, text in version.texts.items()}
                    if version is not None
                    else None
                )
            except SecretError:
                return None  # kept under another key: then it is rendered as if it were not there

        return find

    def _refused(self, identity: int, wanted: Sequence[Scope], said: str) -> None:
        """Remember what the server said, and which reservations it is about."""
        refusals = {
            dotted(one.address): said
            for scope in wanted
            for one in scope.reservations
            if re.search(rf"(?<![\d.]){re.escape(dotted(one.address))}(?![\d.])", said)
        }
        with self._context.database.write() as connection:
            connection.execute(
                update(dhcp_servers).where(dhcp_servers.c.id == identity).values(trouble=said, refusals=refusals)
            )
        self._context.findings.servers_changed()
        self._context.tell(DhcpEvent(server_id=identity))
