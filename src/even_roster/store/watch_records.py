"""How subnets are watched, how full pools were, what the service is set to keep, and the notice routes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, delete, func, select, update
from sqlalchemy.dialects.sqlite import insert as upsert

from ..core.findings.forecast import PoolUse
from ..core.mac import MacNumber
from .rows import RouteRow, all_of, one_of
from .tables import kept_settings, notice_routes, pool_uses, scans, segments, watches

HOUR = 3600 * 1000
POOL_KEPT = 400 * 24 * HOUR
USUAL_KEEPING = {"stay_days": 400, "finding_days": 400}
USUAL_INTAKE = {"new_per_hour": 300}
USUAL_LIMITS = {"missing_days": 7, "stale_days": 90, "pool_percent": 90}


@dataclass(frozen=True, slots=True)
class Watch:
    """How one subnet is watched; minutes between full scans, light checks and DHCP questions (0: never).

    Quiet hours are minutes of the local day; `strangers` says which unknown devices are told: all, those that tell no
    name (named are welcome), or none.
    """

    subnet: int
    on: bool = True
    every_minutes: int = 60
    light_minutes: int = 5
    ask_minutes: int = 15
    quiet_first: int | None = None
    quiet_last: int | None = None
    strangers: str = "named"

    def quiet(self, minute: int) -> bool:
        """True within the quiet hours, which may run over midnight."""
        return within(self.quiet_first, self.quiet_last, minute)


def within(first: int | None, last: int | None, minute: int) -> bool:
    """True for a minute of the day between two others, which may run over midnight; there is none where both are the same."""
    if first is None or last is None or first == last:
        return False
    return first <= minute < last if first < last else minute >= first or minute < last


def watch_of(connection: Connection, subnet: int) -> Watch:
    """How a subnet is watched; as usual where nobody said otherwise."""
    row = connection.execute(select(watches).where(watches.c.subnet == subnet)).first()
    return Watch(**row._mapping) if row is not None else Watch(subnet)


def all_watches(connection: Connection) -> dict[int, Watch]:
    """What people set, by subnet."""
    return {row.subnet: Watch(**row._mapping) for row in connection.execute(select(watches))}


def last_scans(connection: Connection) -> dict[str, int]:
    """When the last scan on each segment's subnet began (UTC ms)."""
    query = select(segments.c.subnet, func.max(scans.c.started)).join(segments, segments.c.id == scans.c.segment_id)
    return {row[0]: row[1] for row in connection.execute(query.group_by(segments.c.subnet))}


def note_pool(connection: Connection, band: int, at: int, used: int, size: int) -> None:
    """How full a pool is; of each hour the highest is kept."""
    hour = at // HOUR * HOUR
    statement = upsert(pool_uses).values(band=band, at=hour, used=used, size=size)
    more = func.max(pool_uses.c.used, statement.excluded.used)
    connection.execute(
        statement.on_conflict_do_update(index_elements=["band", "at"], set_={"used": more, "size": size})
    )
    connection.execute(delete(pool_uses).where(pool_uses.c.band == band, pool_uses.c.at < at - POOL_KEPT))


def pool_history(connection: Connection, since: int) -> dict[int, list[PoolUse]]:
    """How full every pool was since a time, in order."""
    found: dict[int, list[PoolUse]] = {}
    query = select(pool_uses).where(pool_uses.c.at >= since).order_by(pool_uses.c.band, pool_uses.c.at)
    for row in connection.execute(query):
        found.setdefault(row.band, []).append(PoolUse(row.at, row.used, row.size))
    return found


def kept(connection: Connection, name: str, usual: Mapping[str, int]) -> dict[str, int]:
    """A group of settings, the usual values where nobody said otherwise."""
    value = connection.execute(select(kept_settings.c.value).where(kept_settings.c.name == name)).scalar()
    return {**usual, **{k: v for k, v in (value or {}).items() if k in usual}}


def gateway_mac(connection: Connection, segment: int) -> int | None:
    """The learnt MAC of a segment's gateway."""
    found: int | None = connection.execute(select(segments.c.gateway_mac).where(segments.c.id == segment)).scalar()
    return found


def learn_gateway(connection: Connection, segment: int, mac: MacNumber) -> None:
    """Keep the MAC of a segment's gateway."""
    connection.execute(update(segments).where(segments.c.id == segment).values(gateway_mac=mac))


def routes(connection: Connection) -> list[RouteRow]:
    """All notice routes by name."""
    return all_of(connection, RouteRow, select(notice_routes).order_by(notice_routes.c.name))


def route(connection: Connection, identity: int) -> RouteRow | None:
    """One notice route."""
    return one_of(connection, RouteRow, select(notice_routes).where(notice_routes.c.id == identity))


def note_delivery(connection: Connection, identity: int, values: Mapping[str, Any]) -> None:
    """Keep when a notice route was used last, and what was wrong with it."""
    connection.execute(update(notice_routes).where(notice_routes.c.id == identity).values(**values))
