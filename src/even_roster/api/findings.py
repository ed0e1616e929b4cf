"""Findings: what is wrong or needs a decision, its evidence, what to do, and where it stands."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .common import Model, Page, Time

FindingState = Literal["open", "accepted", "closed"]
FindingSeverity = Literal["urgent", "wrong", "notice"]


class FindingSubject(Model):
    """Somebody or something a finding is about: type address, mac, subnet, pool, server, name or adapter. `label` is how
    the roster calls it."""

    type: str
    value: str
    label: str = ""


class FindingEvidence(Model):
    """One thing that was observed, in a sentence, with its moment where it has one."""

    said: str
    at: Time | None


class FindingStep(Model):
    """Something that can be done with one press. `key` names it by what it does and to what; `link` is a page of the console where
    it is done instead."""

    key: str
    action: str
    label: str
    values: dict[str, str]
    link: str | None = None


class AcceptanceView(Model):
    """Who said that it is all right, why, and until when."""

    reason: str
    who: str
    at: Time
    until: Time | None


class FindingView(Model):
    """One finding. `since` is when it was opened this time, `first_opened` the first time ever, `times` how often; `heard`: it
    stands on what was only overheard, which any device on the link can forge."""

    id: int
    kind: str
    title: str
    severity: FindingSeverity
    heard: bool
    state: FindingState
    subjects: list[FindingSubject]
    since: Time
    first_opened: Time
    times: int
    closed: Time | None
    updated: Time
    evidence: list[FindingEvidence]
    means: str
    remedy: str
    steps: list[FindingStep]
    acceptance: AcceptanceView | None


class FindingCounts(Model):
    """How many are open, by severity, and how many are accepted."""

    urgent: int
    wrong: int
    notice: int
    accepted: int


class FindingList(Page[FindingView]):
    """Findings, what needs attention first. `trouble` says why findings cannot be stored, when they cannot."""

    counts: FindingCounts
    trouble: str


class TurnView(Model):
    """What happened to a finding: opened, reopened, updated, accepted, resumed or closed."""

    finding_id: int
    kind: str
    at: Time
    turn: str
    said: str


class FindingSheet(Model):
    """One finding with its history."""

    finding: FindingView
    turns: list[TurnView]


class AcceptRequest(Model):
    """Accept a finding: it stands, but nobody is called for it, until the end if there is one."""

    reason: str = Field(max_length=500)
    until: Time | None = None


class StepRequest(Model):
    """Do one of a finding's steps, by its key: when the finding does not offer just that any more, nothing is done.
    `anyway` saves in spite of mistakes."""

    key: str = Field(max_length=500)
    anyway: bool = False


class StepDone(Model):
    """What was done, in a sentence; `change_id` is what can be undone."""

    said: str
    change_id: int | None


class KindView(Model):
    """A kind of finding: what it is called and means."""

    kind: str
    title: str
    means: str


class KindPage(Page[KindView]):
    """Every kind of finding there is."""
