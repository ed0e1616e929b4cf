"""Turns findings' records into the API's models: labels of subjects, links of steps."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import Connection

from ...api.findings import AcceptanceView, FindingEvidence, FindingStep, FindingSubject, FindingView, TurnView
from ...core.findings.engine import BY_KIND, Acceptance, Name
from ...core.findings.model import Action, Step
from ...core.mac import Mac, MacNumber
from ...core.plan.model import Plan
from ...store import finding_records, seen_records
from ...store.rows import FindingRow, TurnRow
from ..context import Context
from ..views import maybe_time, time_of


def views(context: Context, connection: Connection, rows: Iterable[FindingRow]) -> list[FindingView]:
    """Findings with the names of those they are about."""
    rows = list(rows)
    macs = {Mac.parse(v).value for row in rows for t, v in row.subjects if t == "mac"}
    known = {mac: one.name for mac, one in seen_records.known_macs(connection, sorted(macs)).items()}
    with context.plan.reading() as plan:
        accepted = finding_records.exceptions(connection)
        return [_view(context, plan, row, known, accepted) for row in rows]


def _view(
    context: Context, plan: Plan, row: FindingRow, known: dict[MacNumber, str], accepted: dict[Name, Acceptance]
) -> FindingView:  # fmt: skip
    rule = BY_KIND.get(row.kind)
    acceptance = accepted.get((row.kind, row.key)) if row.state == "accepted" else None
    return FindingView(
        id=row.id, kind=row.kind, title=rule.title if rule else row.kind, severity=row.severity, heard=row.heard, state=row.state,
        subjects=[FindingSubject(type=t, value=v, label=_label(context, plan, t, v, known)) for t, v in row.subjects],
        since=time_of(row.since), first_opened=time_of(row.first), times=row.times, closed=maybe_time(row.closed),
        updated=time_of(row.updated),
        evidence=[FindingEvidence(said=said, at=maybe_time(at)) for said, at in row.evidence],
        means=rule.means if rule else "", remedy=row.remedy,
        steps=[
            FindingStep(key=step.key, action=step.action, label=step.label, values=dict(step.values), link=_link(plan, step))
            for step in finding_records.steps_of(row)
        ],
        acceptance=AcceptanceView(
            reason=acceptance.reason, who=acceptance.who, at=time_of(acceptance.at), until=maybe_time(acceptance.until)
        )
        if acceptance
        else None,
    )  # fmt: skip


def _label(context: Context, plan: Plan, kind: str, value: str, known: dict[MacNumber, str]) -> str:
    if kind == "mac":
        mac = Mac.parse(value)
        name = known.get(mac.value, "")
        vendor = context.vendor_of(mac)
        return name or vendor
    if kind == "pool":
        band = plan.bands.get(int(value))
        return band.title if band is not None else "a pool that is gone"
    return ""


def _link(plan: Plan, step: Step) -> str | None:
    """The console's page where a step is done, for steps that want more than a press."""
    values = dict(step.values)
    match step.action:
        case Action.CARD:
            return f"/card/{values['address']}"
        case Action.PUBLISH:
            return "/dhcp"
        case Action.NAME:
            return f"/devices/{values['device']}"
        case Action.MOVE_POOL:
            subnet = plan.subnets.get(int(values["subnet"]))
            return f"/subnets/{subnet.network}" if subnet is not None else None
        case Action.ASSIGN if "address" not in values:
            role = f"&role={values['role']}" if "role" in values else ""
            return f"/addresses?assign={values['mac']}{role}"
    return None


def turn(row: TurnRow) -> TurnView:
    """A turn of a finding."""
    return TurnView(finding_id=row.finding_id, kind=row.kind, at=time_of(row.at), turn=row.turn, said=row.said)
