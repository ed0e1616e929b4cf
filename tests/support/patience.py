"""How long a test waits for what must come: far longer than it takes, so that a busy machine fails nothing.

One patience for all tests, in Python and in the console. It follows the machine: a fixed piece of work is timed when the tests start,
and everybody waits `FACTOR` times as long.
"""

from __future__ import annotations

import hashlib
import os
import time
from collections.abc import Callable
from typing import TypeVar

VARIABLE = "EVEN_ROSTER_TEST_PATIENCE"
"""The environment variable by which the runner hands the seconds to all processes, those of Node.js too."""
WORK_ROUNDS = 20
FACTOR = 3000
LEAST_SECONDS, MOST_SECONDS = 240.0, 900.0
PAUSE_GROWS, LONGEST_PAUSE = 1.2, 0.5
"""Between two looks a wait takes a little longer each time: what takes long is not asked ten times a second, by a test that takes the
processor from those it waits for."""

T = TypeVar("T")


def measured() -> float:
    """Seconds of patience on this machine as it is now: the wall time of a fixed piece of work, times FACTOR."""
    block = bytes(1 << 20)
    began = time.monotonic()
    for _ in range(WORK_ROUNDS):
        hashlib.sha256(block).digest()
    return min(max(LEAST_SECONDS, FACTOR * (time.monotonic() - began)), MOST_SECONDS)


PATIENCE = float(os.environ.get(VARIABLE, 0)) or measured()
os.environ[VARIABLE] = str(PATIENCE)


def until(look: Callable[[], T], said: str | Callable[[], str], pause: float = 0.05) -> T:
    """Look again and again until there is something; gives it. Fails with `said`, or what it tells, after PATIENCE seconds."""
    end = time.monotonic() + PATIENCE
    while not (found := look()):
        if time.monotonic() > end:
            raise AssertionError(f"{said if isinstance(said, str) else said()} (waited {PATIENCE:.0f} s)")
        time.sleep(pause)
        pause = max(pause, min(pause * PAUSE_GROWS, LONGEST_PAUSE))
    return found
