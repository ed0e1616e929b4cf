"""How long to wait for an answer, from the answers so far (RFC 6298 section 2)."""

from __future__ import annotations

FLOOR = 0.4
CEILING = 3.0
INITIAL = 1.0


class WaitingTime:
    """Smoothed reply time and its variation, in seconds.

    FLOOR is kept even on a fast link: a dozing wireless device wakes only for every third beacon or so and answers
    late. INITIAL is the RFC's value before the first measurement, CEILING bounds what one slow host may cost.
    """

    def __init__(self) -> None:
        self._smoothed: float | None = None
        self._variation = 0.0

    def measured(self, seconds: float) -> None:
        """Take one reply time in."""
        if self._smoothed is None:
            self._smoothed, self._variation = seconds, seconds / 2
        else:
            self._variation += (abs(self._smoothed - seconds) - self._variation) / 4
            self._smoothed += (seconds - self._smoothed) / 8

    @property
    def seconds(self) -> float:
        """The time after which an address that did not answer may be asked again."""
        if self._smoothed is None:
            return INITIAL
        return min(max(self._smoothed + 4 * self._variation, FLOOR), CEILING)
