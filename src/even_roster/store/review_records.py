"""The list of cases to look at: where two records of one device met and said different things."""

from __future__ import annotations

import functools
from collections.abc import Iterable
from typing import Any

from sqlalchemy import BindParameter, Connection, Integer, Select, bindparam, delete, exists, func, insert, select

from ..core.roster import Case
from .of_site import at_site
from .rows import MaybeMet, ReviewRow, all_of
from .tables import adapters, assignments, devices, reviews, stays

LATELY = 24 * 3_600_000


def add(connection: Connection, cases: Iterable[Case], at: int) -> None:
    """Put cases on the list; `at` in UTC ms."""
    rows = [
        {"device": case.device, "kind": case.kind, "said": case.said, "at": at} for case in cases if case.device > 0
    ]
    if rows:
        connection.execute(insert(reviews), rows)


def listed(connection: Connection, device: int | None = None) -> list[ReviewRow]:
    """The cases, the latest first: of all devices, or of one."""
    query = select(reviews, devices.c.called).join(devices, devices.c.id == reviews.c.device)
    if device is not None:
        query = query.where(reviews.c.device == device)
    return all_of(connection, ReviewRow, query.order_by(reviews.c.id.desc()))


def maybe_met(connection: Connection, site: int, now: int) -> list[MaybeMet]:
    """Expected devices without a MAC at whose planned address somebody was seen lately whom nobody planned."""
    return all_of(connection, MaybeMet, _maybe_met(), {"site": site, "since": now - LATELY})


@functools.cache
def _maybe_met() -> Select[Any]:
    """The question, which is put together once: each device's sheet asks it."""
    site: BindParameter[int] = bindparam("site", type_=Integer)
    latest = (
        select(assignments.c.device, stays.c.address, stays.c.mac, func.max(stays.c.last).label("last"))
        .join(stays, stays.c.address == assignments.c.address)
        .where(assignments.c.mac.is_(None), assignments.c.on, assignments.c.site == site, stays.c.mac.is_not(None))
        .where(at_site(site), stays.c.last > bindparam("since"))
        .group_by(assignments.c.id)
        .subquery()
    )
    other = devices.alias("other")
    query = (
        select(latest, devices.c.called, other.c.id.label("other"), other.c.called.label("other_called"))
        .join(devices, devices.c.id == latest.c.device)
        .join(adapters, adapters.c.mac == latest.c.mac)
        .join(other, other.c.id == adapters.c.device_id)
        .where(other.c.id != latest.c.device, devices.c.last_seen == 0)
        .where(~exists().where(assignments.c.device == other.c.id))
    )
    return query.order_by(latest.c.last.desc())


def settle(connection: Connection, identity: int) -> bool:
    """Take a case off the list; False when there is none."""
    return bool(connection.execute(delete(reviews).where(reviews.c.id == identity)).rowcount)
