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


class Silent(Model):
    """How often in a row a MAC was asked for at an address without an answer, in looks in which a control answered: from when to
    when, and its answers on both sides (`answered_after` null: none yet). `ended` says why it was taken to be gone; empty: it was
    not."""

    address: str
    mac: str | None
    silent_from: Time
    silent_until: Time
    count: int
    answered_before: Time
    answered_after: Time | None
    ended: str


class HeardAs(Model):
    """A MAC was heard as an address and has not answered there since: any device on the link can send that."""

    address: str
    mac: str
    first_seen: Time
    last_seen: Time
    count: int


class Deaf(Model):
    """A stretch of time in which nothing could be learnt, and why; `until` is null while it goes on, `adapter` empty for all."""

    adapter: str
    since: Time
    until: Time | None
    said: str


class History(Model):
    """Everything about a subject between two times, the latest first: of an address, MAC or name its `stays`, when it was asked
    without an answer (the latest hundred) and who was only heard, of a subnet what `happened` in it; of each when nothing could be
    learnt. `more` tells that the limit cut it short."""

    subject: str
    kind: Literal["address", "mac", "name", "subnet"]
    since: Time | None
    until: Time
    stays: list[StayRow]
    names: list[NameStay]
    happened: list[Happened]
    silences: list[Silent]
    heard_only: list[HeardAs]
    deaf: list[Deaf]
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


class KnownThen(Model):
    """What is known of a MAC at an address at a moment: `held` between two answers that lie close together, `probably` held where
    it answered before and nothing is known against it, `silent` when it was asked then, or `unknown`. `answered_before` and
    `answered_after` are its nearest answers, `apart` how many seconds its answers around then lie apart at most where only that is
    known, `silent_from` and `silent_until` when it was asked without an answer around or before then."""

    address: str
    mac: str | None
    device: DeviceRef | None
    known: Literal["held", "probably", "unknown", "silent"]
    answered_before: Time | None
    answered_after: Time | None
    apart: int | None
    silent_from: Time | None
    silent_until: Time | None
    said: str


class Moment(Model):
    """What is known of a moment, and what the plan said then. `stays` are of those that were there or probably were, `known` is
    what that stands on, of an address also where that is unknown. Without anybody, `stay_before` and `stay_after` are the
    nearest stays on either side; of a subnet `planned` is left out and only counted in a sentence."""

    subject: str
    kind: Literal["address", "mac", "name", "subnet"]
    at: Time
    sentences: list[str]
    stays: list[StayRow]
    known: list[KnownThen]
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
