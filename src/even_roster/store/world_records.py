"""Loads the world of the findings from the records: who was where lately, who is called what, what was leased."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import Connection, and_, func, or_, select

from ..core.absence import HEARD, Reason, Silence
from ..core.address import Address
from ..core.findings.facts import Drift, KnownDevice, PlannedServer, PoolSeen
from ..core.findings.world import KEPT, World
from ..core.mac import MacNumber
from ..core.names import SELF_TOLD, NameSource
from ..core.plan.following import Lease
from ..core.plan.model import Band
from ..core.stays import Source
from . import router_records, watch_records
from .listing import in_list
from .of_site import at_site
from .past_tables import OPEN, silences
from .tables import adapters, devices, dhcp_servers, leases, name_stays, published, stays


def load(connection: Connection, world: World, now: int, offset: int) -> None:
    """Fill a world. `offset` is added to every recorded time: the world's clock never steps."""
    planned = [item.mac for item in world.plan.assignments.values() if item.mac is not None]
    query = (
        select(
            stays.c.address,
            stays.c.mac,
            stays.c.first,
            stays.c.last,
            stays.c.sources,
            stays.c.reason,
            stays.c.heard,
            silences,
        )
        .select_from(stays)
        .join(silences, and_(silences.c.stay_id == stays.c.id, OPEN), isouter=True)
        .where(at_site(world.site))
        .where(or_(stays.c.last > now - KEPT, in_list(stays.c.mac, planned)))
        .order_by(stays.c.last)
    )
    for address, mac, first, last, sources, reason, heard, _, since, until, count, before, _, _ in connection.execute(
        query
    ):
        known = world.holders.get(address, {}).get(mac)
        if sources == Source.LEASE and known is not None and known.answered:
            known.leased = last + offset  # it is no answer
            continue
        world.saw(address, mac, last + offset, Source(sources))
        held = world.holders[address][mac]
        held.first, held.heard = min(held.first, first + offset), heard + offset if heard else 0
        held.silence = HEARD
        if count:
            held.silence = Silence(count, since + offset, until + offset, Reason(reason), before + offset)
    world.take_silences()
    world.members = router_records.members(connection, world.site)
    know_devices(connection, world)
    names = select(name_stays).where(name_stays.c.last > now - KEPT)
    for row in connection.execute(names):
        if row.source == "dns":
            world.reverse_name(row.address, row.name, row.last + offset)
        elif row.source in SELF_TOLD and row.mac >= 0:
            world.told(row.mac, row.name, row.last + offset, heard=NameSource(row.source).overheard)
    load_servers(connection, world, offset)


def know_devices(connection: Connection, world: World, ids: list[int] | None = None) -> None:
    """What people say of devices; of all, or of some that changed."""
    query = select(adapters.c.mac, devices.c.id, devices.c.name, devices.c.role, devices.c.called)
    query = query.join(devices, devices.c.id == adapters.c.device_id)
    if ids is not None:
        query = query.where(in_list(devices.c.id, ids))
    for mac, identity, name, role, called in connection.execute(query):
        new = KnownDevice(identity, name, role, called)
        if world.devices.get(mac) != new:
            world.devices[mac] = new
            world.touch_mac(mac)


def load_servers(connection: Connection, world: World, offset: int) -> None:
    """DHCP servers, their leases, what was published to them, how full their pools are."""
    rows = list(connection.execute(select(dhcp_servers).where(dhcp_servers.c.site == world.site)))
    world.dhcp.planned_servers = {row.id: PlannedServer(row.id, row.name, tuple(row.addresses)) for row in rows}
    world.refusals = {}
    world.published = {}
    for row in rows:
        if row.read_at is not None:
            found = connection.execute(select(leases).where(leases.c.server == row.id))
            told = [Lease(x.address, x.mac, x.name, x.expires + offset if x.expires else None) for x in found]
            world.leased.told(row.id, told, row.read_at + offset)
        for address, said in row.refusals.items():
            world.refusals[_number(address)] = said
    world.dhcp.drifts = {row.id: _drift(row.drift, offset) for row in rows}
    there = select(published.c.address, published.c.mac).where(published.c.server.in_([row.id for row in rows]))
    for row in connection.execute(there):
        world.published.setdefault(row.address, set()).add(row.mac)
    load_pools(connection, world, offset)


def _drift(kept: Mapping[str, Any], offset: int) -> Drift:
    since = kept.get("since")
    return Drift(
        kept.get("waiting", 0), kept.get("first", ""), since + offset if since is not None else None,
        tuple(kept.get("lost", ())), kept.get("other", ""),
    )  # fmt: skip


def load_pools(connection: Connection, world: World, offset: int) -> None:
    """How full pools are and were."""
    now = world.now - offset
    history = watch_records.pool_history(connection, now - 60 * 24 * watch_records.HOUR)
    for band in world.plan.pools():
        if band.server is None or band.server not in world.leased.read:
            world.pools.pop(band.id, None)
            continue
        world.pools[band.id] = PoolSeen(used_now(connection, band, now), len(band.span), history.get(band.id, []))


def used_now(connection: Connection, band: Band, now: int) -> int:
    """How many of a pool's addresses are leased."""
    query = select(func.count()).select_from(leases).where(leases.c.address.between(band.first, band.last))
    query = query.where(leases.c.server == band.server, or_(leases.c.expires.is_(None), leases.c.expires > now))
    return int(connection.execute(query).scalar_one())


def server_macs(connection: Connection) -> frozenset[MacNumber]:
    """The MACs that were seen at the known addresses of DHCP servers."""
    addresses = [a for row in connection.execute(select(dhcp_servers.c.addresses)) for a in row.addresses]
    query = select(stays.c.mac).where(in_list(stays.c.address, addresses), stays.c.mac.is_not(None))
    return frozenset(connection.execute(query).scalars()) if addresses else frozenset()


def _number(address: str) -> Address:
    parts = [int(part) for part in address.split(".")]
    return Address(parts[0] << 24 | parts[1] << 16 | parts[2] << 8 | parts[3])
