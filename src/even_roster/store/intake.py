"""Takes sightings into the records, a batch in one transaction: devices for new MACs, stays, names, summaries.

What a scan observes is not an edit by a person: it makes no `change` and never touches what people entered.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass

from sqlalchemy import Connection, bindparam, func, insert, select, update
from sqlalchemy.dialects.sqlite import insert as upsert

from ..core.address import Address
from ..core.mac import MacNumber
from ..core.names import Name
from ..core.stays import GAP_MS, Folded, Pair, Sighting, Source, Stay, fold
from ..core.text import host_key
from . import absence_records, heard_records
from .address_column import stored
from .listing import in_list
from .past_tables import ANSWERED
from .summaries import VendorOf, refresh
from .tables import adapters, change_items, devices, name_stays, stays


@dataclass(frozen=True, slots=True)
class NameHeard:
    """At `at`, the holder of (address, mac) was heard to bear a name; `mac` None behind the gateway."""

    address: Address
    mac: MacNumber | None
    name: Name
    at: int


@dataclass(frozen=True, slots=True)
class TakenIn:
    """What a batch changed: devices by id, and those among them that are new."""

    devices: list[int]
    new: list[int]


def take_in(
    connection: Connection,
    segment: int,
    sightings: Sequence[Sighting],
    names: Sequence[NameHeard],
    ports: dict[MacNumber, list[int]],
    vendor_of: VendorOf,
) -> TakenIn:
    """Record a batch. `ports` are the open TCP ports by MAC. Sightings of address 0 make a device but no stay; what was only
    overheard makes neither: it is entered beside devices and stays that are there."""
    times: dict[MacNumber, tuple[int, int]] = {}
    heard: dict[MacNumber, int] = {}
    leased: set[MacNumber] = set()
    answered: set[MacNumber] = set()
    for sighting in sightings:
        if sighting.mac is None:
            continue
        if sighting.source == Source.OVERHEARD:
            heard[sighting.mac] = max(sighting.at, heard.get(sighting.mac, 0))
            continue
        if sighting.source == Source.LEASE:
            leased.add(sighting.mac)
        else:
            answered.add(sighting.mac)
        first, last = times.get(sighting.mac, (sighting.at, sighting.at))
        times[sighting.mac] = min(first, sighting.at), max(last, sighting.at)
    owner, new = _adapters(connection, times, leased - answered)
    _heard(connection, heard)
    grown = _stays(connection, segment, [s for s in sightings if s.address])
    heard_records.keep(connection, segment, [s for s in sightings if s.address and s.mac is not None], grown)
    sightings = [one for one in sightings if one.source != Source.OVERHEARD]
    _names(connection, names)
    touched = {owner[mac] for mac in times}
    others: set[MacNumber] = {n.mac for n in names if n.mac is not None}
    others |= ports.keys()
    if missing := others - set(times):
        known = connection.execute(select(adapters.c.mac, adapters.c.device_id).where(in_list(adapters.c.mac, missing)))
        found = {row.mac: row.device_id for row in known}
        owner.update(found)
        touched |= set(found.values())
    _ports(connection, {owner[mac]: found for mac, found in ports.items() if mac in owner})
    plain = set(times) - others - set(ports)
    settled = _settled(connection, {mac: owner[mac] for mac in plain}, sightings, grown)
    refresh(connection, touched - settled, vendor_of)
    return TakenIn(sorted(touched), new)


def _heard(connection: Connection, heard: dict[MacNumber, int]) -> None:
    """Devices of these MACs were overheard last at these times."""
    if not heard:
        return
    rows: list[tuple[object, ...]] = [(at, mac) for mac, at in heard.items()]
    _many(connection, "UPDATE adapters SET heard = max(heard, ?) WHERE mac = ?", rows)
    owner = "(SELECT device_id FROM adapters WHERE mac = ?)"
    _many(connection, f"UPDATE devices SET heard = max(heard, ?) WHERE id = {owner}", rows)


def _settled(
    connection: Connection, owner: dict[MacNumber, int], sightings: Sequence[Sighting], grown: set[Pair]
) -> set[int]:  # fmt: skip
    """Devices of which nothing is new but when they were seen last: the only MAC of each was where its summary says it is. That
    time is entered here; gives their ids."""
    places: dict[MacNumber, set[int]] = defaultdict(set)
    latest: dict[MacNumber, int] = {}
    for one in sightings:
        if one.mac in owner:
            settled = one.pair in grown and one.source != Source.LEASE
            places[one.mac].add(one.address if settled else -1)
            latest[one.mac] = max(one.at, latest.get(one.mac, 0))
    alone = {mac: next(iter(found)) for mac, found in places.items() if len(found) == 1}
    query = select(devices.c.id, devices.c.mac, devices.c.address).where(
        in_list(devices.c.id, {owner[mac] for mac in alone}), devices.c.macs == 1
    )
    same = [(mac, identity) for identity, mac, address in connection.execute(query) if alone.get(mac) == address]
    if same:
        _many(
            connection, "UPDATE devices SET last_seen = max(last_seen, ?) WHERE id = ?",
            [(latest[mac], identity) for mac, identity in same],
        )  # fmt: skip
    return {identity for _, identity in same}


def _many(connection: Connection, statement: str, rows: list[tuple[object, ...]]) -> None:
    """One statement for many rows, straight through the driver: half of the time of a large batch went into naming parameters."""
    connection.exec_driver_sql(statement, rows)


def _adapters(
    connection: Connection, times: dict[MacNumber, tuple[int, int]], leased: Collection[MacNumber]
) -> tuple[dict[MacNumber, int], list[int]]:
    """The device of each MAC; MACs never seen before get a device of their own. Of those that were only `leased` an address, which
    is no answer, the time counts as long as they have not answered."""
    if not times:
        return {}, []
    columns = adapters.c.mac, adapters.c.device_id, adapters.c.last_seen
    rows = list(connection.execute(select(*columns).where(in_list(adapters.c.mac, times))))
    owner = {row.mac: row.device_id for row in rows}
    if leased:
        there = select(stays.c.mac).where(in_list(stays.c.mac, leased), ANSWERED).distinct()
        silent = set(connection.execute(there).scalars())
    else:
        silent = set()
    if owner:
        statement = "UPDATE adapters SET last_seen = max(last_seen, ?) WHERE mac = ?"
        seen: list[tuple[object, ...]] = [(times[mac][1], mac) for mac in owner if mac not in silent]
        if seen:
            _many(connection, statement, seen)
    if expected := [row.mac for row in rows if not row.last_seen]:
        _many(
            connection, "UPDATE adapters SET first_seen = ? WHERE mac = ?", [(times[mac][0], mac) for mac in expected]
        )
    fresh = sorted(mac for mac in times if mac not in owner)
    if not fresh:
        return owner, []
    highest = _highest_device(connection)
    identities = {mac: highest + place for place, mac in enumerate(fresh, start=1)}
    connection.execute(insert(devices), [{"id": i, "created_at": times[mac][0]} for mac, i in identities.items()])
    _many(
        connection, "INSERT INTO adapters (device_id, mac, first_seen, last_seen) VALUES (?, ?, ?, ?)",
        [(i, mac, *times[mac]) for mac, i in identities.items()],
    )  # fmt: skip
    owner.update(identities)
    return owner, sorted(identities.values())


def _highest_device(connection: Connection) -> int:
    """The highest id a device ever had: those of removed ones are not given again, so that undo can bring them back."""
    there = connection.execute(select(func.coalesce(func.max(devices.c.id), 0))).scalar_one()
    edited = select(change_items.c.item).where(change_items.c.kind == "device").order_by(change_items.c.item.desc())
    return max(int(there), int(connection.execute(edited.limit(1)).scalar() or 0))


def _stays(connection: Connection, segment: int, sightings: Sequence[Sighting]) -> set[Pair]:
    """Fold sightings in; gives the pairs whose stay only grew, or was heard again."""
    if not sightings:
        return set()
    since = min(one.at for one in sightings) - GAP_MS
    latest, rivals = latest_stays(connection, segment, {s.address for s in sightings}, since)
    folded: Folded = fold(latest, rivals, sightings)
    if folded.begun:
        _many(
            connection,
            "INSERT INTO stays (segment_id, address, mac, first, last, sightings, sources, widest, heard) "
            "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
            [
                (segment, stored(s.address), s.mac, s.first, s.last, s.count, int(s.sources), s.widest, s.heard)
                for s in folded.begun
            ],
        )
    if folded.grown:
        _many(
            connection,
            "UPDATE stays SET first = ?, last = ?, sightings = ?, sources = ?, widest = ?, heard = ? WHERE id = ?",
            [(s.first, s.last, s.count, int(s.sources), s.widest, s.heard, s.id) for s in folded.grown],
        )
        answers: dict[Pair, int] = {}
        for one in sightings:
            if one.source not in (Source.OVERHEARD, Source.LEASE):
                answers[one.pair] = min(one.at, answers.get(one.pair, one.at))
        again = [(s.id, answers[s.pair]) for s in folded.grown if s.pair in answers and s.id is not None]
        absence_records.answered_again(connection, again)
    return {stay.pair for stay in folded.grown} - {stay.pair for stay in folded.begun}


def latest_stays(
    connection: Connection, segment: int, addresses: Collection[Address], since: int = 0
) -> tuple[dict[Pair, Stay], dict[Address, list[Stay]]]:
    """The latest stay of every pair at these addresses on a segment, by pair and by address; those that ended before `since`
    (UTC ms) are left out."""
    query = (
        select(stays)
        .where(in_list(stays.c.address, addresses), stays.c.segment_id == segment, stays.c.last >= since)
        .order_by(stays.c.last)
    )
    latest: dict[Pair, Stay] = {}
    for row in connection.execute(query):
        stay = Stay(
            row.id, row.address, row.mac, row.first, row.last, row.sightings, Source(row.sources), row.widest, bool(row.reason),
            row.heard,
        )  # fmt: skip
        latest[stay.pair] = stay
    by_address: dict[Address, list[Stay]] = defaultdict(list)
    for stay in latest.values():
        by_address[stay.address].append(stay)
    return latest, by_address


def _names(connection: Connection, names: Sequence[NameHeard]) -> None:
    if not names:
        return
    rows = [
        {
            "address": n.address, "mac": -1 if n.mac is None else n.mac, "name": n.name.name,
            "key": host_key(n.name.name), "source": n.name.source.value, "first": n.at, "last": n.at,
        }
        for n in names
    ]  # fmt: skip
    statement = upsert(name_stays)
    connection.execute(
        statement.on_conflict_do_update(
            index_elements=["mac", "address", "source", "name"], set_={"last": statement.excluded.last}
        ),
        rows,
    )


def _ports(connection: Connection, ports: dict[int, list[int]]) -> None:
    if ports:
        rows = [{"key": device, "open": found} for device, found in ports.items()]
        connection.execute(
            update(devices)
            .where(devices.c.id == bindparam("key"))
            .values(ports=bindparam("open", type_=devices.c.ports.type)),
            rows,
        )
