"""The plan as it was at a moment: the rows of now, with every edit made since taken back.

Each edit keeps its items before and after, so the first edit of an item after the moment tells what it was then. Items
that came by no edit (the first site) are taken to have been there always.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from sqlalchemy import ColumnElement, Connection, func, not_, select

from ..core.mac import MacNumber
from ..core.owning import planned
from ..core.plan.model import Plan
from . import plan_records
from .listing import in_list
from .plan_records import PLANNED, Values, from_values, rows_of
from .tables import assignments, change_items, changes

Wanted = Callable[[Values], bool]


def around(connection: Connection, moment: int, first: int, last: int) -> Plan:
    """All sites, subnets and bands at a moment (UTC ms), and the assignments of first..last at every site."""
    return _plan(
        connection, moment, assignments.c.address.between(first, last), lambda row: first <= row["address"] <= last
    )


def of_macs(connection: Connection, moment: int, macs: Sequence[MacNumber]) -> Plan:
    """As `around`, with the assignments of some MACs."""
    wanted = frozenset(macs)
    return _plan(connection, moment, in_list(assignments.c.mac, macs), lambda row: row["mac"] in wanted)


def count_on(connection: Connection, moment: int, site: int, first: int, last: int) -> int:
    """How many assignments of first..last at a site were on; the database counts those not edited since."""
    before = _before(connection, moment)
    inside = (
        assignments.c.site == site,
        assignments.c.address.between(first, last),
        assignments.c.on.is_(True),
        not_(in_list(assignments.c.id, [identity for kind, identity in before if kind == "assignment"])),
    )
    unchanged: int = connection.execute(select(func.count()).select_from(assignments).where(*inside)).scalar_one()
    return unchanged + sum(
        1
        for (kind, _), row in before.items()
        if kind == "assignment"
        and row is not None
        and row["site"] == site
        and row["on"]
        and first <= row["address"] <= last
    )


def _plan(connection: Connection, moment: int, now: ColumnElement[bool], then: Wanted) -> Plan:
    """The items of now that were not edited since, and those edited as they were before; assignments only as wanted."""
    before = _before(connection, moment)
    rows: list[tuple[str, Values]] = []
    for kind in PLANNED:
        if kind == "use":
            continue
        query = rows_of(kind).where(now) if kind == "assignment" else rows_of(kind)
        rows += [(kind, dict(row)) for row in connection.execute(query).mappings() if (kind, row["id"]) not in before]
    rows += [
        (kind, values)
        for (kind, _), values in before.items()
        if values is not None and kind in PLANNED and kind != "use" and (kind != "assignment" or then(values))
    ]
    return Plan(planned(from_values(kind, values) for kind, values in rows), plan_records.rules(connection))


def _before(connection: Connection, moment: int) -> dict[tuple[str, int], dict[str, Any] | None]:
    """What was edited after a moment, as it was before the first of those edits; None for what was not there yet."""
    first = (
        select(func.min(change_items.c.id))
        .join(changes, changes.c.id == change_items.c.change_id)
        .where(changes.c.at > moment)
        .group_by(change_items.c.kind, change_items.c.item)
    )
    query = select(change_items.c.kind, change_items.c.item, change_items.c.before)
    rows = connection.execute(query.where(change_items.c.id.in_(first)))
    return {(row.kind, row.item): row.before for row in rows}
