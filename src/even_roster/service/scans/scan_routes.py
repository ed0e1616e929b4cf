"""/api/v1/scans: start, follow, stop, read results."""

from __future__ import annotations

from ipaddress import AddressValueError, IPv4Address
from typing import Annotated

from fastapi import Depends, Request, Response
from sqlalchemy import Connection

from ...api.common import Id
from ...api.scans import AddressResult, ResultPage, ScanInfo, ScanPage, ScanRequest
from ...core.address import Address, address_of
from ...core.mac import NOBODY
from ...core.span import SpanSet
from ...core.targets import asked
from ...store import device_queries, scan_records
from ...store.listing import CursorError
from ...store.rows import ScanRow
from .. import views
from ..context import Context, now_ms
from ..web.contract import paths
from ..web.deps import ContextDep, Who, as_json, located
from ..web.paging import Cursor, Limit, Paging
from ..web.problems import Refusal
from .running_scans import RunningScans, refs_of_macs

router = paths("/api/v1/scans", "scans")


async def _scans(request: Request) -> RunningScans:
    scans: RunningScans = request.app.state.scans
    return scans


ScansDep = Annotated[RunningScans, Depends(_scans)]


def scan_info(row: ScanRow) -> ScanInfo:
    """A stored scan's record."""
    end = row.ended or now_ms()
    return ScanInfo(
        id=row.id, state=row.state, segment=row.subnet, adapter=row.adapter, door=row.door, targets=row.targets,
        total=row.total, probes=row.probes, started=views.time_of(row.started), seconds=(end - row.started) / 1000,
        answered_count=row.answered, silent_count=max(row.total - row.answered, 0),
        foreign_count=row.foreign, remarks=row.notes, who=row.who,
        rounds=row.options.get("rounds", 3),
    )  # fmt: skip


def _info(context: Context, scans: ScansDep, connection: Connection, identity: int) -> ScanInfo:
    live = scans.live(identity)
    if live is not None:
        return live
    row = scan_records.one(connection, identity)
    if row is None:
        raise Refusal(404, "missing", f"there is no scan {identity}")
    return scan_info(row)


@router.post("", status_code=201)
async def start(request: ScanRequest, scans: ScansDep, who: Who, response: Response) -> ScanInfo:
    """Start a scan. Errors say what is wrong with the range; `needs_confirm` asks to set `confirm`."""
    begun = await scans.start(request, who)
    located(response, f"scans/{begun.id}")
    return begun


@router.get("")
def latest(
    context: ContextDep,
    scans: ScansDep,
    who: Who,
    paging: Paging,
) -> ScanPage:
    """Scans, the latest first."""
    with context.database.read() as connection:
        rows = scan_records.latest(connection, paging.limit + 1, paging.after_number())
        total = scan_records.count(connection)
    found = [scans.live(row.id) or scan_info(row) for row in rows[: paging.limit]]
    more = len(rows) > paging.limit
    return ScanPage(items=found, next=paging.next([found[-1].id]) if more else None, total=total)


@router.get("/{identity}")
def one(identity: Id, context: ContextDep, scans: ScansDep, who: Who) -> ScanInfo:
    """A scan's record, also while it runs."""
    with context.database.read() as connection:
        return _info(context, scans, connection, identity)


@router.get("/{identity}/addresses", response_model=ResultPage)
def addresses(
    identity: Id, context: ContextDep, scans: ScansDep, who: Who, cursor: Cursor = None,
    limit: Limit = 500, silent: bool = False,
) -> Response:  # fmt: skip
    """What a scan learnt, by address; with `silent` also the addresses that were asked and did not answer."""
    after = _place(cursor)
    with context.database.read() as connection:
        info = _info(context, scans, connection, identity)
        rows = scan_records.results(connection, identity, after, limit + 1)
        more = len(rows) > limit
        rows = rows[:limit]
        refs = refs_of_macs(connection, {mac for row in rows for mac in row.macs})
        found = [views.result_of_row(row, context.vendors, refs) for row in rows]
        if silent and info.state != "running":
            last = rows[-1].address if more else (1 << 32) - 1
            quiet = _silent(
                connection, context.plan.site_here, asked(info.targets, info.segment), {row.address for row in rows}, after,
                last, limit,
            )  # fmt: skip
            found = sorted([*found, *quiet], key=lambda result: IPv4Address(result.address))
            more = more or len(found) > limit
            found = found[:limit]
    following = found[-1].address if more and found else None
    return as_json(ResultPage(items=found, next=following, total=None))


def _silent(
    connection: Connection, site: int, targets: SpanSet, answered: set[int], after: int, last: int, limit: int
) -> list[AddressResult]:
    """At most `limit` + 1 silent addresses between two places, each with the device last seen there."""
    window = targets & SpanSet(((after + 1, last),)) if after < last else SpanSet()
    quiet: list[Address] = []
    for address in window.addresses():
        if int(address) not in answered:
            quiet.append(address_of(address))
        if len(quiet) > limit:
            break
    holders = device_queries.last_holders(connection, site, quiet)
    refs = refs_of_macs(connection, set(holders.values()))
    return [views.silent(address, refs.get(holders.get(address, NOBODY))) for address in quiet]


def _place(cursor: str | None) -> int:
    if cursor is None:
        return -1
    try:
        return address_of(IPv4Address(cursor))
    except AddressValueError:
        raise CursorError("the cursor of results is the last address of the page before") from None


@router.post("/{identity}/stop")
async def stop(identity: Id, context: ContextDep, scans: ScansDep, who: Who) -> ScanInfo:
    """End a scan and keep what it found. A scan that has ended already stays as it is."""
    scans.stop(identity)
    await scans.wait(identity)
    return one(identity, context, scans, who)
