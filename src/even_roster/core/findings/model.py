"""What a finding is: its kind, subjects, evidence, what it means, what to do, and where it stands.

A rule gives `Found` values; the `ledger` turns them into `Finding`s with a history. Evidence is made of sentences that
stay equal while nothing changes: moments are kept beside the text, so that time alone never makes news.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum, StrEnum


class Severity(StrEnum):
    """`urgent`: people are cut off or soon will be; `wrong`: something is not as it should be; `notice`: decide."""

    URGENT = "urgent"
    WRONG = "wrong"
    NOTICE = "notice"

    @property
    def rank(self) -> int:
        """0 for the most severe."""
        return list(Severity).index(self)


class About(StrEnum):
    """What one run of a rule looks at; its key is an address, a MAC, the id of an assignment or of a managed server …"""

    ADDRESS = "address"
    MAC = "mac"
    ASSIGNMENT = "assignment"
    RESERVATION = "reservation"
    POOL = "pool"
    SUBNET = "subnet"
    SERVER = "server"
    MANAGED = "managed server"
    NAME = "name"
    LINK = "link"
    LINE = "line of a roll call"
    FITTING = "fitting"
    WIRING = "switch or port"


@dataclass(frozen=True, slots=True)
class Subject:
    """Somebody or something a finding is about; `type` is address, mac, device, subnet, pool, server, name, adapter,
    switch."""

    type: str
    value: str


@dataclass(frozen=True, slots=True)
class Evidence:
    """One thing that was observed, as a sentence; `at` in UTC ms where it has a moment."""

    said: str
    at: int | None = None


class Action(StrEnum):
    """What can be done about a finding with one press."""

    ASSIGN = "assign"
    RESERVE = "reserve"
    MOVE_PLAN = "move the plan"
    MOVE_POOL = "move the pool"
    PUBLISH = "publish"
    JOIN = "join"
    CARD = "card"
    NAME = "name"
    RELEASE = "release"
    MEMBER = "member"
    ACCEPT = "accept"

    @property
    def verb(self) -> str:
        """In one word, as the keys of steps begin."""
        return self.value.replace(" ", "-")


@dataclass(frozen=True, slots=True)
class Step:
    """An action with what it needs: an address, a MAC, ids, as texts."""

    action: Action
    label: str
    values: tuple[tuple[str, str], ...] = ()

    @property
    def key(self) -> str:
        """What it does and to what, in one word that can be typed again: `release=17,10.44.10.33`. It stays as long as that is
        offered, whatever else the finding comes to offer, and never means anything else."""
        of = ",".join(value for _, value in self.values)
        return f"{self.action.verb}={of}" if self.values else self.action.verb

    @property
    def pressable(self) -> bool:
        """Whether it needs nothing more than a press; the others are done on a page, and accepting wants a reason."""
        return self.action in _BY_PRESS or (self.action is Action.ASSIGN and "address" in dict(self.values))


_BY_PRESS = {Action.RESERVE, Action.MOVE_PLAN, Action.RELEASE, Action.JOIN, Action.MEMBER}


@dataclass(frozen=True, slots=True)
class Found:
    """What a rule found now. `remedy` says in a sentence what to do; `steps` are those that can be pressed; `heard` that it stands
    on what was only overheard, which any device on the link can forge."""

    severity: Severity
    subjects: tuple[Subject, ...]
    evidence: tuple[Evidence, ...]
    remedy: str
    steps: tuple[Step, ...] = ()
    heard: bool = False

    @property
    def told(self) -> tuple[object, ...]:
        """What must differ for the finding to count as changed: everything but moments."""
        return telling(self.severity, self.subjects, self.evidence, self.remedy, self.steps, self.heard)


def telling(
    severity: Severity, subjects: tuple[Subject, ...], evidence: tuple[Evidence, ...], remedy: str, steps: tuple[Step, ...],
    heard: bool,
) -> tuple[object, ...]:  # fmt: skip
    """See Found.told."""
    return severity, subjects, tuple(one.said for one in evidence), remedy, tuple(one.key for one in steps), heard


class Away(Enum):
    """A rule's word that it cannot tell now, because the device in question is not there to be looked at."""

    AWAY = "away"


AWAY = Away.AWAY


class State(StrEnum):
    """Where a finding stands. An accepted one is still true, but nobody is called."""

    OPEN = "open"
    ACCEPTED = "accepted"
    CLOSED = "closed"


SECOND = 1000
MINUTE = 60 * SECOND
HOUR = 60 * MINUTE
DAY = 24 * HOUR
