"""How long a test waits for what must come: far longer than it takes, so that a busy machine fails nothing."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TypeVar

PATIENCE = 240.0

T = TypeVar("T")


def until(look: Callable[[], T], said: str, pause: float = 0.05) -> T:
    """Look again and again until there is something; gives it. Fails with `said` after PATIENCE seconds."""
    end = time.monotonic() + PATIENCE
    while not (found := look()):
        if time.monotonic() > end:
            raise AssertionError(f"{said} (waited {PATIENCE:.0f} s)")
        time.sleep(pause)
    return found
