"""Keeps a pace: so many sends a second, spread evenly, with small catch-ups and never a burst. No clock of its own."""

from __future__ import annotations

MOST_AT_ONCE = 48
TICK = 0.002
_SLACK = 0.018
_ROUNDING = 1e-6


class Pacer:
    """Grants sends along a straight line of `pace` a second.

    What a stall of the machine made late is caught up to 1.8 % of a second's worth, in portions of at most
    MOST_AT_ONCE per tick; what was late beyond that is lost rather than sent in a burst. So any full second
    stays within 2 % above the pace, and below it only by the length of longer stalls.
    """

    def __init__(self, pace: float) -> None:
        if pace <= 0:
            raise ValueError("a pace is above zero")
        self.pace = pace
        self._origin: float | None = None
        self._granted = 0
        self._next_tick = 0.0

    def room(self, now: float) -> int:
        """How many sends may be made at this moment."""
        if self._origin is None:
            self._origin, self._granted = now, -1
        if now < self._next_tick:
            return 0
        owed = (now - self._origin) * self.pace - self._granted
        most_late = max(1.0, self.pace * _SLACK)
        if owed > most_late + 1:
            self._origin += (owed - most_late - 1) / self.pace
            owed = most_late + 1
        return min(int(owed + _ROUNDING), MOST_AT_ONCE)

    def spent(self, sends: int, now: float) -> None:
        """Tell how many of the granted sends were used."""
        self._granted += sends
        self._next_tick = now + TICK

    def idle(self) -> None:
        """Nothing was there to send: start a new line next time, so that no credit gathers."""
        self._origin = None
        self._next_tick = 0.0

    def wait(self, now: float) -> float:
        """Seconds until the next send is granted."""
        if self._origin is None:
            return 0.0
        due = self._origin + (self._granted + 1) / self.pace
        return max(due - now, self._next_tick - now, _ROUNDING)
