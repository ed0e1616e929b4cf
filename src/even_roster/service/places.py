"""Where the service stands: the network it knows, or another one that only looks alike (a technician's copy on a laptop).

What decides is in `core.place`; here the verdicts are kept, per adapter.
"""

from __future__ import annotations

from dataclasses import dataclass

from ..core.place import Verdict


@dataclass(frozen=True, slots=True)
class Place:
    """What is known of one adapter's link: the verdict, the sentence for it, the gateway's MAC there."""

    verdict: Verdict
    said: str
    gateway_mac: int | None = None


class Places:
    """The places of all adapters. Unknown ones count as the known network."""

    def __init__(self) -> None:
        self._places: dict[str, Place] = {}

    def of(self, adapter: str) -> Place:
        """Where an adapter stands."""
        return self._places.get(adapter, Place(Verdict.UNKNOWN, "not looked at yet"))

    def put(self, adapter: str, place: Place) -> bool:
        """Keep a verdict; True when it is another one than before."""
        before = self._places.get(adapter)
        self._places[adapter] = place
        return before is None or before.verdict is not place.verdict

    def elsewhere(self, adapter: str) -> bool:
        """True when an adapter stands on another network."""
        return self.of(adapter).verdict is Verdict.ELSEWHERE
