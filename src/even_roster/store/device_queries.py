"""Reads devices: lists by cursor, one device whole, search, and who might be one device with whom."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from sqlalchemy import BindParameter, ColumnElement, Connection, Integer, Select, and_, bindparam, func, or_, select

from ..core.absence import Reason
from ..core.address import Address
from ..core.identity import JoinSuggestion, Known, suggest_joins
from ..core.mac import MacNumber
from .calling_tables import wake_passwords
from .history_queries import stays_query
from .listing import after, decode_cursor, encode_cursor, in_list, terms_match
from .of_site import at_site, names_at_site
from .past_tables import ANSWERED, OPEN, silences
from .rows import AdapterRow, DeviceRow, NameStayRow, PairSeen, StayRow, all_of
from .tables import adapters, devices, name_stays, stays

SORTS = {
    "name": devices.c.sort_name, "address": devices.c.address, "mac": devices.c.mac, "vendor": devices.c.vendor,
    "role": devices.c.role, "owner": devices.c.owner, "last_seen": devices.c.last_seen,
    "first_seen": devices.c.first_seen,
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class DeviceFilter:
    """Which devices: all conditions must hold. `spans` are (first, last) addresses; times are UTC ms."""

    text: str = ""
    role: str | None = None
    owner: str | None = None
    vendor: str | None = None
    unknown: bool | None = None
    expected: bool | None = None
    local: bool | None = None
    retired: bool = False
    seen_since: int | None = None
    not_seen_since: int | None = None
    spans: tuple[tuple[int, int], ...] | None = None


@dataclass(frozen=True, slots=True)
class DevicePage:
    """One page of rows and the cursor of the next, None at the end."""

    rows: list[DeviceRow]
    next: str | None


# Questions that every sheet asks are put together once.
_MACS: BindParameter[Any] = bindparam("macs", expanding=True)
_STAYS = (
    stays_query().where(stays.c.mac.in_(_MACS)).order_by(stays.c.last.desc()).limit(bindparam("most", type_=Integer))
)
_OWN, _OTHER = name_stays.alias("own"), name_stays.alias("other")
_BEARERS = (
    select(_OTHER.c.mac)
    .join(_OWN, _OWN.c.key == _OTHER.c.key)
    .where(_OWN.c.mac.in_(_MACS), _OTHER.c.mac.not_in(_MACS))
    .distinct()
    .limit(40)
)
_NAMES = select(name_stays).where(name_stays.c.mac.in_(_MACS)).order_by(name_stays.c.last.desc())
_ONE = select(devices).where(devices.c.id == bindparam("identity"))
_ADAPTERS = (
    select(adapters)
    .where(adapters.c.device_id == bindparam("identity"))
    .order_by(adapters.c.last_seen.desc(), adapters.c.mac)
)


def page(
    connection: Connection, wanted: DeviceFilter, sort: str, descending: bool, cursor: str | None, limit: int
) -> DevicePage:
    """Up to `limit` devices in an order. Raises CursorError, and KeyError for an unknown sort."""
    column: ColumnElement[Any] = SORTS[sort]
    order = f"{'-' if descending else ''}{sort}"
    query = _where(select(devices), wanted)
    if cursor is not None:
        query = after(query, column, devices.c.id, descending, decode_cursor(cursor, order))
    ways = (column.desc(), devices.c.id.desc()) if descending else (column, devices.c.id)
    rows = all_of(connection, DeviceRow, query.order_by(*ways).limit(limit + 1))
    more = len(rows) > limit
    rows = rows[:limit]
    last = encode_cursor(order, getattr(rows[-1], column.key or ""), rows[-1].id) if more else None
    return DevicePage(rows, last)


def at_position(
    connection: Connection, wanted: DeviceFilter, sort: str, descending: bool, offset: int, limit: int
) -> list[DeviceRow]:
    """Devices by their position in an order, for tables that jump; the offset runs over an index only."""
    column: ColumnElement[Any] = SORTS[sort]
    ways = (column.desc(), devices.c.id.desc()) if descending else (column, devices.c.id)
    identities = _where(select(devices.c.id), wanted).order_by(*ways).offset(offset).limit(limit).subquery()
    query = select(devices).join(identities, identities.c.id == devices.c.id).order_by(*ways)
    return all_of(connection, DeviceRow, query)


def count(connection: Connection, wanted: DeviceFilter) -> int:
    """How many devices a filter leaves."""
    found: int = connection.execute(_where(select(func.count()).select_from(devices), wanted)).scalar_one()
    return found


def _where(query: Select[Any], wanted: DeviceFilter) -> Select[Any]:
    query = query.where(devices.c.retired == wanted.retired)
    for column, value in (
        (devices.c.role, wanted.role),
        (devices.c.owner, wanted.owner),
        (devices.c.local, wanted.local),
    ):
        if value is not None:
            query = query.where(column == value)
    if wanted.vendor is not None:
        query = query.where(devices.c.vendor.contains(wanted.vendor, autoescape=True))
    if wanted.unknown is not None:
        query = query.where(devices.c.vouched.is_(not wanted.unknown))
    if wanted.expected is not None:
        query = query.where(devices.c.last_seen == 0 if wanted.expected else devices.c.last_seen > 0)
    if wanted.seen_since is not None:
        query = query.where(devices.c.last_seen >= wanted.seen_since)
    if wanted.not_seen_since is not None:
        query = query.where(devices.c.last_seen < wanted.not_seen_since)
    if wanted.spans is not None:
        inside = [devices.c.address.between(first, last) for first, last in wanted.spans]
        query = query.where(or_(*inside))
    if wanted.text:
        query = query.where(*terms_match(devices.c.search, wanted.text))
    return query


def one(connection: Connection, identity: int) -> DeviceRow | None:
    """A device's row, retired ones too."""
    found = all_of(connection, DeviceRow, _ONE, {"identity": identity})
    return found[0] if found else None


