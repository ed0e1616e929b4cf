"""Rewrites the observed half of `devices`: the address, name, vendor and times that lists show, sort and search."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import Connection, bindparam, or_, select, update

from ..core.address import dotted
from ..core.mac import Mac, MacNumber
from ..core.names import Name, NameSource
from ..core.naming import called
from ..core.past.rule import AT_ONCE
from .address_column import NO_ADDRESS
from .database import Database
from .listing import in_list
from .past_tables import ANSWERED
from .tables import NO_MAC, NO_NAME, adapters, assignments, devices, name_stays, stays

VendorOf = Callable[[Mac], str]
_MOST_ADDRESSES = 8
_TOGETHER_MS = 60_000


_Answer = tuple[int, MacNumber]
"""When a device answered at an address last, and with which MAC."""


@dataclass(slots=True)
class _Facts:
    """What the records say of one device's adapters."""

    macs: list[tuple[int, MacNumber, int]] = field(default_factory=list)
    heard: int = 0
    addresses: dict[int, _Answer] = field(default_factory=dict)
    left: dict[int, _Answer] = field(default_factory=dict)
    names: list[Name] = field(default_factory=list)
    planned: str = ""
    planned_names: list[str] = field(default_factory=list)
    planned_address: int = NO_ADDRESS
    in_plan: bool = False


def refresh(connection: Connection, identities: Collection[int], vendor_of: VendorOf) -> None:
    """Bring the summaries of these devices up to date."""
    facts = _collect(connection, identities)
    own = connection.execute(
        select(devices.c.id, devices.c.name, devices.c.role, devices.c.owner, devices.c.place, devices.c.notes).where(
            in_list(devices.c.id, identities)
        )
    )
    rows = [_row(tuple(row), facts[row.id], vendor_of) for row in own]
    if rows:
        values: dict[str, Any] = {name: bindparam(name) for name in rows[0] if name != "key"}
        connection.execute(update(devices).where(devices.c.id == bindparam("key")).values(values), rows)


def refresh_all(database: Database, vendor_of: VendorOf) -> None:
    """Bring every device's summary up to date, in batches: vendors stand in the device list."""
    with database.read() as connection:
        identities = list(connection.execute(select(devices.c.id)).scalars())
    for start in range(0, len(identities), 2000):
        with database.write() as connection:
            refresh(connection, identities[start : start + 2000], vendor_of)


def complete(connection: Connection, vendor_of: VendorOf) -> None:
    """Bring up to date what a migration left unfinished."""
    there = or_(devices.c.mac != NO_MAC, devices.c.address != NO_ADDRESS)
    found = list(connection.execute(select(devices.c.id).where(devices.c.search == "", there)).scalars())
    if found:
        refresh(connection, found, vendor_of)


def _collect(connection: Connection, identities: Collection[int]) -> dict[int, _Facts]:
    facts: dict[int, _Facts] = defaultdict(_Facts)
    owner: dict[int, int] = {}
    columns = (adapters.c.device_id, adapters.c.mac, adapters.c.first_seen, adapters.c.last_seen)
    for device, mac, first, last, heard in connection.execute(
        select(*columns, adapters.c.heard).where(in_list(adapters.c.device_id, identities))
    ):
        facts[device].macs.append((last, mac, first))
        facts[device].heard = max(facts[device].heard, heard)
        owner[mac] = device
    seen = select(
        stays.c.mac, stays.c.address, stays.c.first, stays.c.last, stays.c.reason, ANSWERED.label("answered")
    ).where(in_list(stays.c.mac, owner))
    rows = list(connection.execute(seen))
    answering = {owner[row.mac] for row in rows if row.answered}
    came = _came([(row.mac, row.address, row.first) for row in rows if row.answered])
    latest: dict[tuple[MacNumber, int], int] = {}
    rows = [
        row for row in rows if row.answered or owner[row.mac] not in answering
    ]  # a lease alone: it answers elsewhere
    for row in rows:
        latest[row.mac, row.address] = max(row.last, latest.get((row.mac, row.address), 0))
    for mac, address, _first, last, reason, _answered in rows:
        if last < latest[mac, address]:
            continue  # it stayed there again since
        left = reason or any(other != address and at > last + AT_ONCE for at, other in came.get(mac, ()))
        held = facts[owner[mac]].left if left else facts[owner[mac]].addresses
        held[address] = max((last, mac), held.get(address, (0, NO_MAC)))
    named = select(name_stays.c.mac, name_stays.c.name, name_stays.c.source).where(in_list(name_stays.c.mac, owner))
    for mac, name, source in connection.execute(named):
        facts[owner[mac]].names.append(Name(name, NameSource(source)))
    columns_of = assignments.c.device, assignments.c.address, assignments.c.name, assignments.c.on
    given = select(*columns_of).where(in_list(assignments.c.device, identities))
    for device, address, name, on in connection.execute(given.order_by(assignments.c.address.desc())):
        mine = facts[device]
        mine.planned_names.append(name)
        mine.planned_address = address
        if on:
            mine.in_plan = True
            mine.planned = name or mine.planned
    return facts


