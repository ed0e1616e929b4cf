"""What was seen where, for planning: last times by address, and holders with their names."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, Select, bindparam, func, or_, select

from ..core.address import Address
from ..core.mac import MacNumber
from ..core.plan.checks import Observed
from ..core.plan.proof import LastSeen
from .address_column import NO_ADDRESS
from .listing import FEW, in_list
from .of_site import at_site, site_of_segment
from .tables import NO_MAC, adapters, devices, name_stays, segments, stays


def last_seen_by_site(connection: Connection) -> dict[int, dict[Address, int]]:
    """When each address was seen last (UTC ms), by site; segments without a site belong to the one here."""
    site = site_of_segment()
    query = (
        select(site, stays.c.address, func.max(stays.c.last))
        .join(segments, segments.c.id == stays.c.segment_id)
        .group_by(site, stays.c.address)
    )
    found: dict[int, dict[Address, int]] = {}
    for place, address, last in connection.execute(query):
        found.setdefault(place, {})[address] = last
    return found


def last_holders(connection: Connection, site: int, addresses: list[Address]) -> dict[int, LastSeen]:
    """When and by whom each of some addresses was held last, at one site."""
    query = (
        select(stays.c.address, stays.c.mac, stays.c.last, devices.c.called)
        .join(adapters, adapters.c.mac == stays.c.mac, isouter=True)
        .join(devices, devices.c.id == adapters.c.device_id, isouter=True)
        .where(in_list(stays.c.address, addresses), at_site(site))
        .order_by(stays.c.last)
    )
    return {row.address: LastSeen(row.last, row.mac, row.called or "") for row in connection.execute(query)}


def names_for(connection: Connection, addresses: list[Address], since: int) -> dict[int, list[str]]:
    """Names that the site's DNS gave for addresses since a time (UTC ms)."""
    query = select(name_stays.c.address, name_stays.c.name).where(
        in_list(name_stays.c.address, addresses), name_stays.c.source == "dns", name_stays.c.last >= since
    )
    found: dict[int, list[str]] = {}
    for address, name in connection.execute(query):
        found.setdefault(address, []).append(name)
    return found


def places_of(connection: Connection, macs: list[MacNumber]) -> dict[MacNumber, list[tuple[int, LastSeen]]]:
    """Where MACs were seen, the latest first."""
    query = (
        select(stays.c.mac, stays.c.address, func.max(stays.c.last).label("last"))
        .where(in_list(stays.c.mac, macs))
        .group_by(stays.c.mac, stays.c.address)
        .order_by(func.max(stays.c.last).desc())
    )
    found: dict[MacNumber, list[tuple[int, LastSeen]]] = {}
    for mac, address, last in connection.execute(query):
        found.setdefault(mac, []).append((address, LastSeen(last, mac)))
    return found


def in_pools(connection: Connection, spans: list[tuple[int, int]], roles: list[str]) -> list[Observed]:
    """Devices of some roles whose address lies in some spans."""
    if not spans or not roles:
        return []
    inside = or_(*(devices.c.address.between(first, last) for first, last in spans))
    query = select(devices).where(
        devices.c.retired.is_(False), devices.c.last_seen > 0, inside, devices.c.role.in_(roles)
    )
    return [
        Observed(row.id, row.called, row.role, row.address, row.mac if row.mac != NO_MAC else None)
        for row in connection.execute(query.order_by(devices.c.address))
        if row.address != NO_ADDRESS
    ]


@dataclass(frozen=True, slots=True)
class KnownAs:
    """What the roster knows of a MAC: its device, its name, role and when it was seen last (UTC ms, 0 for never)."""

    device: int
    name: str
    role: str
    last_seen: int
    address: Address | None


_KNOWN: Select[Any] = select(
    adapters.c.mac, adapters.c.last_seen, devices.c.id, devices.c.called, devices.c.role, devices.c.address
).join(devices, devices.c.id == adapters.c.device_id)
_KNOWN_FEW = _KNOWN.where(adapters.c.mac.in_(bindparam("macs", expanding=True)))


def known_macs(connection: Connection, macs: list[MacNumber]) -> dict[MacNumber, KnownAs]:
    """What the roster knows of some MACs."""
    if not macs:
        return {}
    few = len(macs) <= FEW
    query = _KNOWN_FEW if few else _KNOWN.where(in_list(adapters.c.mac, macs))
    return {
        row.mac: KnownAs(
            row.id, row.called, row.role, row.last_seen,
            row.address if row.address != NO_ADDRESS and row.last_seen else None,
        )
        for row in connection.execute(query, {"macs": macs} if few else {})
    }  # fmt: skip
