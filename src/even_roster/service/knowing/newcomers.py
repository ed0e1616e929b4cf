"""MACs that were only heard. Traffic alone, which anybody can forge, makes no device: one arises by answering a question of ours,
by a lease of a server that is read, by a scan, or by a hand.

Whoever was only heard stands in a bounded, visible list and is asked about. How many become devices by answering such questions is
bounded an hour and link; what was held back is counted and told. Times are UTC ms.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ...core.address import Address
from ...core.mac import MacNumber
from ...core.stays import Sighting
from ...store.one_lock import OneLock

MOST_KEPT = 512
HOUR = 3_600_000


@dataclass(slots=True)
class HeardOnly:
    """One MAC that was heard on an adapter's link and has not answered a question."""

    adapter: str
    mac: MacNumber
    address: Address
    first: int
    last: int


class Newcomers:
    """The list of one service. `most` gives how many new devices an hour and link the wire may bring."""

    def __init__(self, most: Callable[[], int]) -> None:
        self._most = most
        self._lock = OneLock("the list of who was only heard")
        self._heard: dict[tuple[str, int], HeardOnly] = {}
        self._admitted: dict[str, list[int]] = {}
        self._held_back: dict[str, int] = {}

    def heard(self, adapter: str, sightings: list[Sighting]) -> None:
        """These were heard; the oldest are forgotten beyond MOST_KEPT."""
        with self._lock:
            for one in sightings:
                if one.mac is None:
                    continue
                key = adapter, one.mac
                known = self._heard.pop(key, None)
                self._heard[key] = HeardOnly(adapter, one.mac, one.address, known.first if known else one.at, one.at)
            while len(self._heard) > MOST_KEPT:
                del self._heard[next(iter(self._heard))]

    def admitted(self, adapter: str, macs: list[MacNumber], now: int) -> set[int]:
        """Those of some MACs that answered which may become devices now; the others are counted as held back."""
        most = self._most()
        with self._lock:
            lately = [at for at in self._admitted.get(adapter, []) if 0 <= now - at < HOUR]
            allowed = macs[: max(most - len(lately), 0)]
            self._admitted[adapter] = [*lately, *(now for _ in allowed)]
            self._held_back[adapter] = self._held_back.get(adapter, 0) + len(macs) - len(allowed)
            for mac in allowed:
                self._heard.pop((adapter, mac), None)
            return set(allowed)

    def listed(self, adapter: str) -> list[HeardOnly]:
        """Who was only heard on a link, the latest first."""
        with self._lock:
            return [one for one in reversed(self._heard.values()) if one.adapter == adapter]

    def held_back(self, adapter: str) -> int:
        """How many answered on a link and were not made devices, since the service began."""
        return self._held_back.get(adapter, 0)
