"""Chases: finding which cable is where by pulling one and watching which port loses its link."""

from __future__ import annotations

from pydantic import Field

from .common import Id, Model, Page, Ref, Time, Word
from .switches import PortRef, SwitchRef


class ChasedSwitch(Model):
    """A switch that is watched in a chase; `trouble` why it cannot be asked now."""

    switch: SwitchRef
    asked_at: Time | None
    trouble: str


class ChasedDevice(Model):
    """A device of the own links that is asked in a chase, and whether it answers; null: it was not heard yet."""

    name: str
    answers: bool | None


class ChaseTurn(Model):
    """A port that lost or got its link, or a device on the own link that fell silent or answers again: `number` counts them.
    `names` are those who hang or hung there."""

    number: int
    at: Time
    switch: SwitchRef | None
    port: PortRef | None
    up: bool
    names: list[str]
    said: str


class ChaseCable(Model):
    """A cable that is looked for: what it is called, and the port it was found at."""

    number: int
    text: str
    switch: SwitchRef | None
    port: PortRef | None
    found_at: Time | None


class ChaseView(Model):
    """A chase: the switches that it watches, what turned, the latest first, and the cables that are looked for. Without `on`
    nothing is watched; at `until` it ends by itself."""

    id: int
    name: str
    on: bool
    begun_at: Time
    until: Time
    switches: list[ChasedSwitch]
    devices: list[ChasedDevice]
    turns: list[ChaseTurn]
    cables: list[ChaseCable]


class ChasePage(Page[ChaseView]):
    """The chases, the latest first."""


class ChaseNew(Model):
    """Watch some switches, and on the own links some devices, each second; `cables` are those that are looked for, one each."""

    name: str = Field(default="", max_length=60)
    switches: list[Ref] = Field(default=[], max_length=32)
    devices: list[Ref] = Field(default=[], max_length=200)
    cables: list[Word] = Field(default=[], max_length=2000)


class ChaseEdit(Model):
    """Change a chase: switch it on or off, look for more cables. What is left out stays."""

    on: bool | None = None
    cables: list[Word] | None = Field(default=None, max_length=2000)


class ChaseFound(Model):
    """A cable was found at a port (null: not after all); what it is called becomes the port's note."""

    cable: Id
    port: Id | None
