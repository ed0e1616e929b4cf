"""A lock that cannot stop the service: whoever holds one may not ask for another, and the event loop may ask for none.

With these two rules nobody ever waits in a circle, and no answer waits behind a lock. Breaking one is a defect of ours: it raises
at once, everywhere and every time, instead of standing still once a year.
"""

from __future__ import annotations

import asyncio
import threading
from types import TracebackType


class LockMisuse(RuntimeError):
    """A lock was asked for where none may be; the message says which, and what is held."""


_mine = threading.local()


class OneLock:
    """Guards one thing, called `what`; the only lock its thread may hold meanwhile. Keep what is done under it short."""

    __slots__ = ("_lock", "_what")

    def __init__(self, what: str) -> None:
        self._what = what
        self._lock = threading.Lock()

    def __enter__(self) -> None:
        held = getattr(_mine, "held", None)
        if held is not None:
            raise LockMisuse(f"{self._what} is asked for while {held} is held")
        try:
            asyncio.get_running_loop()
        except RuntimeError:
            pass
        else:
            raise LockMisuse(f"{self._what} is asked for on the event loop")
        self._lock.acquire()
        _mine.held = self._what

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:  # fmt: skip
        _mine.held = None
        self._lock.release()
