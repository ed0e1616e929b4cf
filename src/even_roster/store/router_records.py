"""Known members of router groups: which MACs share an address on purpose (VRRP, RFC 5798, and its like)."""

from __future__ import annotations

from sqlalchemy import Connection, select

from ..core.address import Address
from ..core.mac import MacNumber
from .tables import router_members


def members(connection: Connection, site: int) -> dict[Address, set[MacNumber]]:
    """The known members at a site, by address."""
    found: dict[Address, set[MacNumber]] = {}
    query = select(router_members.c.address, router_members.c.mac).where(router_members.c.site == site)
    for address, mac in connection.execute(query):
        found.setdefault(address, set()).add(mac)
    return found
