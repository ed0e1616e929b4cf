"""Which DHCP servers the service's host allows to be reached, and the counterparts that are made of what it says of them."""

from __future__ import annotations

import logging
import re
from collections.abc import Mapping

from ...api import host_file
from ...api.host_file import HOST_FILE, HostFileError, Reach
from ...core.ticking import BY_HAND
from ...dhcp.by_hand import by_hand
from ...dhcp.controlled import ControlledServer
from ...dhcp.kind import KindError
from ...dhcp.kinds import build, checked
from ...dhcp.pair import PairServer
from ...dhcp.server import DhcpServer, ServerTrouble
from ...store import lease_records, server_versions
from ...store.edits import EditError
from ...store.rows import DhcpServerRow
from ..context import Context

_log = logging.getLogger(__name__)
_OLD_PATHS = {"config", "socket", "leases", "hosts", "pid"}
"""What older versions kept in the records."""


class AllowedServers:
    """The host's file, looked at anew each time."""

    def __init__(self, context: Context) -> None:
        self._context = context
        with context.database.write() as connection:
            self._roster = server_versions.roster_id(connection)
        self._move_paths()

    def all(self) -> dict[str, Reach]:
        """The servers that the host allows to be reached. Raises EditError when its file cannot be used."""
        try:
            return host_file.read(self._context.settings.home)
        except HostFileError as error:
            raise EditError(str(error), "reach") from error

    def reached(self, name: str, reach: str, edited_by_hand: bool = False) -> tuple[str, dict[str, str]]:
        """The kind and the settings of a server that is reached as the host allows under a name, or is edited by hand. Raises
        EditError."""
        if edited_by_hand:
            if reach:
                raise EditError("what is edited by hand is not reached: leave out what the host allows", "reach")
            return BY_HAND, {}
        found = self.all().get(reach or name)
        if found is not None:
            try:
                checked(found.kind, found.values)
            except KindError as error:
                raise EditError(f"{HOST_FILE}, [{found.name}]: {error}", "reach") from error
            return found.kind, {"reach": found.name}
        if not reach and self._context.machine.dhcp_control(name) is not None:
            return "standin", {}
        raise EditError(
            f"the service's host does not allow a DHCP server {reach or name!r}; on that machine: "
            f"roster dhcp allow {reach or name!r} kea --config FILE --socket FILE; a router with a web form: by hand", "reach",
        )  # fmt: skip

    def values(self, row: DhcpServerRow) -> Mapping[str, str]:
        """What the host allows for a server, secrets left out; nothing where it allows it no more."""
        try:
            found = host_file.read(self._context.settings.home).get(row.settings.get("reach", ""))
        except HostFileError:
            return {}
        return {name: value for name, value in found.values.items() if name != "password"} if found is not None else {}

    def server(self, row: DhcpServerRow) -> DhcpServer:
        """The counterpart behind a record. Raises ServerTrouble."""
        if row.kind == BY_HAND:
            return by_hand(row.sheet)
        if row.kind == "standin":
            control = self._context.machine.dhcp_control(row.name)
            if control is None:
                raise ServerTrouble("the stand-in site's server is there only while the stand-in site is")
            return ControlledServer(control)
        reach = row.settings.get("reach", "")
        try:
            allowed = host_file.read(self._context.settings.home)
        except HostFileError as error:
            raise ServerTrouble(str(error)) from error
        found = allowed.get(reach)
        if found is None or found.kind != row.kind:
            raise ServerTrouble(
                f"the service's host does not allow a {row.kind} server {reach or row.name!r}: see {HOST_FILE} in its home folder"
            )
        server = self._built(found)
        if (partner := found.values.get("partner")) is None:
            return server
        other = allowed.get(partner)
        if other is None or other.kind != found.kind or other.name == found.name:
            raise ServerTrouble(
                f"{HOST_FILE}, [{found.name}]: partner is {partner!r}, which is no other {found.kind} server there"
            )
        return PairServer(server, self._built(other), (found.name, other.name))

    def _built(self, reach: Reach) -> DhcpServer:
        try:
            return build(reach.kind, reach.values, self._roster)
        except KindError as error:
            raise ServerTrouble(f"{HOST_FILE}, [{reach.name}]: {error}") from error

    def _move_paths(self) -> None:
        """Paths that older versions kept in the records go to the host's file, where only the host changes them."""
        with self._context.database.read() as connection:
            rows = [row for row in lease_records.servers(connection) if set(row.settings) & _OLD_PATHS]
        for row in rows:
            reach = re.sub(r"[^A-Za-z0-9 ._-]+", "-", row.name).strip(" ._-") or f"server-{row.id}"
            try:
                if reach in host_file.read(self._context.settings.home):
                    reach = f"{reach}-{row.id}"
                paths = {name: path for name, path in row.settings.items() if name in _OLD_PATHS and path}
                host_file.allow(self._context.settings.home, Reach(reach, row.kind, paths))
            except (HostFileError, OSError) as error:
                _log.warning("the paths of DHCP server %s stay in the records: %s", row.name, error)
                continue
            with self._context.database.write() as connection:
                lease_records.reach(connection, row.id, {"reach": reach})