def several(connection: Connection, identities: list[int]) -> list[DeviceRow]:
    """The rows of some devices, by id."""
    if not identities:
        return []
    if len(identities) == 1:
        return all_of(connection, DeviceRow, _ONE, {"identity": identities[0]})
    return all_of(
        connection, DeviceRow, select(devices).where(in_list(devices.c.id, identities)).order_by(devices.c.id)
    )


def adapters_of(connection: Connection, identity: int) -> list[AdapterRow]:
    """A device's adapters, the last seen first."""
    return all_of(connection, AdapterRow, _ADAPTERS, {"identity": identity})


def device_of_mac(connection: Connection, mac: MacNumber) -> int | None:
    """The device a MAC belongs to."""
    return connection.execute(select(adapters.c.device_id).where(adapters.c.mac == mac)).scalar()


def devices_of_macs(connection: Connection, macs: set[MacNumber]) -> dict[MacNumber, int]:
    """The devices that MACs belong to, by MAC."""
    rows = connection.execute(select(adapters.c.mac, adapters.c.device_id).where(in_list(adapters.c.mac, macs)))
    return {row.mac: row.device_id for row in rows}


def vouched_for(connection: Connection, macs: Collection[MacNumber]) -> set[MacNumber]:
    """Those of some MACs that belong to devices which people have entered or planned."""
    query = select(adapters.c.mac).join(devices, devices.c.id == adapters.c.device_id)
    rows = connection.execute(query.where(in_list(adapters.c.mac, macs), devices.c.vouched, ~devices.c.retired))
    return {MacNumber(row.mac) for row in rows}


def stays_of(connection: Connection, macs: list[MacNumber], limit: int = 200) -> list[StayRow]:
    """The stays of some MACs, the latest first."""
    return all_of(connection, StayRow, _STAYS, {"macs": macs, "most": limit}) if macs else []


def stays_at(connection: Connection, site: int, address: Address, limit: int = 200) -> list[StayRow]:
    """The stays at an address of a site, the latest first."""
    query = stays_query().where(stays.c.address == address, at_site(site)).order_by(stays.c.last.desc())
    return all_of(connection, StayRow, query.limit(limit))


def names_of(connection: Connection, macs: list[MacNumber]) -> list[NameStayRow]:
    """What MACs were heard to be called, the latest first."""
    return all_of(connection, NameStayRow, _NAMES, {"macs": macs}) if macs else []


def names_at(connection: Connection, site: int, address: Address) -> list[NameStayRow]:
    """What the holders of an address of a site were heard to be called, the latest first."""
    query = (
        select(name_stays)
        .where(name_stays.c.address == address, names_at_site(site))
        .order_by(name_stays.c.last.desc())
    )
    return all_of(connection, NameStayRow, query.limit(50))


