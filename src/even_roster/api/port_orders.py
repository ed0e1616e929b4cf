"""Switching a port off and on, or its power over Ethernet."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from .common import Model, Page, Ref, Time
from .switches import CredentialRef, KeptBehind, PortRef, SwitchRef

What = Literal["link", "power"]
To = Literal["off", "on"]
OrderState = Literal["given", "sent", "done", "off for now", "back", "failed", "not known"]


class Ground(Model):
    """A thing that is known, in a sentence, and when it was told or since when it is so."""

    said: str
    at: Time


class PortSwitching(Model):
    """What is to be known before a port is switched: which devices are connected, the name to type, why it may not be switched off
    (nothing: it may; then `grounds` is on what that stands), the way from this service to its switch, and what to bear in mind.
    `unverified` is what others can have forged, or nobody has entered: an order consents to it sentence
    by sentence; `power_unverified` is what comes to that where the power is switched."""

    switch: SwitchRef
    port: PortRef
    said: str
    on: bool
    power: bool
    behind: list[KeptBehind]
    ask_for: str
    refusals: list[str]
    grounds: list[Ground]
    unverified: list[str]
    power_unverified: list[str]
    way: list[str]
    warnings: list[str]
    credentials: list[CredentialRef]


class PortOrderNew(Model):
    """Switch a port, or its power, off or on: by a credential with write access, picked for this order. `name` is what
    `PortSwitching.ask_for` asks for. With `for_seconds` it comes back by itself. `weak` consents to a credential that does not
    encrypt, `consents` are the sentences of `PortSwitching.unverified` that were seen and are consented to. `my_device` says where
    whoever orders it sits, besides the address that the order comes from: an address, a MAC, SWITCH:PORT, `here` at the service's
    machine itself, or `unknown`."""

    what: What = "link"
    to: To
    credential: Ref
    name: str = Field(default="", max_length=200)
    for_seconds: int | None = Field(default=None, ge=5, le=86_400)
    weak: bool = False
    consents: list[Annotated[str, Field(max_length=2_000)]] = Field(default_factory=list, max_length=100)
    my_device: str = Field(default="", max_length=200)


class PortOrderView(Model):
    """An order: by whom, when, until when it is off for now, and how it stands since `said_at`; `said` tells it in a sentence.
    `sent`: its switch has not answered yet. `consents` is what was not verified, as whoever gave it was told. `stands` is
    what the switch said of the port's link in its latest reading (`read_at`)."""

    id: int
    switch: SwitchRef
    port: PortRef
    what: What
    to: To
    who: str
    at: Time
    until: Time | None
    state: OrderState
    said: str
    said_at: Time | None
    consents: list[str]
    stands: Literal["on", "off", "not known"]
    read_at: Time | None


class PortOrderPage(Page[PortOrderView]):
    """The orders to switch ports, the latest first."""
