"""What was true when: stays and names within a time, at a moment, and the events of a subnet."""

from __future__ import annotations

from typing import Literal

from .common import BandRef, DeviceRef, Model, SubnetRef, Time
from .devices import NameStay, StayRow
from .findings import TurnView
from .plan import AssignmentKind


class Happened(Model):
    """Somebody came to an address or was seen there for the last time."""

    at: Time
    what: Literal["came", "last seen"]
    address: str
    mac: str | None
    device: DeviceRef | None


class History(Model):
    """Everything about a subject between two times, the latest first: of an address, MAC or name its `stays`, of a subnet
    what `happened` in it. `more` tells that the limit cut it short."""

    subject: str
    kind: Literal["address", "mac", "name", "subnet"]
    since: Time | None
    until: Time
    stays: list[StayRow]
    names: list[NameStay]
    happened: list[Happened]
    turns: list[TurnView]
    more: bool


class PlannedThen(Model):
    """An address as the plan had it at a moment: for whom, and the band it lay in."""

    address: str
    kind: AssignmentKind
    on: bool
    mac: str | None
    name: str
    role: str
    subnet: SubnetRef
    band: BandRef | None


class Moment(Model):
    """Who was there at a moment, and what the plan said then. Without anybody, `stay_before` and `stay_after` are the nearest stays
    on either side; of a subnet `planned` is left out and only counted in a sentence."""

    subject: str
    kind: Literal["address", "mac", "name", "subnet"]
    at: Time
    sentences: list[str]
    stays: list[StayRow]
    planned: list[PlannedThen]
    stay_before: StayRow | None
    stay_after: StayRow | None


class HistorySpan(Model):
    """How far the records reach back; `begun` counts the stays that began in equal parts of that time."""

    subject: str
    since: Time | None
    until: Time
    begun: list[int]


class Check(Model):
    """One thing that was checked: what, what it found, and whether that is well."""

    what: str
    found: str
    state: Literal["well", "bad", "open"]


class Why(Model):
    """Why an address is silent: the verdict, what was checked in order of likelihood, what only a person can check."""

    address: str
    answers: bool
    verdict: str
    checks: list[Check]
    by_hand: list[str]