def _came(begun: Iterable[tuple[MacNumber, int, int]]) -> dict[MacNumber, list[tuple[int, int]]]:
    """When each MAC came to the address where it came last, and to the one where it came before that, the latest first."""
    found: dict[MacNumber, list[tuple[int, int]]] = {}
    for mac, address, at in begun:
        others = [one for one in found.get(mac, ()) if one[1] != address]
        mine = max([at, *(one[0] for one in found.get(mac, ()) if one[1] == address)])
        found[mac] = sorted([*others, (mine, address)], reverse=True)[:2]
    return found


def _row(own: Sequence[Any], facts: _Facts, vendor_of: VendorOf) -> dict[str, object]:
    identity, name, role, owner, place, notes = own
    macs = sorted(facts.macs, reverse=True)
    newest = max((last for last, _ in facts.addresses.values()), default=0)
    # Of several addresses held together the lowest is shown, so that lists do not flicker between them; those that it is known to
    # have left come last. The MAC and the time beside it are of the same answer.
    addresses = sorted(facts.addresses, key=lambda a: (max(newest - facts.addresses[a][0], _TOGETHER_MS), a))
    addresses += sorted(facts.left.keys() - facts.addresses.keys(), key=lambda a: -facts.left[a][0])
    del addresses[_MOST_ADDRESSES:]
    last_seen, mac = max(((last, mac) for last, mac, _ in macs), default=(0, NO_MAC))
    if addresses:
        last_seen, mac = facts.addresses.get(addresses[0]) or facts.left[addresses[0]]
    shown = called(name, facts.planned, facts.names)
    vendors = list(dict.fromkeys(filter(None, (vendor_of(Mac(mac)) for _, mac, _ in macs))))
    texts = [name, *facts.planned_names, role, owner, place, notes, *(n.name for n in facts.names), *vendors]
    shown_at = addresses or ([facts.planned_address] if facts.planned_address != NO_ADDRESS else [])
    texts += [dotted(address) for address in shown_at]
    texts += [f"{mac:012x} {Mac(mac)}" for _, mac, _ in macs]
    return {
        "key": identity,
        "seen_name": called("", facts.planned, facts.names).name,
        "called": shown.name,
        "called_because": shown.because,
        "vouched": bool(name) or facts.in_plan,
        "address": addresses[0] if addresses else facts.planned_address,
        "mac": mac,
        "macs": len(macs),
        "vendor": ", ".join(vendors),
        "local": mac != NO_MAC and Mac(MacNumber(mac)).local,
        "first_seen": min((first for last, _, first in macs if last), default=0),
        "last_seen": last_seen,
        "heard": facts.heard,
        "sort_name": shown.name.casefold() or NO_NAME,
        "search": search_text(texts),
    }


def search_text(texts: Iterable[str]) -> str:
    """What a search looks at: everything in small letters, one per line so that no match spans two."""
    return "\n".join(dict.fromkeys(text.casefold() for text in texts if text))
