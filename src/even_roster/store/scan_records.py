"""Scans and their results, the segments they were made on, and the ranges that are remembered per segment."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Network
from typing import Any

from sqlalchemy import Connection, Select, delete, func, insert, select, update
from sqlalchemy.dialects.sqlite import insert as upsert

from ..core.address import Address, address_of
from ..core.mac import MacNumber
from ..core.names import Name
from ..core.ranges import parse
from ..core.span import SpanSet, usable
from ..core.stays import Source
from .of_site import at_site, segments_at
from .rows import RangeRow, ScanResultRow, ScanRow, all_of, one_of
from .tables import ranges, scan_results, scans, segments, sites, stays

KEEP_RESULTS = 60
ELSEWHERE = "Elsewhere"


@dataclass(frozen=True, slots=True)
class ResultRow:
    """What one scan learnt of one address; reply times in milliseconds, `by` a Source."""

    address: Address
    by: int
    macs: list[MacNumber]
    names: list[Name]
    ports: list[int]
    rtt_min: float | None
    rtt_avg: float | None
    foreign: bool


@dataclass(frozen=True, slots=True)
class SegmentSeen:
    """What identifies a segment: its subnet and the gateway on it. `elsewhere` is the gateway's MAC (-1 without one) when
    the link was found to be another network that only has the same addresses."""

    adapter: str
    subnet: str
    gateway: Address | None
    elsewhere: int | None = None

    @property
    def fingerprint(self) -> str:
        """Equal for the same link seen again; a changed gateway is another link."""
        base = f"{self.subnet}|{self.gateway or '-'}"
        return base if self.elsewhere is None else f"{base}|{self.elsewhere}"


def segment_id(connection: Connection, seen: SegmentSeen, at: int) -> int:
    """The record of a segment, made when it is new."""
    here: Any = select(sites.c.id).where(sites.c.here).limit(1).scalar_subquery()
    site = here if seen.elsewhere is None else _elsewhere(connection)
    statement = upsert(segments).values(
        fingerprint=seen.fingerprint, adapter=seen.adapter, subnet=seen.subnet, gateway=seen.gateway,
        first_seen=at, last_seen=at, site_id=site,
        gateway_mac=seen.elsewhere if seen.elsewhere is not None and seen.elsewhere >= 0 else None,
    )  # fmt: skip
    statement = statement.on_conflict_do_update(
        index_elements=["fingerprint"], set_={"last_seen": at, "adapter": seen.adapter}
    )
    connection.execute(statement)
    query = select(segments.c.id).where(segments.c.fingerprint == seen.fingerprint)
    found: int = connection.execute(query).scalar_one()
    return found


def _elsewhere(connection: Connection) -> int:
    """The site that holds what was seen on other networks, made when it is first needed."""
    found = connection.execute(select(sites.c.id).where(sites.c.name == ELSEWHERE)).scalar()
    if found is None:
        made = connection.execute(insert(sites).values(name=ELSEWHERE, here=False)).inserted_primary_key
        assert made is not None
        found = made[0]
    return int(found)


def remember(connection: Connection, segment: int, text: str, at: int) -> int:
    """Keep a scanned range for its segment, so that it need not be typed again; gives its id."""
    query = select(ranges.c.id).where(ranges.c.segment_id == segment, ranges.c.text == text)
    known = connection.execute(query).scalar()
    if known is not None:
        connection.execute(update(ranges).where(ranges.c.id == known).values(last_scan=at))
        return int(known)
    made = connection.execute(insert(ranges).values(segment_id=segment, text=text, last_scan=at)).inserted_primary_key
    assert made is not None
    return int(made[0])


def remembered(connection: Connection, segment: int | None = None) -> list[RangeRow]:
    """Remembered ranges, of one segment or of all, the last scanned first."""
    query = select(ranges, segments.c.subnet, segments.c.adapter).join(segments, segments.c.id == ranges.c.segment_id)
    if segment is not None:
        query = query.where(ranges.c.segment_id == segment)
    return all_of(connection, RangeRow, query.order_by(ranges.c.last_scan.desc(), ranges.c.id))


def known_subnets(connection: Connection) -> list[str]:
    """The subnets of all segments ever scanned."""
    return list(connection.execute(select(segments.c.subnet)).scalars())


def scanned_subnets(connection: Connection) -> list[str]:
    """The subnets of segments on which a scan was made: leases alone make a segment known, but not scanned."""
    query = select(segments.c.subnet).where(segments.c.id.in_(select(scans.c.segment_id)))
    return list(connection.execute(query).scalars())


def begin(connection: Connection, **values: Any) -> int:
    """Record that a scan runs; gives its id. Old scans' results beyond the last KEEP_RESULTS are dropped."""
    made = connection.execute(insert(scans).values(state="running", **values)).inserted_primary_key
    assert made is not None
    old = select(scans.c.id).order_by(scans.c.id.desc()).offset(KEEP_RESULTS)
    connection.execute(delete(scan_results).where(scan_results.c.scan_id.in_(old)))
    return int(made[0])


