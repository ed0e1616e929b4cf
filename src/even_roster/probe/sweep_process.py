"""The service's end of a sweep that runs in a process of its own: start it, hand on its reports, stop it."""

from __future__ import annotations

import contextlib
import fcntl
import logging
import subprocess
import sys
import threading

from . import sweeper
from .segment import SegmentError
from .sweep import Progress, Report, SweepJob

STOP_SECONDS = 1.5
_log = logging.getLogger(__name__)
_SET_PIPE_SIZE = 1031


def start_sweeper() -> subprocess.Popen[bytes] | None:
    """A process for one sweep, or None where this account may not start its own interpreter anew."""
    command = [sys.executable, "-P", "-m", "even_roster.probe.sweeper"]
    try:
        return subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, start_new_session=True)
    except OSError as error:
        _log.warning("the sweep shares the service's process, so its pace may waver: %s", error)
        return None


def run_in_process(process: subprocess.Popen[bytes], job: SweepJob, stop: threading.Event, report: Report) -> Progress:
    """As `sweep.run_job`, in another process; blocks, so call it from a thread. Raises SegmentError."""
    assert process.stdin is not None and process.stdout is not None
    with contextlib.suppress(OSError):  # room for reports while this process is busy with others
        fcntl.fcntl(process.stdout, _SET_PIPE_SIZE, 1 << 20)
    ended = threading.Event()
    watcher = threading.Thread(target=_end_on_stop, args=(process, stop, ended), daemon=True)
    try:
        sweeper.write(process.stdin, job)
        watcher.start()
        while (message := sweeper.read(process.stdout)) is not None:
            if isinstance(message, str):
                raise SegmentError(message)
            rows, progress, last = message
            if last:
                result: Progress = progress
                return result
            report(sweeper.unpack(rows), progress)
        raise SegmentError("the sweep's process ended before its time; what it had reported is kept")
    except BrokenPipeError:
        raise SegmentError("the sweep's process could not be started") from None
    finally:
        ended.set()
        process.kill()
        process.wait()
        process.stdout.close()


def _end_on_stop(process: subprocess.Popen[bytes], stop: threading.Event, ended: threading.Event) -> None:
    """Close the sweep's stdin when it is to stop; end it by force if it does not."""
    while not stop.wait(0.1):
        if ended.is_set():
            break
    assert process.stdin is not None
    with contextlib.suppress(OSError):
        process.stdin.close()
    if not ended.wait(STOP_SECONDS):
        process.kill()
