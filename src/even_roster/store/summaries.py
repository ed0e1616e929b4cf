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
from .address_column import NO_ADDRESS
from .database import Database
from .listing import in_list
from .past_tables import ANSWERED
from .tables import NO_MAC, NO_NAME, adapters, assignments, devices, name_stays, stays

VendorOf = Callable[[Mac], str]
_MOST_ADDRESSES = 8
_TOGETHER_MS = 60_000


@dataclass(slots=True)
class _Facts:
    """What the records say of one device's adapters."""

    macs: list[tuple[int, MacNumber, int]] = field(default_factory=list)
    heard: int = 0
    addresses: dict[int, int] = field(default_factory=dict)
    left: dict[int, int] = field(default_factory=dict)
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
    seen = select(stays.c.mac, stays.c.address, stays.c.last, stays.c.reason, ANSWERED.label("answered")).where(
        in_list(stays.c.mac, owner)
    )
    rows = list(connection.execute(seen))
    answering = {owner[row.mac] for row in rows if row.answered}
    for mac, address, last, reason, answered in rows:
        if not answered and owner[mac] in answering:
            continue  # a lease alone: it answers elsewhere
        held = facts[owner[mac]].left if reason else facts[owner[mac]].addresses
        held[address] = max(last, held.get(address, 0))
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


def _row(own: Sequence[Any], facts: _Facts, vendor_of: VendorOf) -> dict[str, object]:
    identity, name, role, owner, place, notes = own
    macs = sorted(facts.macs, reverse=True)
    newest = max(facts.addresses.values(), default=0)
    # Of several addresses held together the lowest is shown, so that lists do not flicker between them; those that it is known to
    # have left come last.
    addresses = sorted(facts.addresses, key=lambda a: (max(newest - facts.addresses[a], _TOGETHER_MS), a))
    addresses += sorted(facts.left.keys() - facts.addresses.keys(), key=lambda a: -facts.left[a])
    del addresses[_MOST_ADDRESSES:]
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
        "mac": macs[0][1] if macs else NO_MAC,
        "macs": len(macs),
        "vendor": ", ".join(vendors),
        "local": bool(macs) and Mac(macs[0][1]).local,
        "first_seen": min((first for last, _, first in macs if last), default=0),
        "last_seen": max((last for last, _, _ in macs), default=0),
        "heard": facts.heard,
        "sort_name": shown.name.casefold() or NO_NAME,
        "search": search_text(texts),
    }


def search_text(texts: Iterable[str]) -> str:
    """What a search looks at: everything in small letters, one per line so that no match spans two."""
    return "\n".join(dict.fromkeys(text.casefold() for text in texts if text))
