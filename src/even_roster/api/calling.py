"""Roll calls: standing lists of whom to look for again and again."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .common import DeviceRef, Model, Page, Ref, Time

CallState = Literal["here", "silent", "unknown"]


class RollCallView(Model):
    """A roll call and how its lines stand, in numbers. `text` are its lines as one writes them: address, name, note."""

    id: int
    version: int
    name: str
    every_seconds: int
    warn_minutes: int
    quiet_first: str | None
    quiet_last: str | None
    text: str
    line_count: int
    here_count: int
    silent_count: int
    unknown_count: int
    asking: bool
    asked_at: Time | None


class RollCallPage(Page[RollCallView]):
    """Every roll call, by name."""


class RollCallNew(Model):
    """A new roll call. Each line of `text` is an address, a MAC or a device, then a name and a note, with commas between.
    After `warn_minutes` of absence a finding tells of it (0: none does), never within the hours of `quiet`."""

    name: str = Field(min_length=1, max_length=60)
    every_seconds: int = Field(default=30, ge=5, le=86_400)
    text: str = Field(default="", max_length=1_000_000)
    warn_minutes: int = Field(default=0, ge=0, le=100_000)
    quiet: str = Field(default="", max_length=40)


class RollCallEdit(Model):
    """Change a roll call; what is left out stays."""

    name: str | None = Field(default=None, min_length=1, max_length=60)
    every_seconds: int | None = Field(default=None, ge=5, le=86_400)
    text: str | None = Field(default=None, max_length=1_000_000)
    warn_minutes: int | None = Field(default=None, ge=0, le=100_000)
    quiet: str | None = Field(default=None, max_length=40)


class CallLine(Model):
    """How one line of a roll call stands: `here`, `silent`, or `unknown` where nobody can say; `said` is why. `course` are the last
    looks, the latest last: 1 here, 0 silent, -1 unknown. `reply_ms` is how fast it answered in the last look, `reply_hours` the
    mean of each of the last 24 hours, the latest last; null where no reply time is certain."""

    subject: str
    name: str
    notes: str
    device: DeviceRef | None
    address: str | None
    state: CallState
    since: Time | None
    last_seen: Time | None
    said: str
    course: list[int]
    day_share: float | None
    week_share: float | None
    month_share: float | None
    day_known: float
    week_known: float
    month_known: float
    reply_ms: float | None
    reply_hours: list[float | None]
    asking: bool


class CallLinePage(Page[CallLine]):
    """The lines of a roll call in their order, as they stand now."""

    call: RollCallView


class ReplyHour(Model):
    """The looks of one hour for an address: how many told whether somebody is there, in how many it was, and the reply times in
    milliseconds that are certain; null where none is."""

    at: Time
    look_count: int
    here_count: int
    least_ms: float | None
    mean_ms: float | None
    most_ms: float | None


class ReplyTimesView(Model):
    """How fast an address answered roll calls, hour by hour; hours without a look are left out. They are kept for 31 days."""

    address: str
    hours: list[ReplyHour]


class WakeNew(Model):
    """Wake a device. `password` is a SecureOn password of 4 or 6 octets, where its adapter wants one; empty: the one that is kept,
    if any."""

    device: Ref
    password: str = Field(default="", max_length=40, repr=False)


class WakePassword(Model):
    """The SecureOn password of a device's adapters: 4 or 6 octets, in hexadecimal or dotted; empty: none any more. It is kept
    encrypted and never shown."""

    password: str = Field(max_length=40, repr=False)


class WakeView(Model):
    """A device that was woken: by which MACs, on which adapters' links, when, and since when it is up; `secured` with a
    SecureOn password."""

    id: int
    device: DeviceRef
    macs: list[str]
    address: str | None
    adapters: list[str]
    sent_at: Time
    up_at: Time | None
    state: Literal["waiting", "up", "silent"]
    said: str
    secured: bool


class WakePage(Page[WakeView]):
    """Who was woken since the service started."""
