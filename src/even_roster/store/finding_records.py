"""Findings as they are kept: how they stand, every turn they took, and what people accepted."""

from __future__ import annotations

import functools
from collections.abc import Iterable, Sequence
from typing import Any

from sqlalchemy import (
    BigInteger,
    BindParameter,
    ColumnElement,
    Connection,
    Integer,
    Select,
    Text,
    bindparam,
    case,
    delete,
    func,
    insert,
    select,
    tuple_,
)
from sqlalchemy.dialects.sqlite import insert as upsert

from ..core.findings.engine import BY_KIND, Acceptance, Finding, Name, Turn, Turned
from ..core.findings.model import Action, Evidence, Severity, State, Step, Subject
from .rows import FindingRow, TurnRow, all_of, one_of
from .tables import acceptances, finding_turns, findings


def load(connection: Connection) -> list[Finding]:
    """Every finding ever, of kinds that still have a rule."""
    return [finding_of(row) for row in all_of(connection, FindingRow, select(findings)) if row.kind in BY_KIND]


def finding_of(row: FindingRow) -> Finding:
    """A record as a value."""
    return Finding(
        row.kind, row.key, Severity(row.severity), tuple(Subject(t, v) for t, v in row.subjects),
        tuple(Evidence(said, at) for said, at in row.evidence), row.remedy,
        steps_of(row),
        State(row.state), row.since, row.first, row.times, row.closed, row.updated, row.heard,
    )  # fmt: skip


def steps_of(row: FindingRow) -> tuple[Step, ...]:
    """What a record offers to do."""
    return tuple(Step(Action(a), label, tuple((n, v) for n, v in values)) for a, label, values in row.steps)


def save(connection: Connection, taken: Sequence[Turned]) -> dict[Name, int]:
    """Store how findings stand after their turns; gives their ids."""
    if not taken:
        return {}
    last = {one.finding.name: one.finding for one in taken}
    statement = upsert(findings)
    replaced = {c.name: statement.excluded[c.name] for c in findings.columns if c.name not in ("id", "kind", "key")}
    connection.execute(
        statement.on_conflict_do_update(index_elements=["kind", "key"], set_=replaced),
        [_values(f) for f in last.values()],
    )
    ids = ids_of(connection, last)
    connection.execute(
        insert(finding_turns),
        [
            {"finding_id": ids[one.finding.name], "at": _moment(one), "turn": one.turn.value, "said": _said(one)}
            for one in taken
        ],
    )
    return ids


def _moment(one: Turned) -> int:
    return one.finding.since if one.turn in (Turn.OPENED, Turn.REOPENED) else one.finding.updated


def _said(one: Turned) -> str:
    return one.finding.evidence[0].said if one.finding.evidence else ""


def _values(finding: Finding) -> dict[str, Any]:
    return {
        "kind": finding.kind, "key": finding.key, "severity": finding.severity.value,
        "subjects": [[s.type, s.value] for s in finding.subjects],
        "evidence": [[e.said, e.at] for e in finding.evidence], "remedy": finding.remedy,
        "steps": [[s.action.value, s.label, [list(v) for v in s.values]] for s in finding.steps],
        "state": finding.state.value, "since": finding.since, "first": finding.first, "times": finding.times,
        "closed": finding.closed, "updated": finding.updated, "heard": finding.heard,
    }  # fmt: skip


def standing_keys(connection: Connection, kind: str, prefix: str) -> list[str]:
    """The keys of the findings of a kind that are not over and begin so."""
    here = (
        findings.c.kind == kind,
        findings.c.key.startswith(prefix, autoescape=True),
        findings.c.state != State.CLOSED.value,
    )
    return list(connection.execute(select(findings.c.key).where(*here)).scalars())


def ids_of(connection: Connection, names: Iterable[Name]) -> dict[Name, int]:
    """The ids of findings by name."""
    wanted = set(names)
    query = select(findings.c.id, findings.c.kind, findings.c.key).where(findings.c.kind.in_({k for k, _ in wanted}))
    return {(row.kind, row.key): row.id for row in connection.execute(query) if (row.kind, row.key) in wanted}


def one(connection: Connection, identity: int) -> FindingRow | None:
    """A finding's record."""
    return one_of(connection, FindingRow, select(findings).where(findings.c.id == identity))


Place = tuple[int, int, int, int]
"""Where a finding stands in lists: its state, its severity, how new it is, its id."""
_STATES = {"open": 0, "accepted": 1, "closed": 2}


