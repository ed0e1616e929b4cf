"""/api/v1/findings: what is wrong or needs a decision; accept it, do its steps, see its history."""

from __future__ import annotations

from typing import Literal

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
from ...store import finding_records
from ...store.edits import EditError, Missing
from ...store.listing import CursorError
from ..context import Context
from ..web.contract import paths
from ..web.deps import ContextDep, Who
from ..web.paging import Asked, Paging, cut
from . import finding_views, remedies

router = paths("/api/v1", "findings")
Which = Literal["open", "accepted", "closed", "standing", "all"]
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
        after = _after(paging)
        rows, total = finding_records.listed(connection, _STATES[state], kind, subject, after, paging.limit + 1)
        shown = rows[: paging.limit]
        return FindingList(
            items=finding_views.views(context, connection, shown), total=total,
            next=paging.next(finding_records.place(shown[-1])) if len(rows) > len(shown) else None,
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


def _after(paging: Asked) -> finding_records.Place | None:
    """The place that a page begins behind. Raises CursorError."""
    key = paging.after([0, 0, 0, 0])
    if key is None:
        return None
    if any(abs(part) >= 1 << 62 for part in key):
        raise CursorError("this cursor is not one of ours; begin again without it")
    state, severity, since, identity = map(int, key)
    return state, severity, since, identity


def _sheet(context: Context, identity: int) -> FindingSheet:
    with context.database.read() as connection:
        row = finding_records.one(connection, identity)
        if row is None:
            raise Missing(f"there is no finding {identity}")
        view = finding_views.views(context, connection, [row])[0]
        turns = [finding_views.turn(t) for t in finding_records.turns_of(connection, identity)]
    return FindingSheet(finding=view, turns=turns)
