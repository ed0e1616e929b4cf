"""Switching a port off and on, or its power over Ethernet."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .common import Model, Page, Ref, Time
from .switches import CredentialRef, KeptBehind, PortRef, SwitchRef

What = Literal["link", "power"]
To = Literal["off", "on"]
OrderState = Literal["given", "done", "off for now", "back", "failed"]


class PortSwitching(Model):
    """What is to be known before a port is switched: who hangs there, the name to type, why it may not be switched off (nothing: it
    may), the way from this service to its switch, and what to bear in mind."""

    switch: SwitchRef
    port: PortRef
    said: str
    on: bool
    power: bool
    behind: list[KeptBehind]
    ask_for: str
    refusals: list[str]
    way: list[str]
    warnings: list[str]
    credentials: list[CredentialRef]


class PortOrderNew(Model):
    """Switch a port, or its power, off or on: by a credential with write access, picked for this order. `name` is what
    `PortSwitching.ask_for` asks for. With `for_seconds` it comes back by itself. `weak` consents to a credential that does not
    encrypt. `my_device` says where whoever orders it sits, besides the address that the order comes from: an address, a MAC,
    SWITCH:PORT, `here` at the service's machine itself, or `unknown`."""

    what: What = "link"
    to: To
    credential: Ref
    name: str = Field(default="", max_length=200)
    for_seconds: int | None = Field(default=None, ge=5, le=86_400)
    weak: bool = False
    my_device: str = Field(default="", max_length=200)


class PortOrderView(Model):
    """An order: by whom, when, until when it is off for now, and how it stands. `said` tells it in a sentence."""

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


class PortOrderPage(Page[PortOrderView]):
    """The orders to switch ports, the latest first."""
