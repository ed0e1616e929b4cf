"""Finds a port by its switch and what that calls it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from .common import missing

if TYPE_CHECKING:
    from ..client import KeptPort
    from .connection import Service


def pick_port(roster: Service, switch: str, port: str) -> KeptPort:
    """A port of a switch by what the switch calls it. Raises NotFound."""
    found = list(roster.ports(switch))
    for one in found:
        if port.casefold() == one.name.casefold():
            return one
    names = ", ".join(one.name for one in found[:12])
    raise missing(f"{switch} has no port {port!r}; its ports are {names}{' …' if len(found) > 12 else ''}")
