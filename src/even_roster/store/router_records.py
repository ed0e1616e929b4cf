"""Known members of router groups: which MACs share an address on purpose (VRRP, RFC 5798, and its like)."""

from __future__ import annotations

from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.sqlite import insert as upsert

from .tables import router_members


def members(connection: Connection, site: int) -> dict[int, set[int]]:
    """The known members at a site, by address."""
    found: dict[int, set[int]] = {}
    query = select(router_members.c.address, router_members.c.mac).where(router_members.c.site == site)
    for address, mac in connection.execute(query):
        found.setdefault(address, set()).add(mac)
    return found


def add(connection: Connection, site: int, address: int, mac: int, who: str, at: int) -> bool:
    """A hand names a member; False when it is known already."""
    values = {"site": site, "address": address, "mac": mac, "who": who, "at": at}
    statement = upsert(router_members).values(values).on_conflict_do_nothing()
    return connection.execute(statement).rowcount > 0


def remove(connection: Connection, site: int, address: int, mac: int) -> bool:
    """It is no member any more; False when it was none."""
    statement = delete(router_members).where(
        router_members.c.site == site, router_members.c.address == address, router_members.c.mac == mac
    )
    return connection.execute(statement).rowcount > 0
