"""Runs a `SeekEngine` on a door, in a thread of its own, until it is told to end."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence

from ..core.mac import Mac
from .seek_engine import Event, SeekEngine, Sought
from .segment import FrameDoor, Segment, SegmentError

_LONGEST = 0.1


class Seeker:
    """Looks for MACs on one adapter's link. `want` may be called from any thread."""

    def __init__(self, segment: Segment, patience: float, tell: Callable[[Sequence[Event]], None]) -> None:
        """Raises SegmentError where the link cannot be looked at."""
        if segment.adapter.mac is None:
            raise SegmentError(f"{segment.adapter.name} has no MAC to send from")
        self.adapter = segment.adapter
        self._own: Mac = segment.adapter.mac
        self._segment, self._patience, self._tell = segment, patience, tell
        self._wanted: tuple[Sought, ...] = ()
        self._fresh = threading.Event()
        self.ended = threading.Event()
        self.trouble = ""

    def want(self, sought: Sequence[Sought]) -> None:
        """Look for these from now on."""
        wanted = tuple(sought)
        if wanted != self._wanted:
            self._wanted = wanted
            self._fresh.set()

    def run(self) -> None:
        """Until `ended` is set or the link is gone."""
        engine = SeekEngine(self._own, self.adapter.addresses, self._patience)
        door: FrameDoor | None = None
        macs: frozenset[int] = frozenset()
        try:
            while not self.ended.is_set():
                if self._fresh.is_set() or door is None:
                    self._fresh.clear()
                    wanted = self._wanted
                    if door is None or frozenset(one.mac for one in wanted) != macs:
                        macs = frozenset(one.mac for one in wanted)
                        fresh = self._segment.seek([Mac(one.mac) for one in wanted])
                        if door is not None:
                            door.close()
                        door = fresh
                    engine.want(wanted, door.now())
                self._turn(engine, door)
        except SegmentError as error:
            self.trouble = str(error)
        finally:
            if door is not None:
                door.close()

    def _turn(self, engine: SeekEngine, door: FrameDoor) -> None:
        now = door.now()
        for frame in engine.due(now):
            door.send(frame)
        for at, frame in door.receive(min(max(engine.wake(now) - now, 0.001), _LONGEST)):
            engine.take(frame, at)
        if events := engine.events():
            self._tell(events)
