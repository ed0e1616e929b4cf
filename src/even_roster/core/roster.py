"""What people enter of devices, as values: a device is one record, whether it was planned, seen, leased or all three.

A device owns its adapters (MACs) and its assignments. One that was never seen is expected. What was observed of a device is no
part of this: it stands beside it in the records and is never edited.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from .mac import MacNumber

FIELDS = ("name", "role", "owner", "place", "notes")
"""What a hand may write into a device."""


@dataclass(frozen=True, slots=True)
class Device:
    """One device as people entered it; `created_at` in UTC ms. Its role is stored here and nowhere else."""

    id: int
    name: str = ""
    role: str = ""
    owner: str = ""
    place: str = ""
    notes: str = ""
    retired: bool = False
    created_at: int = 0
    version: int = 1

    @property
    def bare(self) -> bool:
        """True when no hand wrote anything into it; its role comes with the plan."""
        return not (self.name or self.owner or self.place or self.notes)

    @property
    def title(self) -> str:
        """What to call it in a sentence."""
        return f"device {self.id}{f' ({self.name})' if self.name else ''}"


@dataclass(frozen=True, slots=True)
class Adapter:
    """A MAC of a device."""

    id: int
    device: int
    mac: MacNumber
    label: str | None = None


@dataclass(frozen=True, slots=True)
class Known:
    """What the records say of the devices that an edit touches: devices by id, adapters by MAC, the MACs ever seen."""

    devices: Mapping[int, Device]
    adapters: Mapping[int, Adapter]
    seen: frozenset[int] = frozenset()

    def adapters_of(self, device: int) -> list[Adapter]:
        """The adapters of a device, by MAC."""
        return sorted((one for one in self.adapters.values() if one.device == device), key=lambda one: one.mac)


@dataclass(frozen=True, slots=True)
class Case:
    """Two records met and said different things of one device; `said` tells what was shown and where the other stands now."""

    device: int
    kind: str
    said: str


def noted(notes: str, more: Iterable[str]) -> str:
    """Notes with further lines at the end, those that are not there yet."""
    lines = notes.split("\n") if notes else []
    return "\n".join([*lines, *(line for line in dict.fromkeys(more) if line and line not in lines)])