def seen_in(connection: Connection, site: int, first: int, last: int) -> list[PairSeen]:
    """The latest stay of each pair within a span of a site: what the ruler draws. One index range, one row per pair."""
    standing = and_(stays.c.reason == Reason.NONE, silences.c.stay_id.is_(None))
    latest = (
        select(
            stays.c.address,
            stays.c.mac,
            func.max(stays.c.last).label("last"),
            func.min(stays.c.first).label("first"),
            func.max(stays.c.last).filter(standing).label("standing"),
        )
        .select_from(stays)
        .join(silences, and_(silences.c.stay_id == stays.c.id, OPEN), isouter=True)
        .where(stays.c.address.between(first, last), at_site(site), ANSWERED)
        .group_by(stays.c.address, stays.c.mac)
        .subquery()
    )
    query = (
        select(latest, adapters.c.device_id, devices.c.called, devices.c.vendor, devices.c.role)
        .join(adapters, adapters.c.mac == latest.c.mac, isouter=True)
        .join(devices, devices.c.id == adapters.c.device_id, isouter=True)
        .order_by(latest.c.address, latest.c.last.desc())
    )
    return all_of(connection, PairSeen, query)


def join_hints(connection: Connection, identity: int, macs: list[MacNumber]) -> list[JoinSuggestion]:
    """Who might be one device with this one: the bearers of the names that it was heard to bear."""
    if not macs:
        return []
    others = set(connection.execute(_BEARERS, {"macs": macs}).scalars())
    if not others:
        return []
    owners = devices_of_macs(connection, others)
    found = [row.id for row in several(connection, sorted(set(owners.values()))) if not row.retired]
    heard = (
        select(adapters.c.device_id, name_stays.c.name, name_stays.c.address)
        .join(name_stays, name_stays.c.mac == adapters.c.mac)
        .where(in_list(adapters.c.device_id, {*found, identity}))
    )
    called: dict[int, set[str]] = defaultdict(set)
    held: dict[int, set[Address]] = defaultdict(set)
    for device, name, address in connection.execute(heard):
        called[device].add(name)
        held[device].add(address)
    return suggest_joins(Known(d, frozenset(found_names), frozenset(held[d])) for d, found_names in called.items())


def totals(connection: Connection) -> dict[str, int]:
    """Counts for the start page and the metrics."""
    present = devices.c.retired.is_(False)
    return {
        "devices": connection.execute(select(func.count()).select_from(devices).where(present)).scalar_one(),
        "unknown": connection.execute(
            select(func.count()).select_from(devices).where(present, devices.c.vouched.is_(False))
        ).scalar_one(),
        "expected": connection.execute(
            select(func.count()).select_from(devices).where(present, devices.c.last_seen == 0)
        ).scalar_one(),
        "adapters": connection.execute(select(func.count()).select_from(adapters)).scalar_one(),
        "stays": connection.execute(select(func.count()).select_from(stays)).scalar_one(),
    }


def last_holders(connection: Connection, site: int, addresses: list[Address]) -> dict[Address, MacNumber]:
    """The MAC that held each address of a site last, where one ever did."""
    query = select(stays.c.address, stays.c.mac)
    query = query.where(in_list(stays.c.address, addresses), stays.c.mac.is_not(None), at_site(site))
    return {row.address: row.mac for row in connection.execute(query.order_by(stays.c.last))}


def all_ids(connection: Connection) -> list[int]:
    """The ids of all devices, retired ones too."""
    return list(connection.execute(select(devices.c.id)).scalars())


def has_wake_password(connection: Connection, macs: Collection[MacNumber]) -> bool:
    """Whether a SecureOn password is kept for one of some adapters."""
    query = select(wake_passwords.c.mac).where(wake_passwords.c.mac.in_(macs)).limit(1)
    return connection.execute(query).first() is not None


def macs_of_role(connection: Connection, role: str) -> list[tuple[str, MacNumber]]:
    """The MACs of all devices of a role, with what the devices are called."""
    found = [row.id for row in connection.execute(select(devices.c.id).where(devices.c.role == role))]
    rows = {row.id: row for row in several(connection, found)}
    query = select(adapters.c.device_id, adapters.c.mac).where(in_list(adapters.c.device_id, found))
    return [
        (rows[row.device_id].called, MacNumber(row.mac)) for row in connection.execute(query) if row.device_id in rows
    ]
