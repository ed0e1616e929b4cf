"""DHCP servers' records: their settings, their leases as told last, and what was published to them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, delete, func, insert, or_, select, update

from ..core.address import Address
from ..core.dhcp import Reservation
from ..core.mac import MacNumber
from ..core.plan.following import Lease
from .listing import in_list
from .rows import DhcpServerRow, all_of, one_of
from .tables import dhcp_servers, leases, published


@dataclass(frozen=True, slots=True)
class LeaseRow:
    """A lease and the server that told it."""

    lease: Lease
    server: int
    server_name: str


def servers(connection: Connection) -> list[DhcpServerRow]:
    """All DHCP servers by name."""
    return all_of(connection, DhcpServerRow, select(dhcp_servers).order_by(dhcp_servers.c.name))


def server(connection: Connection, identity: int) -> DhcpServerRow | None:
    """One server."""
    return one_of(connection, DhcpServerRow, select(dhcp_servers).where(dhcp_servers.c.id == identity))


def active_by_site(connection: Connection, now: int) -> dict[int, list[int]]:
    """Addresses under an active lease, by site."""
    query = (
        select(dhcp_servers.c.site, leases.c.address)
        .join(leases, leases.c.server == dhcp_servers.c.id)
        .where(or_(leases.c.expires.is_(None), leases.c.expires > now))
    )
    found: dict[int, list[int]] = {}
    for site, address in connection.execute(query):
        found.setdefault(site, []).append(address)
    return found


def at_addresses(connection: Connection, site: int, addresses: Iterable[Address]) -> dict[int, list[LeaseRow]]:
    """The leases on some addresses of a site, ended ones too, the latest first."""
    return _rows(connection, site, in_list(leases.c.address, addresses), by_mac=False)


def of_macs(connection: Connection, site: int, macs: Iterable[MacNumber]) -> dict[int, list[LeaseRow]]:
    """The leases of some MACs at a site, the latest first."""
    return _rows(connection, site, in_list(leases.c.mac, macs), by_mac=True)


def _rows(connection: Connection, site: int, where: Any, by_mac: bool) -> dict[int, list[LeaseRow]]:
    query = (
        select(leases, dhcp_servers.c.name.label("server_name"))
        .join(dhcp_servers, dhcp_servers.c.id == leases.c.server)
        .where(where, dhcp_servers.c.site == site)
        .order_by(leases.c.expires.is_(None).desc(), leases.c.expires.desc())
    )
    found: dict[int, list[LeaseRow]] = {}
    for row in connection.execute(query):
        found.setdefault(row.mac if by_mac else row.address, []).append(_lease(row))
    return found


def all_leases(connection: Connection, identity: int | None = None, limit: int = 50_000) -> list[LeaseRow]:
    """Leases as told last, by address; of one server or of all."""
    query = select(leases, dhcp_servers.c.name.label("server_name"))
    query = query.join(dhcp_servers, dhcp_servers.c.id == leases.c.server)
    if identity is not None:
        query = query.where(leases.c.server == identity)
    return [_lease(row) for row in connection.execute(query.order_by(leases.c.address).limit(limit))]


def _lease(row: Any) -> LeaseRow:
    return LeaseRow(Lease(row.address, row.mac, row.name, row.expires, row.since), row.server, row.server_name)


def replace_leases(connection: Connection, identity: int, found: Sequence[Lease], at: int) -> None:
    """What a server told now replaces what it told before."""
    connection.execute(delete(leases).where(leases.c.server == identity))
    rows = {
        lease.address: {
            "server": identity, "address": lease.address, "mac": lease.mac, "name": lease.name, "expires": lease.expires,
            "since": lease.since,
        }
        for lease in found
    }  # fmt: skip
    if rows:
        connection.execute(insert(leases), list(rows.values()))
    connection.execute(update(dhcp_servers).where(dhcp_servers.c.id == identity).values(read_at=at, trouble=""))


def trouble(connection: Connection, identity: int, sentence: str) -> None:
    """Reading a server failed."""
    connection.execute(update(dhcp_servers).where(dhcp_servers.c.id == identity).values(trouble=sentence))


def reach(connection: Connection, identity: int, settings: dict[str, str]) -> None:
    """How a server is reached, where an older version had kept it otherwise."""
    connection.execute(update(dhcp_servers).where(dhcp_servers.c.id == identity).values(settings=settings))


def hand_out(connection: Connection, identity: int, sheet: str) -> None:
    """A server's sheet is this now."""
    connection.execute(update(dhcp_servers).where(dhcp_servers.c.id == identity).values(sheet=sheet))


def show(connection: Connection, identity: int, shown: dict[str, Any]) -> None:
    """What the wire showed of a server's sheet."""
    connection.execute(update(dhcp_servers).where(dhcp_servers.c.id == identity).values(shown=shown))


def replace_published(
    connection: Connection, identity: int, entries: Iterable[Reservation], owned: dict[str, list[str]], at: int
) -> None:
    """What was verified to stand on a server after publishing."""
    connection.execute(delete(published).where(published.c.server == identity))
    rows = [{"server": identity, "address": e.address, "mac": e.mac, "name": e.name} for e in entries]
    if rows:
        connection.execute(insert(published), rows)
    values = {"published_at": at, "owned": owned, "refusals": {}, "trouble": ""}
    connection.execute(update(dhcp_servers).where(dhcp_servers.c.id == identity).values(**values))


def count_published(connection: Connection, identity: int) -> int:
    """How many entries stand on a server."""
    query = select(func.count()).select_from(published).where(published.c.server == identity)
    return int(connection.execute(query).scalar_one())


def published_macs(connection: Connection, site: int, addresses: Iterable[Address]) -> dict[int, set[int]]:
    """The MACs that some addresses of a site are published for."""
    query = (
        select(published.c.address, published.c.mac)
        .join(dhcp_servers, dhcp_servers.c.id == published.c.server)
        .where(dhcp_servers.c.site == site, in_list(published.c.address, addresses))
    )
    found: dict[int, set[int]] = {}
    for address, mac in connection.execute(query):
        found.setdefault(address, set()).add(mac)
    return found
