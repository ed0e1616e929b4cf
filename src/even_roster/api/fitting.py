"""Fittings: bringing new devices in, from the carton to proven in place; and the kinds of devices that the site knows."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .common import DeviceRef, Id, Model, Page, Ref, Time, Word
from .plan import AssignmentKind
from .spreadsheets import CardLine

Comes = Literal["address", "dhcp", "bootp", "unknown"]
CardField = Literal["mode", "address", "mask", "prefix", "gateway", "dns", "name", "domain", "ntp", "vlan", "mac"]
Notation = Literal["colons", "dashes", "dots", "bare"]
FittingStep = Literal["who", "where", "find", "reach", "type", "see", "keep", "record", "done"]


class DeviceKindView(Model):
    """A kind of device: how it comes out of its carton, how its page is reached, what that page asks for. `factory` is its address
    and prefix, `store` what must be done besides typing for settings to last."""

    id: int
    version: int
    name: str
    comes: Comes
    factory: str
    page: str
    reset: str
    store: str
    fields: list[CardField]
    notation: Notation
    role: str
    notes: str
    fitted_count: int


class DeviceKindPage(Page[DeviceKindView]):
    """The kinds that the site knows, by name."""


class DeviceKindNew(Model):
    """A new kind of device."""

    name: str = Field(min_length=1, max_length=80)
    comes: Comes = "unknown"
    factory: str = Field(default="", max_length=40)
    page: str = Field(default="", max_length=200)
    reset: str = Field(default="", max_length=1000)
    store: str = Field(default="", max_length=1000)
    fields: list[CardField] | None = Field(default=None, max_length=20)
    notation: Notation = "colons"
    role: str = Field(default="", max_length=40)
    notes: str = Field(default="", max_length=4000)


class DeviceKindEdit(Model):
    """Change a kind; what is left out stays."""

    name: str | None = Field(default=None, min_length=1, max_length=80)
    comes: Comes | None = None
    factory: str | None = Field(default=None, max_length=40)
    page: str | None = Field(default=None, max_length=200)
    reset: str | None = Field(default=None, max_length=1000)
    store: str | None = Field(default=None, max_length=1000)
    fields: list[CardField] | None = Field(default=None, max_length=20)
    notation: Notation | None = None
    role: str | None = Field(default=None, max_length=40)
    notes: str | None = Field(default=None, max_length=4000)


class KindFile(Model):
    """A library of kinds as one JSON document."""

    text: str = Field(max_length=1_000_000)


class KindsTaken(Model):
    """What taking a library in did."""

    added_count: int
    changed_count: int
    same_count: int


class DeviceKindRef(Model):
    """A kind by id, with its name."""

    id: int
    name: str


class FittingNew(Model):
    """Begin to bring devices in: all of one kind, for one role, in one place of the plan. Addresses are taken at once."""

    macs: list[Word] = Field(min_length=1, max_length=64)
    kind: Ref | None = None
    name: str = Field(default="", max_length=120)
    role: str = Field(default="", max_length=40)
    where: str = Field(default="", max_length=200)
    address: str = Field(default="", max_length=40)
    policy: AssignmentKind | None = None
    anyway: bool = False


class ChangeOverNew(Model):
    """Begin to move a device to another address (`address`, or the best free one in `where`), to put a new box in its place
    (`mac`), or both. What hangs on it is listed first; given up, all is as it was before."""

    device: Ref
    mac: Word = ""
    address: str = Field(default="", max_length=40)
    where: str = Field(default="", max_length=200)
    anyway: bool = False


class SightView(Model):
    """Where a device showed itself, when, and by what: arp, dhcp, bootp, frame, or an answer."""

    adapter: str
    address: str | None
    at: Time
    means: Literal["arp", "dhcp", "bootp", "frame", "answer"]


class StepView(Model):
    """One step of a fitting: passed, what it is at now, still ahead, or not needed for this device; and what is known of it."""

    step: FittingStep
    state: Literal["passed", "now", "ahead", "not needed"]
    said: str


class SettingSeen(Model):
    """One setting of a device as the wire shows it: seen, seen otherwise, or cannot be seen from here."""

    name: str
    wanted: str
    state: Literal["seen", "otherwise", "unseen"]
    said: str


class FittingNote(Model):
    """What was written down: when, at which step, what."""

    at: Time
    step: FittingStep
    said: str


class LentView(Model):
    """An address that this machine's adapter was lent to reach a device; unless it is renewed, it goes by itself at `until`."""

    adapter: str
    address: str
    until: Time


class HandCommand(Model):
    """What a person types on a computer to reach a device in a foreign subnet, and to put that back."""

    system: str
    do: str
    undo: str


class ReachView(Model):
    """How a device is reached that is not in a subnet of ours, or has no address. `lend_refused` and `answer_refused` say why this
    machine cannot help so; `address` and `mask` are what a computer is given meanwhile, `commands` how."""

    lent: LentView | None
    lend_refused: str
    answering: bool
    answer_said: str
    answer_refused: str
    bootp: bool
    address: str | None
    mask: str | None
    commands: list[HandCommand]


class FittedView(Model):
    """One device that is being fitted: who it is, its new address, how far it is, what to do now. `against` is what keeps it from
    passing, `reasons` why nothing comes, the likeliest first; `reach` how
    it is reached where it is not as it is, `remind` what is to be put back; `card` what to type in, in the order in which its
    page asks."""

    id: int
    mac: str
    vendor: str | None
    name: str
    address: str | None
    assignment: int | None
    device: DeviceRef | None
    state: Literal["open", "done", "given up"]
    step: FittingStep
    said: str
    against: str
    reasons: list[str]
    steps: list[StepView]
    heard: SightView | None
    found: SightView | None
    seen: SightView | None
    went_at: Time | None
    kept: SightView | None
    page: str
    reach: ReachView | None
    remind: str
    card: list[CardLine]
    settings: list[SettingSeen]
    written: list[FittingNote]
    closed_at: Time | None


class FittingRow(Model):
    """A fitting in the list: of what, where, by whom, and how many of its devices are done."""

    id: int
    kind: DeviceKindRef | None
    role: str
    where: str
    who: str
    opened_at: Time
    touched_at: Time
    closed_at: Time | None
    names: list[str]
    device_count: int
    done_count: int
    open_count: int


class FittingPage(Page[FittingRow]):
    """Fittings, the latest first."""


class FittingView(FittingRow):
    """A fitting with its devices, each at its own step."""

    devices: list[FittedView]


class GiveUp(Model):
    """Give devices of a fitting up: their addresses are nobody's again. `fitted_ids` are their ids in the fitting; none are all."""

    fitted_ids: list[Id] = Field(default=[], max_length=64)


class FittedChoice(Model):
    """One device of a fitting."""

    fitted_id: Id


class AnswerConsent(Model):
    """Answer what a device asks by DHCP or BOOTP, in the knowledge that a guarded switch may shut our own port for it."""

    fitted_id: Id
    consent: Literal[True]


class Record(Model):
    """Close a device's fitting: what is to be written into the roster of it. `kind` is what this kind of device is called,
    where the site is to remember it."""

    fitted_id: Id
    name: str = Field(default="", max_length=120)
    place: str = Field(default="", max_length=120)
    owner: str = Field(default="", max_length=120)
    notes: str = Field(default="", max_length=4000)
    kind: str = Field(default="", max_length=80)
    anyway: bool = False
