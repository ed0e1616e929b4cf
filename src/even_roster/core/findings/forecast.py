"""When a pool will be full, from its daily peaks: a straight line by least squares. Pure."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from .model import DAY

FEWEST_DAYS = 7


@dataclass(frozen=True, slots=True)
class PoolUse:
    """How full a pool was: at a time (UTC ms), `used` of `size` addresses."""

    at: int
    used: int
    size: int


def daily_peaks(history: Sequence[PoolUse]) -> list[tuple[int, int]]:
    """The highest use of each UTC day: (day number, used)."""
    peaks: dict[int, int] = {}
    for one in history:
        day = one.at // DAY
        peaks[day] = max(one.used, peaks.get(day, 0))
    return sorted(peaks.items())


def days_until_full(history: Sequence[PoolUse], now: int) -> float | None:
    """Days from now until the line through the daily peaks reaches the size; None when it does not rise or there are
    fewer than FEWEST_DAYS days to judge by."""
    peaks = daily_peaks(history)
    if len(peaks) < FEWEST_DAYS or not history:
        return None
    size = history[-1].size
    mean_day = sum(day for day, _ in peaks) / len(peaks)
    mean_used = sum(used for _, used in peaks) / len(peaks)
    spread = sum((day - mean_day) ** 2 for day, _ in peaks)
    slope = sum((day - mean_day) * (used - mean_used) for day, used in peaks) / spread
    if slope <= 0.05:
        return None
    full_on = mean_day + (size - mean_used) / slope
    return max(full_on - now / DAY, 0.0)
