"""Server-sent events with ids: what happened, in order, so that a client that reconnects misses nothing.

The last KEPT events are kept in memory. A client that was away longer, or before a restart, gets one `reset` event
and loads anew.
"""

from __future__ import annotations

import asyncio
import secrets
from collections import deque
from collections.abc import AsyncIterator
from dataclasses import dataclass

from ...api.events import Event as Told

KEPT = 4096
HEARTBEAT = 15.0
_BACKLOG = 2048


@dataclass(frozen=True, slots=True)
class Event:
    """One event: its id within this process, its kind, its data as JSON text."""

    number: int
    kind: str
    data: str


class Hub:
    """Takes events from anywhere in the loop and hands them to every listener."""

    def __init__(self) -> None:
        self.epoch = secrets.token_hex(4)
        self._events: deque[Event] = deque(maxlen=KEPT)
        self._number = 0
        self._listeners: set[asyncio.Queue[Event | None]] = set()
        self._closed = False

    @property
    def listeners(self) -> int:
        """How many clients listen now."""
        return len(self._listeners)

    def publish(self, told: Told) -> None:
        """Tell everybody. Call it in the event loop."""
        self._number += 1
        event = Event(self._number, told.kind, told.__pydantic_serializer__.to_json(told).decode())
        self._events.append(event)
        for queue in list(self._listeners):
            if queue.qsize() >= _BACKLOG:
                self._listeners.discard(queue)
                queue.put_nowait(None)
            else:
                queue.put_nowait(event)

    def close(self) -> None:
        """End every stream: the service stops."""
        self._closed = True
        self.end_streams()

    def end_streams(self) -> None:
        """End every stream; whoever may still listen comes again. Call it in the event loop."""
        for queue in self._listeners:
            queue.put_nowait(None)

    async def stream(self, last_id: str | None) -> AsyncIterator[str]:
        """Events as text/event-stream chunks, from behind `last_id` on; a slow client's stream ends and it resumes."""
        queue: asyncio.Queue[Event | None] = asyncio.Queue()
        if self._closed:
            return
        self._listeners.add(queue)
        try:
            yield (
                f"retry: 1000\nid: {self.epoch}-{self._number}\nevent: hello\ndata: {{}}\n\n" if last_id is None else ""
            )
            for event in self._missed(last_id):
                yield self._text(event)
            while True:
                try:
                    event_or_end = await asyncio.wait_for(queue.get(), HEARTBEAT)
                except TimeoutError:
                    yield ": still here\n\n"
                    continue
                if event_or_end is None:
                    return
                yield self._text(event_or_end)
        finally:
            self._listeners.discard(queue)

    def _missed(self, last_id: str | None) -> list[Event]:
        if last_id is None:
            return []
        epoch, _, number = last_id.partition("-")
        oldest = self._events[0].number if self._events else self._number + 1
        if epoch == self.epoch and number.isdigit() and oldest - 1 <= int(number) <= self._number:
            return [event for event in self._events if event.number > int(number)]
        return [Event(self._number, "reset", "{}")]

    def _text(self, event: Event) -> str:
        return f"id: {self.epoch}-{event.number}\nevent: {event.kind}\ndata: {event.data}\n\n"
