"""A clock that only moves when somebody sleeps."""

from __future__ import annotations

import threading


class FakeClock:
    """Monotonic seconds under a test's control."""

    def __init__(self, start: float = 1000.0) -> None:
        self.now = start
        self._turn = threading.Lock()

    def __call__(self) -> float:
        return self.now

    def sleep(self, seconds: float) -> None:
        """Let time pass at once."""
        with self._turn:  # two threads that sleep must not set it back
            self.now += max(seconds, 0.0)
