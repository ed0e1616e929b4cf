"""Publishings that have begun: noted before anything is written to a server, taken away when it is known how they ended.

A service that dies between the two finds the note, and tells from what the server has now whose its entries are.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

from sqlalchemy import Connection, update

from ..core.address import Address
from ..core.dhcp import Reservation, key_of
from ..core.mac import MacNumber
from .lease_records import replace_published
from .rows import DhcpServerRow
from .server_versions import Version, keep
from .tables import dhcp_servers


@dataclass(frozen=True, slots=True)
class Begun:
    """A publishing: what stood before, the ownership record that it gives, and the reservations that it writes."""

    version: Version
    owned: dict[str, list[str]]
    entries: tuple[Reservation, ...]


def note(connection: Connection, server: int, begun: Begun) -> None:
    """Something is about to be written to a server."""
    _set(connection, server, {
        "version": asdict(begun.version), "owned": begun.owned, "entries": [(e.mac, e.address, e.name) for e in begun.entries],
    })  # fmt: skip


def forget(connection: Connection, server: int) -> None:
    """How it ended is known."""
    _set(connection, server, {})


def _set(connection: Connection, server: int, value: dict[str, Any]) -> None:
    connection.execute(update(dhcp_servers).where(dhcp_servers.c.id == server).values(begun=value))


def of_row(row: DhcpServerRow) -> Begun | None:
    """The publishing of which nobody knows how it ended, if there is one."""
    if not row.begun:
        return None
    entries = tuple(Reservation(MacNumber(mac), Address(at), name) for mac, at, name in row.begun["entries"])
    return Begun(Version(**row.begun["version"]), row.begun["owned"], entries)


def settle(connection: Connection, row: DhcpServerRow, digest: str, has: frozenset[tuple[str, str]], at: int) -> bool:
    """Tell from what a server has now, its texts' digest and (network, key) of every part, how a publishing ended that was cut off.

    Where the texts are those from before, nothing was written. What stood before is remembered only if nobody has written since.
    True when there was one.
    """
    begun = of_row(row)
    if begun is None:
        return False
    if digest == begun.version.before:
        forget(connection, row.id)
        return True
    owned = {
        network: _ours(network, begun.owned.get(network, ()), row.owned.get(network, ()), has)
        for network in dict.fromkeys((*begun.owned, *row.owned))
    }
    ours = {key for keys in owned.values() for key in keys}
    replace_published(connection, row.id, [one for one in begun.entries if key_of(one) in ours], owned, at)
    if digest == begun.version.after:
        keep(connection, row.id, begun.version, at)
    forget(connection, row.id)
    return True


def _ours(network: str, wanted: Sequence[str], before: Sequence[str], has: frozenset[tuple[str, str]]) -> list[str]:
    """What is ours of a subnet: what was to be there and is, or was ours before (then it is told as lost where it is gone); and
    what was to go and is there still."""
    still = [key for key in wanted if (network, key) in has or key in before]
    return [*still, *(key for key in before if key not in wanted and (network, key) in has)]
