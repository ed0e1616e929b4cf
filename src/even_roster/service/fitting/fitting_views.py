"""Turns fittings into the API's models: each device with its step, what is to be done, what to type in, what was written down."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sqlalchemy import Connection

from ...api.fitting import (
    DeviceKindRef,
    FittedView,
    FittingNote,
    FittingRow,
    FittingView,
    SettingSeen,
    SightView,
    StepView,
)
from ...api.spreadsheets import CardLine
from ...core import cards
from ...core.address import Address, dotted
from ...core.cards import Card, CardError
from ...core.fitting import words
from ...core.fitting.progress import Progress, Sight, Step, from_json
from ...core.fitting.words import Fitted
from ...core.mac import Mac
from ...core.plan.model import AssignmentKind
from ...store import device_queries, fitting_records, kind_records
from ...store.kind_records import KindKept
from ...store.rows import FittedRow
from ...store.rows import FittingRow as Row
from .. import views
from ..context import Context
from . import reach
from .fitter import Fitter


def rows(context: Context, connection: Connection, found: Sequence[Row]) -> list[FittingRow]:
    """Fittings as a list shows them."""
    kinds = {one.id: one for one in kind_records.all_of_them(connection)}
    devices: dict[int, list[FittedRow]] = {}
    for one in fitting_records.devices_of(connection, [row.id for row in found]):
        devices.setdefault(one.fitting, []).append(one)
    return [_row(row, kinds, devices.get(row.id, [])) for row in found]


def _row(row: Row, kinds: Mapping[int, KindKept], devices: Sequence[FittedRow]) -> FittingRow:
    kind = kinds.get(row.kind or 0)
    return FittingRow(
        id=row.id, kind=DeviceKindRef(id=kind.id, name=kind.kind.name) if kind else None, role=row.role, where=row.place,
        who=row.who,
        opened_at=views.time_of(row.opened_at), touched_at=views.time_of(row.touched_at), closed_at=views.maybe_time(row.closed_at),
        names=[one.name or str(Mac(one.mac)) for one in devices[:8]], device_count=len(devices),
        done_count=sum(one.state == "done" for one in devices), open_count=sum(one.state == "open" for one in devices),
    )  # fmt: skip


def whole(context: Context, connection: Connection, fitter: Fitter, row: Row) -> FittingView:
    """A fitting with its devices."""
    kinds = {one.id: one for one in kind_records.all_of_them(connection)}
    devices = fitting_records.devices_of(connection, [row.id])
    kind = kinds.get(row.kind or 0)
    shown = [_device(context, connection, fitter, one, kind) for one in devices]
    return FittingView(**dict(_row(row, kinds, devices)), devices=shown)


def _device(
    context: Context, connection: Connection, fitter: Fitter, row: FittedRow, kind: KindKept | None
) -> FittedView:  # fmt: skip
    running = fitter.running.get(row.id) if row.state == "open" else None
    progress = running.progress if running is not None else from_json(row.progress)
    item = context.plan.plan.assignments.get(row.assignment or 0)
    target = running.target if running is not None else row.address
    over = row.state != "open"
    fitted = Fitted(
        row.mac, item.name if item is not None else row.name, target or Address(0), kind.kind if kind else None, progress,
        item is not None and item.kind is AssignmentKind.RESERVED, _near(context, progress), row.state == "done",
        fitter.before(row.id), _shared(context, progress, row), row.id in fitter.answers.running,
        fitter.limited,
    )  # fmt: skip
    card = _card(context, row, target)
    step = Step.DONE if over else words.now_at(fitted) if target is not None else Step.WHERE
    device = device_queries.one(connection, item.device) if item is not None and item.device else None
    silent = step is Step.FIND and progress.heard is None
    adapters = context.machine.adapters() if silent else []
    return FittedView(
        id=row.id, mac=str(Mac(row.mac)), vendor=context.vendor_of(Mac(row.mac)) or None, name=fitted.name,
        address=dotted(target) if target is not None else None, assignment=item.id if item is not None else None,
        device=views.device_ref(device) if device is not None else None, state=row.state, step=step.value,
        said=_said(row, step, fitted), against="" if over else progress.against,
        reasons=words.why_silent(adapters, fitted.kind, fitter.looking, fitter.limited) if silent else [],
        steps=[StepView(step=one.step.value, state=one.state, said=one.said) for one in words.steps(fitted)] if target else [],
        heard=_sight(progress.heard), found=_sight(progress.found), seen=_sight(progress.seen),
        went_at=views.maybe_time(progress.went), kept=_sight(progress.kept), page=_page(context, fitted),
        reach=reach.view(context, fitter, row, fitted, step) if not over else None,
        remind=reach.remind(context, connection, fitted),
        card=[CardLine(name=name, value=value) for name, value in words.card_lines(card, fitted.kind)] if card else [],
        settings=[
            SettingSeen(name=name, wanted=wanted, state=state, said=said)
            for name, wanted, state, said in words.settings(fitted, card)
        ] if card and progress.seen is not None else [],
        written=[
            FittingNote(at=views.time_of(one.at), step=one.step, said=one.said)
            for one in fitting_records.notes_of(connection, row.id)
        ],
        closed_at=views.maybe_time(row.closed_at),
    )  # fmt: skip


def _said(row: FittedRow, step: Step, fitted: Fitted) -> str:
    if row.state == "done":
        return "in place"
    if row.state == "given up":
        return "given up"
    return (
        words.sentence(fitted)
        if step is not Step.WHERE
        else "the plan has no address for it: give it one, or give it up"
    )


def _shared(context: Context, progress: Progress, row: FittedRow) -> str:
    """Who else has a device's present address by the plan."""
    if progress.found is None:
        return ""
    item = context.plan.plan.at(context.plan.site_here, progress.found.address)
    return item.title if item is not None and item.mac != row.mac else ""


def _near(context: Context, progress: Progress) -> bool:
    """True when its present address is in a subnet of the adapter that it was found on."""
    found = progress.found
    if found is None:
        return False
    adapter = next((one for one in context.machine.adapters() if one.name == found.adapter), None)
    return adapter is not None and found.address in adapter.onlink


def _card(context: Context, row: FittedRow, target: Address | None) -> Card | None:
    if target is None or row.state == "given up":
        return None
    try:
        return cards.card(context.plan.plan, context.plan.site_here, target)
    except CardError:
        return None


def _page(context: Context, fitted: Fitted) -> str:
    """Where the device's page is now: at its present address."""
    found = fitted.progress.found
    if found is None or not found.address:
        return ""
    if context.machine.simulated:
        return f"/cartons?mac={Mac(fitted.mac)}"
    at = dotted(found.address)
    return fitted.kind.page_at(at) or f"http://{at}/" if fitted.kind is not None else f"http://{at}/"


def _sight(one: Sight | None) -> SightView | None:
    if one is None:
        return None
    where = dotted(one.address) if one.address else None
    return SightView(adapter=one.adapter, address=where, at=views.time_of(one.at), means=one.means.value)