def add_results(connection: Connection, scan: int, rows: Sequence[ResultRow]) -> None:
    """Store new results and replace changed ones."""
    if not rows:
        return
    statement = upsert(scan_results)
    replaced = {c.name: statement.excluded[c.name] for c in scan_results.columns if not c.primary_key}
    connection.execute(
        statement.on_conflict_do_update(index_elements=["scan_id", "address"], set_=replaced),
        [
            {
                "scan_id": scan, "address": r.address, "by": r.by, "macs": r.macs, "ports": r.ports,
                "names": [[n.name, n.source.value] for n in r.names], "rtt_min": r.rtt_min, "rtt_avg": r.rtt_avg,
                "foreign": r.foreign,
            }
            for r in rows
        ],
    )  # fmt: skip


def progress(connection: Connection, scan: int, probes: int, answered: int, foreign: int) -> None:
    """Note how far a running scan is, so that a crash leaves a true record."""
    values = {"probes": probes, "answered": answered, "foreign": foreign}
    connection.execute(update(scans).where(scans.c.id == scan).values(values))


def end(connection: Connection, scan: int, state: str, at: int, probes: int, answered: int, notes: list[str]) -> None:
    """Close the record of a scan: 'done', 'stopped' or 'failed'."""
    connection.execute(
        update(scans)
        .where(scans.c.id == scan)
        .values(state=state, ended=at, probes=probes, answered=answered, notes=notes)
    )


def mark_interrupted(connection: Connection, at: int) -> int:
    """At start: scans that were running when the service died are interrupted. How many there were."""
    note = "the service ended while this scan ran; what it had found until then is kept"
    running = connection.execute(select(scans.c.id).where(scans.c.state == "running")).scalars().all()
    for scan in running:
        found = select(func.count()).select_from(scan_results).where(scan_results.c.scan_id == scan)
        answered = connection.execute(found.where(scan_results.c.foreign.is_(False))).scalar_one()
        connection.execute(
            update(scans)
            .where(scans.c.id == scan)
            .values(state="interrupted", ended=at, answered=answered, notes=[note])
        )
    return len(running)


def one(connection: Connection, scan: int) -> ScanRow | None:
    """A scan's record with its segment's subnet."""
    return one_of(connection, ScanRow, _with_segment().where(scans.c.id == scan))


def latest(connection: Connection, limit: int, before: int | None = None) -> list[ScanRow]:
    """Scans, the latest first."""
    query = _with_segment()
    if before is not None:
        query = query.where(scans.c.id < before)
    return all_of(connection, ScanRow, query.order_by(scans.c.id.desc()).limit(limit))


def count(connection: Connection) -> int:
    """How many scans are kept."""
    return int(connection.execute(select(func.count()).select_from(scans)).scalar_one())


