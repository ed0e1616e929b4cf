"""How fast somebody answered, hour by hour: every look of an hour folded into one tally, so that weeks of looks every few seconds
stay small. Pure; hours are counted from 1970 in UTC, times are microseconds."""

from __future__ import annotations

from dataclasses import dataclass

HOUR_MS = 3600 * 1000
KEPT_HOURS = 31 * 24
SHOWN_HOURS = 24


def hour_of(at: int) -> int:
    """The hour of a time, UTC ms."""
    return at // HOUR_MS


@dataclass(slots=True)
class Tally:
    """The looks of one hour that told whether somebody is there: how many, in how many it was, and the reply times that were
    certain."""

    looks: int = 0
    here: int = 0
    timed: int = 0
    least: int = 0
    total: int = 0
    most: int = 0

    def looked(self, here: bool, seconds: float | None) -> None:
        """One look; after how many seconds it answered, where that is certain."""
        self.looks += 1
        self.here += here
        if here and seconds is not None:
            took = round(seconds * 1e6)
            self.add(Tally(timed=1, least=took, total=took, most=took))

    def add(self, other: Tally) -> None:
        """The looks of another tally besides."""
        self.looks, self.here = self.looks + other.looks, self.here + other.here
        if other.timed:
            self.least = min(self.least, other.least) if self.timed else other.least
            self.most = max(self.most, other.most)
            self.timed, self.total = self.timed + other.timed, self.total + other.total

    @property
    def mean(self) -> float | None:
        """The mean reply time, None where none is certain."""
        return self.total / self.timed if self.timed else None
