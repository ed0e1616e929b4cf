"""Who was only heard, in the records: bounded, so that frames that anybody can send fill nothing."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import NamedTuple

from sqlalchemy import Connection, delete, func, select
from sqlalchemy.dialects.sqlite import insert as upsert

from ..core.address import Address
from ..core.mac import MacNumber
from ..core.stays import Pair, Sighting, Source
from .listing import in_list
from .of_site import segments_at
from .past_tables import heard_only

MOST_KEPT = 1024
"""How many pairs are kept of one segment; beyond that nobody new is written down until old ones are forgotten."""
KEPT_MS = 30 * 24 * 3600 * 1000


class HeardRow(NamedTuple):
    """A row of `heard_only`: a MAC was heard as an address of a segment, and has not answered there. Times are UTC ms."""

    segment_id: int
    mac: MacNumber
    address: Address
    first: int
    last: int
    times: int


def keep(connection: Connection, segment: int, sightings: Sequence[Sighting], stays: Collection[Pair]) -> None:
    """Enter what was overheard of pairs that have no stay, and forget it of pairs that answered; `stays` are those that went on."""
    answered = {(one.address, one.mac) for one in sightings if one.source != Source.OVERHEARD}
    fresh: dict[tuple[Address, MacNumber], tuple[int, int, int]] = {}
    for one in sightings:
        pair = one.address, one.mac
        if one.mac is None or one.source != Source.OVERHEARD or pair in stays or pair in answered:
            continue
        first, last, times = fresh.get((one.address, one.mac), (one.at, one.at, 0))
        fresh[one.address, one.mac] = min(first, one.at), max(last, one.at), times + 1
    if answered:
        macs = {mac for _, mac in answered if mac is not None}
        there = select(heard_only.c.mac, heard_only.c.address).where(in_list(heard_only.c.mac, macs))
        for mac, address in connection.execute(there.where(heard_only.c.segment_id == segment)).all():
            if (address, mac) in answered:
                pair_is = (heard_only.c.mac == mac) & (heard_only.c.address == address)
                connection.execute(delete(heard_only).where(heard_only.c.segment_id == segment, pair_is))
    if not fresh:
        return
    room = MOST_KEPT - connection.execute(select(func.count()).where(heard_only.c.segment_id == segment)).scalar_one()
    known = select(heard_only.c.address, heard_only.c.mac).where(
        heard_only.c.segment_id == segment, in_list(heard_only.c.mac, {mac for _, mac in fresh})
    )
    there_already = {(row.address, row.mac) for row in connection.execute(known)}
    rows = []
    for (address, mac), (first, last, times) in fresh.items():
        if (address, mac) not in there_already:
            room -= 1
            if room < 0:
                continue
        rows.append(
            {"segment_id": segment, "mac": mac, "address": address, "first": first, "last": last, "times": times}
        )
    if rows:
        new = upsert(heard_only)
        connection.execute(
            new.on_conflict_do_update(
                index_elements=["segment_id", "mac", "address"],
                set_={
                    "last": func.max(heard_only.c.last, new.excluded.last),
                    "times": heard_only.c.times + new.excluded.times,
                },
            ),
            rows,
        )


def of_addresses(connection: Connection, site: int, first: int, last: int, limit: int) -> list[HeardRow]:
    """Who was only heard within a span of a site's addresses, the latest first."""
    query = select(heard_only).where(
        heard_only.c.address.between(first, last), heard_only.c.segment_id.in_(segments_at(site))
    )
    rows = connection.execute(query.order_by(heard_only.c.last.desc()).limit(limit))
    return [HeardRow(*row) for row in rows]


def of_macs(connection: Connection, macs: Sequence[MacNumber], limit: int) -> list[HeardRow]:
    """As what some MACs were only heard, the latest first."""
    query = select(heard_only).where(in_list(heard_only.c.mac, macs)).order_by(heard_only.c.last.desc()).limit(limit)
    return [HeardRow(*row) for row in connection.execute(query)]


def forget(connection: Connection, before: int) -> int:
    """Drop what was heard last before a time (UTC ms); gives how many."""
    return connection.execute(delete(heard_only).where(heard_only.c.last < before)).rowcount
