"""Devices, their history, edits of them, and changes."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from .common import DeviceRef, Id, MacView, Model, NameView, Page, Ref, Text, Time, Word
from .plan import AssignmentRow
from .words import DeviceSort as DeviceSort


class DeviceRow(Model):
    """One device as lists show it.

    `called` is the name to show and `called_because` why: given by hand, planned hostname, heard; `name` is what people gave it,
    `seen_name` what it is called in the plan or was heard to be; `adapter_count` counts adapters. One that is `expected` was never
    seen; its address is the planned one.
    """

    id: int
    version: int
    name: str
    seen_name: str
    called: str
    called_because: str
    role: str
    owner: str
    place: str
    notes: str
    address: str | None
    mac: str | None
    adapter_count: int
    vendor: str | None
    local: bool
    ports: list[int]
    web: str | None
    first_seen: Time | None
    last_seen: Time | None
    heard_at: Time | None
    expected: bool
    retired: bool


class DevicePage(Page[DeviceRow]):
    """Devices, a page at a time; `total` counts all that match."""


class AdapterRow(MacView):
    """One adapter of a device; without times it was never seen. `heard_at` is when it was overheard last: anybody can send in its
    name, so that is no sign that it is there."""

    first_seen: Time | None
    last_seen: Time | None
    heard_at: Time | None


class StayRow(Model):
    """A stretch in which a MAC answered at an address again and again, never more than `widest_gap` seconds apart (None: not
    known, of old records). `silent_since` is when it was first asked without an answer afterwards, `ended` says in words why it is
    taken to be gone; both are empty while nothing speaks against it. `heard_at` is when it was overheard last there, beside its
    answers. `device` is its holder now."""

    address: str
    mac: str | None
    vendor: str | None
    first_seen: Time
    last_seen: Time
    count: int
    sources: list[str]
    device: DeviceRef | None
    widest_gap: int | None
    silent_since: Time | None
    ended: str
    heard_at: Time | None


class NameStay(NameView):
    """How long a name was heard for an address."""

    address: str
    first_seen: Time
    last_seen: Time


class ChangeRow(Model):
    """One recorded edit."""

    id: int
    at: Time
    who: str
    action: str
    kind: str
    item: str
    before: Any
    after: Any
    undoes: int | None
    taken_back_by: int | None


class ChangePage(Page[ChangeRow]):
    """Recorded edits, the latest first."""


class UndoRequest(Model):
    """Take edits back: all of them or none; at most so many as the service's settings have it."""

    change_ids: list[Id] = Field(min_length=1, max_length=10_000)


class JoinHint(Model):
    """Devices that bear one name and may be one."""

    name: str
    reason: str
    devices: list[DeviceRef]


class ReviewCase(Model):
    """Something to look at: two records of one device said different things (`kind` name or role; `id` takes it off the list), or
    an expected device without a MAC may be the one that was seen at its address (`kind` is-it; joining with `other` says so)."""

    id: int | None
    kind: Literal["name", "role", "is-it"]
    device: DeviceRef
    said: str
    at: Time
    other: DeviceRef | None = None


class ReviewPage(Page[ReviewCase]):
    """Cases to look at."""


class DeviceSheet(Model):
    """Everything about one device; `wake_password` where a SecureOn password is kept for one of its adapters."""

    device: DeviceRow
    adapters: list[AdapterRow]
    assignments: list[AssignmentRow]
    reviews: list[ReviewCase]
    names: list[NameStay]
    stays: list[StayRow]
    changes: list[ChangeRow]
    hints: list[JoinHint]
    wake_password: bool


class DeviceEdit(Model):
    """New values for some fields; left-out ones stay.
    With `with_hostname` a new name
    becomes the planned hostname of its assignments too."""

    name: Word | None = None
    role: Word | None = None
    owner: Word | None = None
    place: Word | None = None
    notes: Text | None = None
    with_hostname: bool = False


class DeviceNew(Model):
    """A device that is expected: a name, a MAC, or both."""

    name: Word = ""
    mac: Word | None = None
    role: Word = ""
    owner: Word = ""
    place: Word = ""
    notes: Text = ""


class Replacement(Model):
    """New hardware of a device: its MAC; `old` says which of several was replaced."""

    mac: Word
    old: Word | None = None


class BulkItem(Model):
    """A device of a bulk edit and the version it is based on."""

    id: Ref
    version: Id | None = None


class BulkEdit(Model):
    """The same values for several devices: all or none; at most so many as the service's settings have it."""

    devices: list[BulkItem] = Field(min_length=1, max_length=100_000)
    role: Word | None = None
    owner: Word | None = None
    place: Word | None = None


class BulkDone(Model):
    """How many devices a bulk edit set."""

    changed: int


class Retirement(Model):
    """Whether a device is out of the lists; with `release` its addresses are nobody's any more."""

    retired: bool = True
    release: bool = False


class Join(Model):
    """Other devices whose adapters belong to this one."""

    devices: list[Ref] = Field(min_length=1, max_length=64)


class Split(Model):
    """Adapters that are a device of their own."""

    macs: list[Word] = Field(min_length=1, max_length=64)


class Found(Model):
    """One thing that was found: what it is, where it opens, and which of its texts matched."""

    kind: Literal["device", "address", "range", "port"]
    title: str
    detail: str
    matched: str
    link: str
    web: str | None = None
    device: DeviceRow | None = None


class FindAnswer(Page[Found]):
    """The best matches first, as many as were asked for; `more` tells that there are others, which a longer text would part."""

    text: str
    more: bool
