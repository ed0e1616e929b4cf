"""Drives a scan engine through a segment's door, at a pace, from a thread of its own. Stoppable at every step."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Protocol

from ..core.adapters import Adapter
from .neighbour_engine import NeighbourEngine
from .pacer import Pacer
from .segment import Abilities, FrameDoor, NeighbourDoor
from .sweep_engine import Answer, SweepEngine, SweepPlan

LONGEST_WAIT = 0.05
REPORT_EVERY = 0.05
MOST_BEHIND = 5.0


@dataclass(frozen=True, slots=True)
class Progress:
    """How far a sweep is. `seconds_left` is an estimate; `cpu_seconds` is this thread's own processor
    time, `unreached` counts targets behind a gateway that did not answer, `unasked`
    those the kernel's table had no room for, `lost` frames that the kernel dropped unread."""

    probes: int
    probes_left: int
    answered: int
    total: int
    round: int
    seconds: float
    seconds_left: float
    cpu_seconds: float
    rejected: int = 0
    unreached: int = 0
    unasked: int = 0
    lost: int = 0


Report = Callable[[list[Answer], Progress], None]


class SweepSegment(Protocol):
    """The part of a segment that a sweep needs."""

    def abilities(self) -> Abilities:
        """See Segment."""

    def frames(self) -> FrameDoor:
        """See Segment."""

    def neighbours(self) -> NeighbourDoor:
        """See Segment."""


def sweep_frames(engine: SweepEngine, door: FrameDoor, pace: float, stop: threading.Event, report: Report) -> Progress:
    """Run a sweep over raw frames to its end or until `stop`; `report` gets answers and progress as they come."""
    pacer, meter = Pacer(pace), _Meter(door.now(), pace)
    now = read = door.now()
    while not stop.is_set() and not engine.finished(read):
        room = pacer.room(now)
        if room:
            frames = engine.due(now, room, read)
            for frame in frames:
                door.send(frame)
            if frames:
                pacer.spent(len(frames), door.now())
            else:
                pacer.idle()
        wake = engine.wake(now)
        waiting = pacer.wait(now) if not room or frames else LONGEST_WAIT
        if wake is not None and room and not frames:
            waiting = max(wake - now, 0.0005)
        for at, frame in door.receive(min(waiting, LONGEST_WAIT)):
            engine.heard(frame, at)
        now = door.now()
        # On a busy machine answers wait unread: their addresses are not silent. A link that never rests ends that.
        read = max(door.read_until(), now - MOST_BEHIND)
        if meter.due(now):
            report(engine.take(), meter.progress(engine, now, engine.round, engine.rejected))
    progress = replace(meter.progress(engine, now, engine.round, engine.rejected), lost=door.lost())
    report(engine.take(), progress)
    return progress


def sweep_neighbours(
    engine: NeighbourEngine, door: NeighbourDoor, pace: float, stop: threading.Event, report: Report
) -> Progress:
    """Run a sweep through the kernel's table to its end or until `stop`."""
    pacer, meter = Pacer(pace), _Meter(door.now(), pace)
    now = door.now()
    while not stop.is_set() and not engine.finished(now):
        room = pacer.room(now)
        echoes = engine.due_echoes(now, room)
        for address in echoes:
            door.echo(address, 1)
        nudges = engine.due(now, room - len(echoes))
        for address in nudges:
            if not door.nudge(address):
                engine.full(address)
        if echoes or nudges:
            pacer.spent(len(echoes) + len(nudges), now)
        elif room:
            pacer.idle()
        if engine.look_due(now):
            engine.told(door.table(), now)
        pause = pacer.wait(now) if echoes or nudges or not room else max(engine.wake(now) - now, 0.001)
        door.wait(min(pause, LONGEST_WAIT))
        engine.echoed(door.echoes())
        now = door.now()
        if meter.due(now):
            report(engine.take(), meter.progress(engine, now, 1, 0))
    progress = meter.progress(engine, now, 1, 0)
    report(engine.take(), progress)
    return progress


@dataclass(frozen=True, slots=True)
class SweepJob:
    """A sweep as a value, to be run here or in a process of its own."""

    adapter: Adapter
    plan: SweepPlan
    pace: float
    identifier: int


def run_job(segment: SweepSegment, job: SweepJob, stop: threading.Event, report: Report) -> Progress:
    """Run a sweep on a segment by the best way it has. Raises SegmentError."""
    if segment.abilities().frames:
        engine = SweepEngine(job.plan, job.adapter, job.identifier)
        door = segment.frames()
        try:
            progress = sweep_frames(engine, door, job.pace, stop, report)
        finally:
            door.close()
        far = len(job.plan.targets - job.adapter.onlink)
        return replace(progress, unreached=far) if engine.gateway_silent else progress
    kernel = segment.neighbours()
    try:
        neighbours = NeighbourEngine(job.plan, job.adapter, kernel.capacity, segment.abilities().echo)
        progress = sweep_neighbours(neighbours, kernel, job.pace, stop, report)
        return progress if stop.is_set() else replace(progress, unasked=neighbours.unsettled())
    finally:
        kernel.close()


class _Meter:
    """Counts wall and processor time and decides when a report is due."""

    def __init__(self, now: float, pace: float) -> None:
        self._start, self._pace, self._next = now, pace, now + REPORT_EVERY
        self._cpu = time.thread_time()

    def due(self, now: float) -> bool:
        if now < self._next:
            return False
        self._next = now + REPORT_EVERY
        return True

    def progress(self, engine: SweepEngine | NeighbourEngine, now: float, round_: int, rejected: int) -> Progress:
        left = engine.probes_left()
        return Progress(
            probes=engine.probes, probes_left=left, answered=engine.answered, total=engine.total, round=round_,
            seconds=now - self._start, seconds_left=left / self._pace + (0.5 if left else 0.0),
            cpu_seconds=time.thread_time() - self._cpu, rejected=rejected,
        )  # fmt: skip
