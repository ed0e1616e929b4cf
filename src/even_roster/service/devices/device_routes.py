"""/api/v1/devices: lists, sheets and edits; /api/v1/changes: what was edited, and undo."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Annotated

from fastapi import Query, Response

from ...api.common import Id, Line, Word
from ...api.devices import (
    BulkDone,
    BulkEdit,
    DeviceEdit,
    DeviceNew,
    DevicePage,
    DeviceRow,
    DeviceSheet,
    DeviceSort,
    Join,
    Replacement,
    Retirement,
    ReviewCase,
    ReviewPage,
    Split,
)
from ...api.events import DevicesEvent
from ...core.mac import Mac
from ...core.roster import Device
from ...store import device_queries, review_records
from ...store.device_queries import DeviceFilter
from .. import views
from ..context import Context, now_ms
from ..naming import request_values, resolving
from ..naming.references import DeviceToChange, DeviceToRead
from ..web.contract import paths
from ..web.deps import ContextDep, Who, listed_as_json, located
from ..web.matching import IfMatch, MaybeMatch, tagged
from ..web.paging import USUAL, Cursor, Limit, Paging, cut
from ..web.problems import Refusal
from . import device_edits, device_views

router = paths("/api/v1", "devices")


@router.get("/devices", response_model=DevicePage)
def page(
    context: ContextDep, who: Who, q: Line = "", role: Word | None = None, owner: Word | None = None,
    vendor: Word | None = None, unknown: bool | None = None, expected: bool | None = None, local: bool | None = None,
    retired: bool = False, range: Line | None = None, seen_since: datetime | None = None, not_seen_since: datetime | None = None,
    sort: DeviceSort = "address", descending: bool = False, cursor: Cursor = None, limit: Limit = USUAL, total: bool = True,
) -> Response:  # fmt: skip
    """Devices that match all filters, a page at a time. `q` is words; each must be contained somewhere."""
    wanted = DeviceFilter(
        text=q, role=role, owner=owner, vendor=vendor, unknown=unknown, expected=expected, local=local,
        retired=retired, seen_since=_ms(seen_since), not_seen_since=_ms(not_seen_since),
        spans=resolving.stretches(context, range) if range else None,
    )  # fmt: skip
    with context.database.read() as connection:
        found = device_queries.page(connection, wanted, sort, descending, cursor, limit)
        whole = cursor is None and found.next is None  # all of them are at hand: nothing is looked for twice
        count = None if not total else len(found.rows) if whole else device_queries.count(connection, wanted)
    return listed_as_json([views.device_json(row) for row in found.rows], found.next, count)


@router.get("/devices/positions", response_model=DevicePage)
def positions(
    context: ContextDep, who: Who, offset: Annotated[int, Query(ge=0, le=1 << 32)] = 0,
    limit: Annotated[int, Query(ge=1, le=500)] = 100, q: Line = "", role: Word | None = None,
    unknown: bool | None = None, expected: bool | None = None, local: bool | None = None, retired: bool = False,
    sort: DeviceSort = "address", descending: bool = False,
) -> Response:  # fmt: skip
    """As the list, but by position: for tables that scroll to any place."""
    wanted = DeviceFilter(text=q, role=role, unknown=unknown, expected=expected, local=local, retired=retired)
    with context.database.read() as connection:
        rows = device_queries.at_position(connection, wanted, sort, descending, offset, limit)
        count = device_queries.count(connection, wanted)
    return listed_as_json([views.device_json(row) for row in rows], None, count)


@router.get("/devices/{which:path}")
def sheet(identity: DeviceToRead, context: ContextDep, who: Who, response: Response) -> DeviceSheet:
    """Everything about one device."""
    found = _sheet(context, identity)
    tagged(response, found.device.version)
    return found


@router.post("/devices", status_code=201)
def add(request: DeviceNew, context: ContextDep, who: Who, response: Response) -> DeviceSheet:
    """Enter a device that is expected."""
    fields = {name: value for name, value in request.model_dump(exclude={"mac"}).items() if value}
    saved = context.plan.edit_records(who, device_edits.add(fields, request_values.maybe_mac(request.mac)))
    identity = next(one.id for one in saved.after if isinstance(one, Device))
    located(response, f"devices/{identity}")
    made = _sheet(context, identity)
    tagged(response, made.device.version)
    return made


@router.patch("/devices/{which:path}")
def edit(
    identity: DeviceToChange, versions: IfMatch, request: DeviceEdit, context: ContextDep, who: Who, response: Response
) -> DeviceRow:
    """Set fields."""
    fields = _given(request.model_dump(exclude={"with_hostname"}))
    make = device_edits.set_fields([(identity, versions)], fields, request.with_hostname)
    context.plan.edit_records(who, make, anyway=not request.with_hostname)
    row = _row_now(context, identity)
    tagged(response, row.version)
    return row


@router.post("/devices/bulk")
def bulk(request: BulkEdit, context: ContextDep, who: Who) -> BulkDone:
    """Set the same role, owner or place for several devices: all or none."""
    fields = _given(request.model_dump(exclude={"devices"}))
    if not fields:
        raise Refusal(422, "bad_edit", "nothing to set: give a role, an owner or a place", "role")
    if len(request.devices) > context.settings.bulk:
        said = (
            f"{len(request.devices):,} devices at once; {context.settings.bulk:,} may be set at once (EVEN_ROSTER_BULK)"
        )
        raise Refusal(422, "too_many", said, "devices")
    named, versions = (
        _devices(context, [item.id for item in request.devices]),
        [None if item.version is None else (item.version,) for item in request.devices],
    )
    make = device_edits.set_fields(list(zip(named, versions, strict=True)), fields)
    context.plan.edit_records(who, make, anyway=True)
    return BulkDone(changed=len(request.devices))


@router.post("/devices/{which:path}/retire")
def retire(
    identity: DeviceToChange, versions: MaybeMatch, request: Retirement, context: ContextDep, who: Who
) -> DeviceRow:
    """Take a device out of the lists, or with `retired` false bring it back."""
    context.plan.edit_records(who, device_edits.retire(identity, versions, request.retired, request.release))
    return _row_now(context, identity)


@router.post("/devices/{which:path}/join")
def join(identity: DeviceToChange, request: Join, context: ContextDep, who: Who) -> DeviceSheet:
    """Other devices' adapters and assignments belong to this one."""
    context.plan.edit_records(who, device_edits.join(identity, _devices(context, request.devices)), anyway=True)
    return _sheet(context, identity)


