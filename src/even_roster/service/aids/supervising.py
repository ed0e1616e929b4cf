"""Threads that must go on: one that ends by an error is begun again, and that is told in health, metrics and `roster watch`."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass

_log = logging.getLogger(__name__)
PAUSE_SECONDS = 1.0
TOLD_SECONDS = 600.0


@dataclass(slots=True)
class Ended:
    """How often a piece of standing work ended by an error, the last time (steady seconds) and what it said."""

    times: int
    at: float
    said: str


class Supervisor:
    """What befell the standing work of one service, by its name."""

    def __init__(self, steady: Callable[[], float] = time.monotonic) -> None:
        self._steady = steady
        self.ended: dict[str, Ended] = {}

    def note(self, name: str, error: BaseException) -> None:
        """Some standing work ended by an error and is begun again."""
        before = self.ended.get(name)
        said = f"{type(error).__name__}: {error}"
        self.ended[name] = Ended(before.times + 1 if before else 1, self._steady(), said)
        _log.error("%s ended and is begun again", name, exc_info=error)

    @property
    def trouble(self) -> str:
        """What ended lately, as a sentence; empty when nothing did."""
        now = self._steady()
        lately = {name: one for name, one in self.ended.items() if now - one.at <= TOLD_SECONDS}
        return "; ".join(f"{name} ended by an error and was begun again ({one.said})" for name, one in lately.items())

    def start(self, name: str, work: Callable[[], None], over: threading.Event) -> threading.Thread:
        """A thread that does `work` until it returns or `over` is set; where it raises it is begun again after PAUSE_SECONDS."""

        def run() -> None:
            while not over.is_set():
                try:
                    work()
                    return
                except Exception as error:
                    self.note(name, error)
                    over.wait(PAUSE_SECONDS)

        thread = threading.Thread(target=run, name=name, daemon=True)
        thread.start()
        return thread
