"""One bounded queue of orders for each switch: who would wait too long is told so at once, and a mute switch keeps no other one
up."""

from __future__ import annotations

import asyncio
from collections import defaultdict
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from dataclasses import dataclass, field

from ..web.problems import Refusal

MOST_WAITING = 8
"""Orders to one switch that may wait beside the one that is carried out: a person gives one at a time, so that more are a
mistake."""


def busy(sentence: str) -> Refusal:
    """What is refused because it cannot be done soon; nothing was done of it."""
    refusal = Refusal(503, "busy", f"{sentence}; nothing was done, order it again in some seconds")
    refusal.problem = refusal.problem.model_copy(update={"title": "Busy"})
    return refusal


@dataclass(slots=True)
class _Line:
    lock: asyncio.Lock = field(default_factory=asyncio.Lock)
    waiting: int = 0


class OrderQueues:
    """The queues of one service, by the ids of switches."""

    def __init__(self) -> None:
        self._lines: defaultdict[int, _Line] = defaultdict(_Line)

    def waiting(self, switch: int) -> int:
        """How many orders wait for a switch."""
        return self._lines[switch].waiting

    @asynccontextmanager
    async def turn(self, switch: int, called: str, until: float) -> AsyncIterator[None]:
        """The turn at a switch, waited for until a time of the running loop. Raises Refusal where it does not come by then, or too
        many wait already."""
        line = self._lines[switch]
        if line.waiting >= MOST_WAITING:
            raise busy(f"{called} is busy, {line.waiting} orders wait for it already")
        line.waiting += 1
        try:
            async with asyncio.timeout_at(until):
                await line.lock.acquire()
        except TimeoutError:
            raise busy(f"{called} is busy with another order") from None
        finally:
            line.waiting -= 1
        try:
            yield
        finally:
            line.lock.release()
