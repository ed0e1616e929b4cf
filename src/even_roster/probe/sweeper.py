"""Runs one sweep over raw frames in a process of its own, so that nothing the service does disturbs its pace.

The parent writes a job to stdin and reads reports from stdout, each as a length and a pickle, answers packed as
rows of fixed size; both ends are this program, and nobody else holds the pipes. When stdin ends, because the scan was
stopped or the parent died, so does the sweep. This module must stay light: what it imports delays every scan.
"""

from __future__ import annotations

import contextlib
import gc
import os
import pickle
import struct
import sys
import threading
from typing import IO, Any

from ..core.adapters import Adapter
from ..core.mac import Mac
from ..core.stays import Source
from .packet_door import PacketDoor
from .segment import Abilities, NeighbourDoor, SegmentError
from .sweep import Progress, SweepJob, run_job
from .sweep_engine import Answer

_LENGTH = struct.Struct("!I")
_ROW = struct.Struct("!IqBddBB")
_NONE = -1
URGENCY = -5


class _RawFrames:
    """Opens raw frames here."""

    def __init__(self, adapter: Adapter) -> None:
        self._adapter = adapter

    def abilities(self) -> Abilities:
        return Abilities(frames=True, echo=True, neighbours=False)

    def frames(self) -> PacketDoor:
        return PacketDoor(self._adapter)

    def neighbours(self) -> NeighbourDoor:
        raise SegmentError("a sweep of its own process works with raw frames")


def write(stream: IO[bytes], message: Any) -> None:
    """One message onto a pipe."""
    data = pickle.dumps(message, protocol=pickle.HIGHEST_PROTOCOL)
    stream.write(_LENGTH.pack(len(data)) + data)
    stream.flush()


def read(stream: IO[bytes]) -> Any:
    """One message from a pipe, or None at its end."""
    head = stream.read(_LENGTH.size)
    if len(head) < _LENGTH.size:
        return None
    return pickle.loads(stream.read(_LENGTH.unpack(head)[0]))


def pack(answers: list[Answer]) -> bytes:
    """Answers as rows: address, MAC or -1, source, time, reply time or a negative number, foreign, late."""
    return b"".join(
        _ROW.pack(
            answer.address, answer.mac.value if answer.mac else _NONE, answer.by, answer.at,
            _NONE if answer.rtt is None else answer.rtt, answer.foreign, answer.late,
        )
        for answer in answers
    )  # fmt: skip


def unpack(rows: bytes) -> list[Answer]:
    """What `pack` packed."""
    return [
        Answer(
            address,
            Mac(mac) if mac >= 0 else None,
            Source(by),
            at,
            rtt if rtt >= 0 else None,
            bool(foreign),
            bool(late),
        )
        for address, mac, by, at, rtt, foreign, late in _ROW.iter_unpack(rows)
    ]


def main() -> None:
    """Run the job that comes in on stdin."""
    source, target = sys.stdin.buffer, sys.stdout.buffer
    job: SweepJob = read(source)
    stop = threading.Event()
    gc.disable()  # nothing here makes cycles, and a collection would interrupt the pace
    with contextlib.suppress(OSError):
        os.nice(URGENCY)

    def until_the_end() -> None:
        source.read(1)
        stop.set()

    threading.Thread(target=until_the_end, daemon=True).start()

    def report(answers: list[Answer], progress: Progress) -> None:
        write(target, (pack(answers), progress, False))

    try:
        progress = run_job(_RawFrames(job.adapter), job, stop, report)
        write(target, (b"", progress, True))
    except SegmentError as error:
        write(target, str(error))


if __name__ == "__main__":
    try:
        main()
    except (BrokenPipeError, KeyboardInterrupt):
        sys.exit(1)
