"""Words that all rules use: whom a MAC belongs to, subjects, and the steps that every finding has."""

from __future__ import annotations

from .. import naming
from ..address import Address, dotted
from ..mac import Mac, MacNumber
from .model import Action, Step, Subject
from .world import World


def called(world: World, mac: MacNumber) -> str:
    """Whom a MAC belongs to, for a sentence."""
    device = world.devices.get(mac)
    planned = next((item.name for item in world.plans_of(mac) if item.name), "")
    name = naming.called(device.name if device else "", planned, ()).name or (device.called if device else "")
    vendor = world.vendor_of(mac)
    return f"{name} ({Mac(mac)})" if name else f"{Mac(mac)} ({vendor})" if vendor else str(Mac(mac))


def at(address: Address) -> Subject:
    """An address as a subject."""
    return Subject("address", dotted(address))


def who(mac: MacNumber) -> Subject:
    """A MAC as a subject."""
    return Subject("mac", str(Mac(mac)))


def accept(label: str = "accept it, with a reason") -> Step:
    """The step that every finding has."""
    return Step(Action.ACCEPT, label)


def card(address: Address) -> Step:
    """The settings to type in."""
    return Step(Action.CARD, f"open the card of {dotted(address)}", (("address", dotted(address)),))
