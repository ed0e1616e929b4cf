"""What a device is called where several names are told, and why. Pure; the one place that decides it.

A name that a hand gave it comes first, then the hostname that it is planned under, then what was heard of it (see `core.names`).
Every other name stands behind it, with who told it.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from .names import Name, best

GIVEN = "given by hand"
PLANNED = "planned hostname"


@dataclass(frozen=True, slots=True)
class Called:
    """The name to show, and why just that one; both are empty where nobody told any."""

    name: str = ""
    because: str = ""


def called(given: str, planned: str, heard: Iterable[Name]) -> Called:
    """What to call a device: its given name, its planned hostname, the names it was heard to bear."""
    if given:
        return Called(given, GIVEN)
    if planned:
        return Called(planned, PLANNED)
    name = best(heard)
    return Called(name.name, f"heard by {name.source.value}") if name is not None else Called()
