"""Work that the service repeats for as long as it runs: one failure is logged and never ends the repeating."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Callable

_log = logging.getLogger(__name__)


async def attempt(work: Callable[[], object], failing: str) -> None:
    """Do one round of `work` in a thread; what it raises is logged as `failing`."""
    try:
        await asyncio.to_thread(work)
    except Exception:
        _log.exception("%s", failing)
