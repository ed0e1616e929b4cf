"""What the service does not keep up with: told by looking from outside at what works, never by what may hang. It takes no lock and
waits for nothing."""

from __future__ import annotations

import time
from collections.abc import Callable

from ..context import Context, now_ms
from ..watching.listening import Listening

LATELY_MS = 10_000
LONG_SECONDS = 1.0
STUCK_SECONDS = 3.0


class Strain:
    """`steady` gives seconds that never step."""

    def __init__(self, context: Context, listening: Listening, steady: Callable[[], float] = time.monotonic) -> None:
        self._context, self._listening, self._steady = context, listening, steady

    @property
    def trouble(self) -> str:
        """What is not kept up with now, in words; empty for nothing."""
        return "; ".join(filter(None, (self._rules(), self._intake(), self._frames(), self._questions())))

    def _rules(self) -> str:
        since = self._context.findings.working_since
        spent = self._steady() - since if since is not None else 0.0
        return f"the rules have been at one piece of work for {spent:.0f} seconds" if spent > LONG_SECONDS else ""

    def _intake(self) -> str:
        since = self._listening.taking_since
        spent = self._steady() - since if since is not None else 0.0
        return f"what is heard has not been taken in for {spent:.0f} seconds" if spent > STUCK_SECONDS else ""

    def _frames(self) -> str:
        now = now_ms()
        names = [
            name
            for name, heard in list(self._listening.heard.items())
            if heard.storm_at is not None and 0 <= now - heard.storm_at < LATELY_MS
        ]
        return f"more frames come on {', '.join(sorted(names))} than can be looked at" if names else ""

    def _questions(self) -> str:
        at = self._context.findings.world.questions.held_back_at
        lately = at is not None and 0 <= self._context.steady_ms() - at < LATELY_MS
        return "more addresses are in question than can be asked for" if lately else ""
