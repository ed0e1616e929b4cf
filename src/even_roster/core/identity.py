"""Which adapters belong to one device. Pure.

A MAC seen for the first time is a device of its own. People join devices (a laptop's wired and wireless adapters)
and split them again; here it is only suggested, when names agree. Nothing is ever joined by itself: two devices
that share a hostname may as well be a mistake to be found.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

from .address import Address
from .text import host_key

MOST_IN_A_GROUP = 4
_EVERYONES = {"localhost", "unknown", "default", "android", "host"}


@dataclass(frozen=True, slots=True)
class Known:
    """What identity looks at: a device, the names it was heard to bear, the addresses it holds now."""

    device: int
    names: frozenset[str]
    addresses: frozenset[Address]


@dataclass(frozen=True, slots=True)
class JoinSuggestion:
    """These devices bear one name; `reason` says why they might be one device, in a sentence."""

    devices: tuple[int, ...]
    name: str
    reason: str


def suggest_joins(devices: Iterable[Known]) -> list[JoinSuggestion]:
    """Groups of two to MOST_IN_A_GROUP devices that share a hostname, by name."""
    groups: dict[str, list[Known]] = defaultdict(list)
    for device in devices:
        for key in {host_key(name) for name in device.names} - _EVERYONES - {""}:
            groups[key].append(device)
    suggestions = []
    for key in sorted(groups):
        group = groups[key]
        if not 2 <= len(group) <= MOST_IN_A_GROUP:
            continue
        shared = frozenset.intersection(*(device.addresses for device in group))
        how = "and claim one address" if shared else "at different addresses"
        reason = f"{len(group)} devices call themselves {key!r} {how}: adapters of one device, or a name given twice"
        suggestions.append(JoinSuggestion(tuple(sorted(device.device for device in group)), key, reason))
    return suggestions