def place(row: FindingRow) -> Place:
    """Where a finding stands in lists: open before accepted, what is worse first, the newest first."""
    return _STATES[row.state], Severity(row.severity).rank, -row.since, row.id


def listed(
    connection: Connection, states: Sequence[str], kind: str | None, subject: str | None, after: Place | None, limit: int
) -> tuple[list[FindingRow], int]:  # fmt: skip
    """Findings in some states by their place, those behind `after`; and how many there are in all."""
    total, page = _listing(kind is not None, subject is not None, after is not None)
    given = {"states": list(states), "kind": kind, "subject": subject, "most": limit}
    given |= dict(zip(_PLACE, after, strict=True)) if after is not None else {}
    wanted = {name: given[name] for name in ("states", "kind", "subject") if given[name] is not None}
    found = all_of(connection, FindingRow, page, {name: value for name, value in given.items() if value is not None})
    return found, int(connection.execute(total, wanted).scalar_one())


_PLACE = ("after_state", "after_severity", "after_since", "after_id")


@functools.cache
def _listing(of_kind: bool, of_subject: bool, behind: bool) -> tuple[Select[Any], Select[Any]]:
    """How many there are, and a page of them: put together once, with parameters named as in `listed`."""
    where: list[ColumnElement[bool]] = [findings.c.state.in_(bindparam("states", expanding=True))]
    if of_kind:
        where.append(findings.c.kind == bindparam("kind"))
    if of_subject:
        each = func.json_each(findings.c.subjects).table_valued("value")
        subject: BindParameter[str] = bindparam("subject", type_=Text)
        told = select(func.count()).select_from(each).where(func.json_extract(each.c.value, "$[1]") == subject)
        where.append(told.scalar_subquery() > 0)
    total = select(func.count()).select_from(findings).where(*where)
    severity = case({one.value: one.rank for one in Severity}, value=findings.c.severity)
    order = case(_STATES, value=findings.c.state), severity, -findings.c.since, findings.c.id
    if behind:
        where.append(tuple_(*order) > tuple_(*(bindparam(name, type_=BigInteger) for name in _PLACE)))
    page = select(findings).where(*where).order_by(*order).limit(bindparam("most", type_=Integer))
    return total, page


def counts(connection: Connection) -> dict[str, int]:
    """How many findings are open, by severity, and how many are accepted."""
    query = select(findings.c.state, findings.c.severity, func.count()).where(findings.c.state != "closed")
    found = {"urgent": 0, "wrong": 0, "notice": 0, "accepted": 0}
    for state, severity, count in connection.execute(query.group_by(findings.c.state, findings.c.severity)):
        found[severity if state == "open" else "accepted"] += count
    return found


def turns_of(connection: Connection, identity: int, limit: int = 50) -> list[TurnRow]:
    """The turns of one finding, the latest first."""
    query = select(finding_turns, findings.c.kind).join(findings, findings.c.id == finding_turns.c.finding_id)
    query = query.where(finding_turns.c.finding_id == identity)
    return all_of(connection, TurnRow, query.order_by(finding_turns.c.id.desc()).limit(limit))


def exceptions(connection: Connection) -> dict[Name, Acceptance]:
    """What people accepted."""
    return {
        (row.kind, row.key): Acceptance(
            row.reason, row.who, row.at, row.until, None if row.macs is None else frozenset(row.macs)
        )
        for row in connection.execute(select(acceptances))
    }


def accept(connection: Connection, name: Name, acceptance: Acceptance) -> None:
    """Keep an exception; a newer one replaces it."""
    values = {
        "reason": acceptance.reason, "who": acceptance.who, "at": acceptance.at, "until": acceptance.until,
        "macs": None if acceptance.macs is None else sorted(acceptance.macs),
    }  # fmt: skip
    statement = upsert(acceptances).values(kind=name[0], key=name[1], **values)
    connection.execute(statement.on_conflict_do_update(index_elements=["kind", "key"], set_=values))


def resume(connection: Connection, name: Name) -> None:
    """Accept it no longer."""
    connection.execute(delete(acceptances).where(acceptances.c.kind == name[0], acceptances.c.key == name[1]))


def forget(connection: Connection, before: int) -> int:
    """Drop closed findings and turns older than a time, never the first turn of a finding that is kept."""
    gone = connection.execute(delete(findings).where(findings.c.state == "closed", findings.c.closed < before)).rowcount
    firsts = select(func.min(finding_turns.c.id)).group_by(finding_turns.c.finding_id)
    connection.execute(
        delete(finding_turns).where(finding_turns.c.at < before, finding_turns.c.id.not_in(firsts))
    )  # fmt: skip
    return int(gone)
