"""/api/v1/findings: what is wrong or needs a decision; accept it, do its steps, see its history."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter

from ...api.common import Id, Word
from ...api.findings import (
    AcceptRequest,
    FindingCounts,
    FindingList,
    FindingSheet,
    KindPage,
    KindView,
    StepDone,
    StepRequest,
)
from ...core.findings.engine import BY_KIND, RULES
from ...core.findings.model import Severity
from ...store import finding_records
from ...store.edits import EditError, Missing
from ...store.rows import FindingRow
from ..context import Context
from ..web.deps import ContextDep, Who
from ..web.paging import Paging, cut
from . import finding_views, remedies

router = APIRouter(prefix="/api/v1", tags=["findings"])
Which = Literal["open", "accepted", "closed", "standing", "all"]
MOST_READ = 20_000
STATES = ["open", "accepted", "closed"]
_STATES = {
    "open": ["open"], "accepted": ["accepted"], "closed": ["closed"], "standing": ["open", "accepted"],
    "all": ["open", "accepted", "closed"],
}  # fmt: skip


@router.get("/findings")
def findings(
    context: ContextDep, who: Who, paging: Paging, state: Which = "open", kind: Word | None = None, subject: Word | None = None,
) -> FindingList:  # fmt: skip
    """Findings, what needs attention first: by severity, then the newest. `subject` is an address, MAC or name."""
    if kind is not None and kind not in BY_KIND:
        raise EditError(f"there is no kind of finding {kind!r}; there are: {', '.join(sorted(BY_KIND))}", "kind")
    with context.database.read() as connection:
        rows = finding_records.listed(connection, _STATES[state], kind, MOST_READ, subject)
        shown, rest = cut(rows, _place, paging)
        return FindingList(
            items=finding_views.views(context, connection, shown), **rest._asdict(),
            counts=FindingCounts(**finding_records.counts(connection)), trouble=context.findings.trouble,
        )  # fmt: skip


@router.get("/findings/kinds")
def kinds(paging: Paging, who: Who) -> KindPage:
    """Every kind of finding there is."""
    shown, rest = cut(sorted(RULES, key=lambda rule: rule.kind), lambda rule: [rule.kind], paging)
    return KindPage(
        items=[KindView(kind=one.kind, title=one.title, means=one.means) for one in shown], **rest._asdict()
    )


@router.get("/findings/{identity}")
def finding(identity: Id, context: ContextDep, who: Who) -> FindingSheet:
    """One finding with its history."""
    return _sheet(context, identity)


@router.post("/findings/{identity}/accept")
def accept(identity: Id, request: AcceptRequest, context: ContextDep, who: Who) -> FindingSheet:
    """Accept a finding, with a reason and perhaps an end."""
    until = round(request.until.timestamp() * 1000) if request.until is not None else None
    context.findings.accept(identity, request.reason, who, until)
    return _sheet(context, identity)


@router.delete("/findings/{identity}/accept")
def resume(identity: Id, context: ContextDep, who: Who) -> FindingSheet:
    """Accept it no longer."""
    context.findings.resume(identity)
    return _sheet(context, identity)


@router.post("/findings/{identity}/steps")
def step(identity: Id, request: StepRequest, context: ContextDep, who: Who) -> StepDone:
    """Do one of a finding's steps. 409 says what it offers instead by now, 422 why it cannot be done."""
    with context.database.read() as connection:
        row = finding_records.one(connection, identity)
    if row is None:
        raise Missing(f"there is no finding {identity}")
    if row.state == "closed":
        raise EditError(f"finding {identity} is closed: its cause is gone", "key")
    return remedies.do(context, remedies.chosen(row, request.key), who, request.anyway)


def _place(row: FindingRow) -> list[int]:
    """What findings are listed by."""
    return [STATES.index(row.state), Severity(row.severity).rank, -row.since, row.id]


def _sheet(context: Context, identity: int) -> FindingSheet:
    with context.database.read() as connection:
        row = finding_records.one(connection, identity)
        if row is None:
            raise Missing(f"there is no finding {identity}")
        view = finding_views.views(context, connection, [row])[0]
        turns = [finding_views.turn(t) for t in finding_records.turns_of(connection, identity)]
    return FindingSheet(finding=view, turns=turns)
