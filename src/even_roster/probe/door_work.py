"""Blocking work on a door, in a thread: whoever waits for it may be cancelled, and the door is closed only after the work ended."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Callable
from typing import TypeVar

from .segment import FrameDoor

T = TypeVar("T")


async def work_on(door: FrameDoor, work: Callable[[threading.Event], T]) -> T:
    """What `work` gives; it looks at the event often, and ends soon after it was set. What it raises is raised."""
    stop = threading.Event()
    running = asyncio.create_task(asyncio.to_thread(work, stop))
    try:
        return await asyncio.shield(running)
    finally:
        stop.set()
        await asyncio.wait({running})
        door.close()
