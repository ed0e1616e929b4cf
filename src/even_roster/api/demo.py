"""What a person does at the simulated site: unpack devices, give them power, type settings into their pages."""

from __future__ import annotations

from pydantic import Field

from .common import Model, Page


class CartonView(Model):
    """A device of the simulated site that came in a carton: what it is, whether it has power, its address now, and whether its page
    can be opened. `forgets` says that settings are gone at a power cut unless they are stored."""

    label: str
    what: str
    mac: str
    where: str
    powered: bool
    address: str | None
    open: bool
    forgets: bool


class CartonPage(Page[CartonView]):
    """The cartons of the simulated site."""


class PowerSet(Model):
    """Plug a device in, or pull its plug."""

    on: bool


class TypedIn(Model):
    """Settings typed into a device's page; `store` presses its button for that, where it has one."""

    address: str = Field(min_length=7, max_length=40)
    mask: str = Field(default="255.255.255.0", max_length=40)
    gateway: str = Field(default="", max_length=40)
    name: str = Field(default="", max_length=120)
    store: bool = False


class LeadView(Model):
    """A cable of the simulated site: what is at its other end, and where this end is plugged in; null: it hangs free."""

    called: str
    to_switch: bool
    switch: str | None
    port: int | None


class LeadPage(Page[LeadView]):
    """The cables of the simulated site; of those between switches each end is one."""


class LeadPull(Model):
    """Pull what is plugged into a port."""

    switch: str = Field(max_length=120)
    port: int = Field(ge=1, le=10_000)


class LeadPlug(LeadPull):
    """Plug the free end of a cable into a port; `called` is what is at its other end."""

    called: str = Field(max_length=200)
