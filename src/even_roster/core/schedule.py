"""When a subnet is looked at again: intervals with jitter, so that many subnets and many services never move in step. Pure.

Times are UTC ms. A clock that steps back does not stop the schedule: what was done in the future counts as done now.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from enum import StrEnum

MINUTE = 60_000
JITTER = 0.1
FIRST_SCAN = 2 * MINUTE
PUT_OFF = MINUTE


class Due(StrEnum):
    """What can be due: a full scan, a check of known devices, a question for DHCP servers."""

    SCAN = "scan"
    LIGHT = "light check"
    ASK = "DHCP question"


class Schedule:
    """When what is due in one subnet. `last_scan` is 0 when there was none; an `eager` one begins at once; `chance` gives
    numbers from 0 to 1."""

    def __init__(self, now: int, last_scan: int, *, eager: bool, chance: Callable[[], float]) -> None:
        self._chance = chance
        self._last: dict[Due, int] = {Due.SCAN: last_scan, Due.LIGHT: now, Due.ASK: 0}
        self._not_before: dict[Due, int] = dict.fromkeys(Due, 0 if eager else now + MINUTE // 2)
        if not eager and not last_scan:
            self._not_before[Due.SCAN] = now + FIRST_SCAN
        self._stretch = {due: self._jitter() for due in Due}

    def due(self, now: int, every: int, light: int, ask: int) -> list[Due]:
        """What is due, the most important first; intervals in minutes, 0 for never."""
        wanted = {Due.ASK: ask, Due.SCAN: every, Due.LIGHT: light}
        return [due for due, minutes in wanted.items() if minutes and self.next(due, now, minutes) <= now]

    def next(self, due: Due, now: int, minutes: int) -> int:
        """When something is due next."""
        if self._last[due] > now:  # the clock was set back
            self._last[due] = now
        last = self._last[due]
        wanted = last + round(minutes * MINUTE * self._stretch[due]) if last else 0
        return max(wanted, self._not_before[due] if self._not_before[due] <= now + PUT_OFF * 60 else 0)

    def last(self, due: Due) -> int:
        """When it was done last; 0 for never."""
        return self._last[due]

    def done(self, due: Due, now: int) -> None:
        """It was done; a full scan counts as a light check too."""
        self._last[due] = now
        self._stretch[due] = self._jitter()
        if due is Due.SCAN:
            self._last[Due.LIGHT] = now

    def put_off(self, due: Due, now: int) -> None:
        """It could not be done now: try again in a minute."""
        self._not_before[due] = now + PUT_OFF

    def _jitter(self) -> float:
        return 1 + JITTER * (2 * self._chance() - 1)


SOON = 5.0
WATCHFUL_FOR = 120.0
WATCHFUL_EVERY = 10.0
SELDOM = 900.0


class Repeats:
    """Questions that are repeated while something is in question: at once, after 5 and 10 seconds, every 10 seconds for the first
    two minutes (so that what is mended soon is seen soon), then ever more seldom. Times are seconds on a clock that never steps."""

    def __init__(self) -> None:
        self._since: dict[int, float] = {}
        self._next: dict[int, float] = {}
        self._pause: dict[int, float] = {}

    @property
    def due(self) -> float:
        """When `take` gives something next, if nothing new comes up."""
        return min(self._next.values(), default=float("inf"))

    def take(self, keys: Iterable[int], now: float) -> list[int]:
        """What is to be asked now of what is in question; the rest is forgotten."""
        wanted = set(keys)
        for gone in self._next.keys() - wanted:
            del self._since[gone], self._next[gone], self._pause[gone]
        found = []
        for key in sorted(wanted):
            if now < self._next.get(key, now):
                continue
            found.append(key)
            since = self._since.setdefault(key, now)
            pause = min(self._pause.get(key, SOON / 2) * 2, WATCHFUL_EVERY if now - since < WATCHFUL_FOR else SELDOM)
            self._pause[key], self._next[key] = pause, now + pause
        return found
