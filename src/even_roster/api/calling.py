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
    looks, the latest last: 1 here, 0 silent, -1 unknown."""

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


class CallLinePage(Page[CallLine]):
    """The lines of a roll call in their order, as they stand now."""

    call: RollCallView


class WakeNew(Model):
    """Wake a device. `password` is a SecureOn password of 4 or 6 octets, where its adapter wants one; it is not kept."""

    device: Ref
    password: str = Field(default="", max_length=40, repr=False)


class WakeView(Model):
    """A device that was woken: by which MACs, on which adapters' links, when, and since when it is up."""

    id: int
    device: DeviceRef
    macs: list[str]
    address: str | None
    adapters: list[str]
    sent_at: Time
    up_at: Time | None
    state: Literal["waiting", "up", "silent"]
    said: str


class WakePage(Page[WakeView]):
    """Who was woken since the service started."""