def latest_at(connection: Connection, site: int, limit: int) -> list[ScanRow]:
    """The scans of a site's segments, the latest first."""
    query = _with_segment().where(scans.c.segment_id.in_(segments_at(site)))
    return all_of(connection, ScanRow, query.order_by(scans.c.id.desc()).limit(limit))


def _with_segment() -> Select[Any]:
    return select(scans, segments.c.subnet).join(segments, segments.c.id == scans.c.segment_id)


def results(connection: Connection, scan: int, after: int, limit: int) -> list[ScanResultRow]:
    """A page of results by address, those behind address `after`."""
    query = select(scan_results).where(scan_results.c.scan_id == scan, scan_results.c.address > after)
    return all_of(connection, ScanResultRow, query.order_by(scan_results.c.address).limit(limit))


def scans_of_address(
    connection: Connection, site: int, address: Address, limit: int = 20
) -> list[tuple[ScanRow, ScanResultRow | None]]:
    """The last scans, each with its result for an address if there is one; callers check whether it was asked."""
    found = []
    for scan in latest_at(connection, site, limit):
        query = select(scan_results).where(scan_results.c.scan_id == scan.id, scan_results.c.address == address)
        found.append((scan, one_of(connection, ScanResultRow, query)))
    return found


def expected_addresses(connection: Connection, segment: int, targets: SpanSet, since: int) -> Iterator[int]:
    """The addresses within targets that somebody held on this segment lately: a scan asks those longer."""
    for first, last in targets.pairs:
        query = select(stays.c.address).where(
            stays.c.address.between(first, last), stays.c.last >= since, stays.c.segment_id == segment
        )
        yield from connection.execute(query.distinct()).scalars()


def count_by_state(connection: Connection) -> dict[str, int]:
    """How many scans there are in each state."""
    return {row[0]: row[1] for row in connection.execute(select(scans.c.state, func.count()).group_by(scans.c.state))}


def gateway_macs(connection: Connection) -> dict[tuple[str, int | None], MacNumber]:
    """The learnt MACs of the gateways of the known segments, by (subnet, gateway address); not those found elsewhere."""
    query = select(segments).where(segments.c.gateway_mac.is_not(None))
    return {
        (row.subnet, row.gateway): row.gateway_mac
        for row in connection.execute(query)
        if row.fingerprint == SegmentSeen("", row.subnet, row.gateway).fingerprint
    }


def familiar(
    connection: Connection, subnets: Sequence[str], gateway: Address | None, since: int, limit: int
) -> list[tuple[Address, MacNumber]]:
    """Pairs of address and MAC that were seen most often lately on the known segments of some subnets."""
    prints = [SegmentSeen("", subnet, gateway).fingerprint for subnet in subnets]
    query = (
        select(stays.c.address, stays.c.mac)
        .join(segments, segments.c.id == stays.c.segment_id)
        .where(segments.c.fingerprint.in_(prints), stays.c.mac.is_not(None), stays.c.last >= since)
        .where(stays.c.sources.op("&")(int(Source.ARP)) != 0)
        .order_by(stays.c.sightings.desc())
        .limit(limit)
    )
    return [(row.address, row.mac) for row in connection.execute(query)]


def held_lately(connection: Connection, site: int, network: IPv4Network, since: int) -> list[Address]:
    """The addresses of a site's subnet that some MAC held since a time."""
    first, last = address_of(network.network_address), address_of(network.broadcast_address)
    query = select(stays.c.address).where(
        stays.c.address.between(first, last), stays.c.last >= since, stays.c.mac.is_not(None), at_site(site)
    )
    return sorted(set(connection.execute(query).scalars()))


def last_full_scan(connection: Connection, site: int, network: IPv4Network) -> int:
    """When the last ended scan that covered a site's whole subnet began (UTC ms); 0 for never."""
    wanted = SpanSet.of([usable(network)])
    for scan in latest_at(connection, site, 50):
        if scan.state in ("done", "running") and parse(scan.targets).covers(wanted):
            return scan.started
    return 0
