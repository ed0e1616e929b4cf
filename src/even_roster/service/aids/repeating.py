"""Work that the service repeats for as long as it runs: one failure is logged and never ends the repeating."""

from __future__ import annotations

import asyncio
import gc
import logging
from collections.abc import Awaitable, Callable

_log = logging.getLogger(__name__)
HOLD_STILL_EVERY = 600.0


async def attempt(work: Callable[[], object], failing: str) -> None:
    """Do one round of `work` in a thread; what it raises is logged as `failing`."""
    try:
        await asyncio.to_thread(work)
    except Exception:
        _log.exception("%s", failing)


async def attempt_here(work: Awaitable[object], failing: str) -> None:
    """As `attempt`, of work that is not done in a thread."""
    try:
        await work
    except Exception:
        _log.exception("%s", failing)


async def hold_memory_still() -> None:
    """Tell the garbage collector now and every ten minutes that what is there will last. Otherwise each of its full rounds walks
    over every pair and device that is known and stops all answers meanwhile, a tenth of a second at 50,000 devices."""
    while True:
        gc.collect()
        gc.freeze()
        await asyncio.sleep(HOLD_STILL_EVERY)
