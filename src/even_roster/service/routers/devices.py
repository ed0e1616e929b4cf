"""/api/devices: lists, sheets and edits; /api/changes: what was edited, and undo."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Query, Response
from sqlalchemy import Connection

from ...api.devices import (
    BulkDone,
    BulkEdit,
    ChangeRow,
    DeviceEdit,
    DevicePage,
    DeviceRow,
    DeviceSheet,
    DeviceSort,
    Join,
    JoinHint,
    Retirement,
    Split,
)  # fmt: skip
from ...core.mac import Mac
from ...core.ranges import parse
from ...store import change_queries, device_queries
from ...store.device_queries import DeviceFilter
from .. import views
from ..context import Context, now_ms
from ..deps import ContextDep, Who, as_json, editing
from ..problems import Refusal
from ..scan_manager import refs_of_macs

router = APIRouter(prefix="/api", tags=["devices"])


@router.get("/devices", response_model=DevicePage)
def page(
    context: ContextDep, who: Who, q: str = "", role: str | None = None, owner: str | None = None,
    vendor: str | None = None, unknown: bool | None = None, local: bool | None = None, retired: bool = False,
    range: str | None = None, seen_since: datetime | None = None, not_seen_since: datetime | None = None,
    sort: DeviceSort = "address", descending: bool = False, cursor: str | None = None,
    limit: Annotated[int, Query(ge=1, le=2000)] = 200, total: bool = True,
) -> Response:  # fmt: skip
    """Devices that match all filters, a page at a time. `q` is words; each must be contained somewhere."""
    wanted = DeviceFilter(
        text=q, role=role, owner=owner, vendor=vendor, unknown=unknown, local=local, retired=retired,
        seen_since=_ms(seen_since), not_seen_since=_ms(not_seen_since),
        spans=parse(range).pairs if range else None,
    )  # fmt: skip
    with context.database.read() as connection:
        found = device_queries.page(connection, wanted, sort, descending, cursor, limit)
        count = device_queries.count(connection, wanted) if total else None
    rows = [views.device_row(row) for row in found.rows]
    return as_json(DevicePage.model_construct(devices=rows, next=found.next, total=count))


@router.get("/devices/positions", response_model=DevicePage)
def positions(
    context: ContextDep, who: Who, offset: Annotated[int, Query(ge=0)] = 0,
    limit: Annotated[int, Query(ge=1, le=500)] = 100, q: str = "", role: str | None = None,
    unknown: bool | None = None, local: bool | None = None, retired: bool = False, sort: DeviceSort = "address",
    descending: bool = False,
) -> Response:  # fmt: skip
    """As the list, but by position: for tables that scroll to any place."""
    wanted = DeviceFilter(text=q, role=role, unknown=unknown, local=local, retired=retired)
    with context.database.read() as connection:
        rows = device_queries.at_position(connection, wanted, sort, descending, offset, limit)
        count = device_queries.count(connection, wanted)
    return as_json(DevicePage.model_construct(devices=[views.device_row(row) for row in rows], next=None, total=count))


@router.get("/devices/{identity}")
def sheet(identity: int, context: ContextDep, who: Who) -> DeviceSheet:
    """Everything about one device."""
    with context.database.read() as connection:
        return device_sheet(context, connection, identity)


@router.patch("/devices/{identity}")
def edit(identity: int, request: DeviceEdit, context: ContextDep, who: Who) -> DeviceRow:
    """Set fields. 409 with the values now when the version is not the newest."""
    fields = {name: value for name, value in request.model_dump(exclude={"version"}).items() if value is not None}
    with editing(context, who) as editor:
        editor.set_fields(identity, request.version, fields)
        row = _row(editor.connection, identity)
    return _told(context, row)


@router.post("/devices/bulk")
def bulk(request: BulkEdit, context: ContextDep, who: Who) -> BulkDone:
    """Set the same role, owner or place for several devices: all or none."""
    fields = {name: value for name, value in request.model_dump(exclude={"devices"}).items() if value is not None}
    if not fields:
        raise Refusal(422, "bad_edit", "nothing to set: give a role, an owner or a place", "role")
    together = f"bulk-{now_ms()}"
    with editing(context, who) as editor:
        for item in request.devices:
            editor.set_fields(item.id, item.version, fields, together)
    _publish(context, [item.id for item in request.devices])
    return BulkDone(changed=len(request.devices))


@router.post("/devices/{identity}/retire")
def retire(identity: int, request: Retirement, context: ContextDep, who: Who) -> DeviceRow:
    """Take a device out of the lists, or with `retired` false bring it back."""
    with editing(context, who) as editor:
        editor.retire(identity, request.version, request.retired)
        row = _row(editor.connection, identity)
    return _told(context, row)


@router.post("/devices/{identity}/join")
def join(identity: int, request: Join, context: ContextDep, who: Who) -> DeviceSheet:
    """Other devices' adapters belong to this one."""
    with editing(context, who) as editor:
        editor.join(identity, request.devices)
        found = device_sheet(context, editor.connection, identity)
    _publish(context, [identity, *request.devices])
    return found


