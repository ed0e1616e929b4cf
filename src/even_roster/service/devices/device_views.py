"""Puts a device's sheet together, and the list of cases to look at."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import Connection

from ...api.common import DeviceRef
from ...api.devices import ChangeRow, DeviceSheet, JoinHint, ReviewCase
from ...core.address import dotted
from ...core.mac import Mac
from ...store import change_queries, device_queries, review_records, rows
from .. import views
from ..context import Context, now_ms
from ..plan import plan_views
from ..web.problems import Refusal


def row(connection: Connection, identity: int) -> Any:
    """A device's row. Raises Refusal when there is none."""
    found = device_queries.one(connection, identity)
    if found is None:
        raise Refusal(404, "missing", f"there is no device {identity} in the roster")
    return found


def sheet(context: Context, connection: Connection, identity: int) -> DeviceSheet:
    """Everything about one device. Raises Refusal when there is none."""
    found = row(connection, identity)
    adapters = device_queries.adapters_of(connection, identity)
    macs = [adapter.mac for adapter in adapters]
    hints = [hint for hint in device_queries.join_hints(connection, identity, macs) if identity in hint.devices]
    others = device_queries.several(connection, sorted({device for hint in hints for device in hint.devices}))
    by_id = {other.id: views.device_ref(other) for other in others}
    plan = context.plan.plan
    given = plan.of_device(identity)
    around = plan_views.look_around(connection, plan, given)
    return DeviceSheet(
        device=views.device_row(found),
        adapters=[views.adapter_row(adapter, context.vendors) for adapter in adapters],
        assignments=[plan_views.assignment_row(context, plan, item, around) for item in given],
        reviews=cases(connection, context.plan.site_here, now_ms(), identity),
        names=[views.name_stay(name) for name in device_queries.names_of(connection, macs)],
        stays=[views.stay_row(stay, context.vendors) for stay in device_queries.stays_of(connection, macs)],
        changes=change_rows(connection, change_queries.latest(connection, 50, None, identity)),
        hints=[
            JoinHint(name=hint.name, reason=hint.reason, devices=[by_id[d] for d in hint.devices if d != identity])
            for hint in hints
        ],
        wake_password=device_queries.has_wake_password(connection, macs),
    )


def change_rows(connection: Connection, found: Sequence[rows.ChangeRow]) -> list[ChangeRow]:
    """Edits, with what took them back."""
    back = change_queries.taken_back(connection, [row.id for row in found])
    return [views.change_row(row, back.get(row.id)) for row in found]


def cases(connection: Connection, site: int, now: int, device: int | None) -> list[ReviewCase]:
    """What is to be looked at, of all devices or of one: expected devices that may have been seen first, then the latest."""
    met = [
        ReviewCase(
            id=None, kind="is-it", device=DeviceRef(id=one.device, name=one.called or None), at=views.time_of(one.last),
            other=DeviceRef(id=one.other, name=one.other_called or None),
            said=f"Planned at {dotted(one.address)} without a MAC; {Mac(one.mac)} was seen there. Is this it?",
        )
        for one in review_records.maybe_met(connection, site, now)
        if device in (None, one.device, one.other)
    ]  # fmt: skip
    listed = [
        ReviewCase(
            id=one.id, kind=one.kind, device=DeviceRef(id=one.device, name=one.called or None), said=one.said,
            at=views.time_of(one.at),
        )
        for one in review_records.listed(connection, device)
    ]  # fmt: skip
    return [*met, *listed]
