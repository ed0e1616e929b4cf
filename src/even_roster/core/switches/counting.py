"""What counters grew by between two readings. Pure.

Counters of 64 bits do not wrap between readings; those of 32 bits do (RFC 2863 3.1.6). One that is less than before has wrapped, or
its agent started anew: then nothing is claimed of the time between.
"""

from __future__ import annotations

from .reading import Counted

FIELDS = ("octets_in", "octets_out", "errors_in", "errors_out", "packets_in", "packets_out")
DAY_MS = 24 * 3600 * 1000
_WRAP = 1 << 32
_FASTEST = 100_000_000_000 // 8
"""Octets a second of the fastest port there is here: more than that nothing grows."""


def stored(counted: Counted) -> list[int]:
    """As a column holds them."""
    return [getattr(counted, name) for name in FIELDS]


def grown(before: Counted, now: Counted, at_before: int, at: int) -> Counted | None:
    """The growth of each counter; None where the agent started anew or too much time lies between."""
    seconds = (at - at_before) / 1000
    if seconds <= 0 or at - at_before > 7 * DAY_MS:
        return None
    found = {}
    for name in FIELDS:
        value, was = getattr(now, name), getattr(before, name)
        more = value - was
        if more < 0 and was < _WRAP:
            more += _WRAP
        if more < 0 or more > _FASTEST * seconds:
            return None
        found[name] = more
    return Counted(**found)