@router.post("/devices/{identity}/split")
def split(identity: int, request: Split, context: ContextDep, who: Who) -> DeviceSheet:
    """Some adapters are a device of their own; gives the new one."""
    macs = [Mac.parse(text).value for text in request.macs]
    with editing(context, who) as editor:
        new = editor.split(identity, macs)
        found = device_sheet(context, editor.connection, new)
    _publish(context, [identity, new])
    return found


@router.get("/changes")
def changes(
    context: ContextDep, who: Who, device: int | None = None, limit: Annotated[int, Query(ge=1, le=500)] = 100,
    before: int | None = None,
) -> list[ChangeRow]:  # fmt: skip
    """Recorded edits, the latest first."""
    with context.database.read() as connection:
        rows = change_queries.latest(connection, limit, before, device)
    return [views.change_row(row) for row in rows]


@router.post("/changes/{identity}/undo", status_code=204)
def undo(identity: int, context: ContextDep, who: Who) -> None:
    """Take an edit back, where nobody changed the same fields since."""
    if context.plan.undo(who, identity):
        return
    with editing(context, who) as editor:
        editor.undo(identity)
    context.reload_own_vendors()
    context.findings.members_changed()
    _publish(context, None)


def device_sheet(context: Context, connection: Connection, identity: int) -> DeviceSheet:
    """Everything about one device. Raises Refusal when there is none."""
    row = _row(connection, identity)
    adapters = device_queries.adapters_of(connection, identity)
    macs = [adapter.mac for adapter in adapters]
    refs = refs_of_macs(connection, set(macs))
    hints = [hint for hint in device_queries.join_hints(connection, identity, macs) if identity in hint.devices]
    others = device_queries.several(connection, sorted({device for hint in hints for device in hint.devices}))
    by_id = {other.id: views.device_ref(other) for other in others}
    return DeviceSheet(
        device=views.device_row(row),
        adapters=[views.adapter_row(adapter, context.vendors) for adapter in adapters],
        names=[views.name_stay(name) for name in device_queries.names_of(connection, macs)],
        stays=[views.stay_row(stay, context.vendors, refs) for stay in device_queries.stays_of(connection, macs)],
        changes=[views.change_row(change) for change in change_queries.latest(connection, 50, None, identity)],
        hints=[
            JoinHint(name=hint.name, reason=hint.reason, devices=[by_id[d] for d in hint.devices if d != identity])
            for hint in hints
        ],
    )


def _row(connection: Connection, identity: int) -> Any:
    row = device_queries.one(connection, identity)
    if row is None:
        raise Refusal(404, "missing", f"there is no device {identity} in the roster")
    return row


def _told(context: Context, row: Any) -> DeviceRow:
    _publish(context, [row.id])
    return views.device_row(row)


def _publish(context: Context, identities: list[int] | None) -> None:
    context.tell("devices", {"ids": identities, "new": 0, "edited": True})


def _ms(moment: datetime | None) -> int | None:
    return round(moment.timestamp() * 1000) if moment else None
