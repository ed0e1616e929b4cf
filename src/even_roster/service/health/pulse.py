"""Asks the records every few seconds whether they answer, so that whoever asks for health waits for nothing that may hang."""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections.abc import Callable

EVERY_SECONDS = 5.0
LATE_SECONDS = 15.0
"""An answer that takes longer is told."""


class Pulse:
    """What came of the last question. `check` asks, in a thread; it may take for ever. `steady` gives seconds that never step."""

    def __init__(self, check: Callable[[], object], steady: Callable[[], float] = time.monotonic) -> None:
        self._check, self._steady = check, steady
        self._answered = steady()
        self._wrong = ""
        self._task: asyncio.Task[None] | None = None

    def begin(self) -> None:
        """Ask from now on."""
        self._task = asyncio.create_task(self._run(), name="pulse")

    async def close(self) -> None:
        """Stop asking, without waiting for an open question."""
        if self._task is not None:
            self._task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._task

    @property
    def trouble(self) -> str:
        """Why the records cannot be relied on, with how long; empty while they answer."""
        if self._wrong:
            return self._wrong
        since = self._steady() - self._answered
        return f"the records have not answered for {since:.0f} seconds" if since > LATE_SECONDS else ""

    async def _run(self) -> None:
        while True:
            await self.ask()
            await asyncio.sleep(EVERY_SECONDS)

    async def ask(self) -> None:
        """Ask once. The next question waits for this one: hanging threads do not pile up."""
        try:
            await asyncio.to_thread(self._check)
        except Exception as error:
            self._wrong = f"the records cannot be read: {error or type(error).__name__}"
        else:
            self._wrong = ""
        self._answered = self._steady()