@router.post("/devices/{which:path}/split")
def split(identity: DeviceToChange, request: Split, context: ContextDep, who: Who) -> DeviceSheet:
    """Some adapters are a device of their own; gives the new one."""
    macs = [Mac.parse(text).value for text in request.macs]
    saved = context.plan.edit_records(who, device_edits.split(identity, macs), anyway=True)
    return _sheet(context, next(one.id for one in saved.after if isinstance(one, Device) and one.id != identity))


@router.post("/devices/{which:path}/replace")
def replace(identity: DeviceToChange, request: Replacement, context: ContextDep, who: Who) -> DeviceSheet:
    """New hardware: its MAC inherits everything that the device has."""
    make = device_edits.swap_hardware(identity, Mac.parse(request.mac).value, request_values.maybe_mac(request.old))
    context.plan.edit_records(who, make, anyway=True)
    return _sheet(context, identity)


@router.get("/reviews")
def reviews(context: ContextDep, who: Who, paging: Paging) -> ReviewPage:
    """Cases to look at: what two records of one device said differently, and expected devices that may have been seen."""
    with context.database.read() as connection:
        found = device_views.cases(connection, context.plan.site_here, now_ms(), None)
    shown, rest = cut(sorted(found, key=_case_place), _case_place, paging)
    return ReviewPage(items=shown, **rest._asdict())


def _case_place(case: ReviewCase) -> list[int]:
    """What cases are listed by: expected devices that may have been seen first, then the latest."""
    return [
        0 if case.id is None else 1,
        -round(case.at.timestamp() * 1000),
        case.id or case.device.id,
        case.other.id if case.other else 0,
    ]


@router.delete("/reviews/{identity}", status_code=204)
def reviewed(identity: Id, context: ContextDep, who: Who) -> None:
    """Take a case off the list."""
    with context.database.write() as connection:
        if not review_records.settle(connection, identity):
            raise Refusal(404, "missing", f"there is no case {identity} on the list")
    context.tell(DevicesEvent(ids=None, new=0))


def _devices(context: Context, texts: Sequence[int | str]) -> list[int]:
    """Devices to change, as a request names them. Raises Missing, Ambiguous, NotByThat."""
    with context.database.read() as connection:
        return [resolving.device_to_change(context, connection, str(text)) for text in texts]


def _given(values: dict[str, str | None]) -> dict[str, str]:
    return {name: value for name, value in values.items() if value is not None}


def _sheet(context: Context, identity: int) -> DeviceSheet:
    with context.database.read() as connection:
        return device_views.sheet(context, connection, identity)


def _row_now(context: Context, identity: int) -> DeviceRow:
    with context.database.read() as connection:
        return views.device_row(device_views.row(connection, identity))


def _ms(moment: datetime | None) -> int | None:
    return round(moment.timestamp() * 1000) if moment else None
