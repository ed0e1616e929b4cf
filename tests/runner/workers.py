"""Runs the queue: each entry in a process of its own, all from one process that has imported the program once.

The only thread of the runner starts processes, reads what they report and waits for their ends; it must never import or do
anything that keeps a thread, because its children are forks of it.
"""

from __future__ import annotations

import contextlib
import ctypes
import json
import os
import resource
import selectors
import shutil
import signal
import subprocess
import sys
import time
import traceback
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from tests.support.quick_start import leave

from .entries import ROOT
from .made_ready import make_ready
from .module_run import ALL_STACKS, run_module
from .schedule import ANYTHING, Entry, in_order, next_entry

PR_SET_CHILD_SUBREAPER = 36
"""prctl(2): processes whose parent has ended become children of this one."""
REPORT_VARIABLE = "EVEN_ROSTER_TEST_REPORT"
WORTH_IMPORTING = 4
"""From so many entries on it takes less to import everything once than what each of them needs. Those on links always want it: a
service without rights may not be allowed to read where Python is installed."""
POLL_SECONDS = 0.05
NO_TESTS = 5
"""The exit code of a module in which there was nothing to run."""
TIMES_PATIENCE = 4
"""An entry that runs longer than so many times the patience hangs: it is ended, with the stacks of all its threads."""
_COUNTED = ("passed", "failed", "skipped")


@dataclass(slots=True)
class Done:
    """How one entry ended."""

    entry: Entry
    code: int
    wall_seconds: float
    processor_seconds: float
    counts: dict[str, int]
    tests: list[tuple[str, float]]
    """Each test with its seconds."""
    skipped: list[tuple[str, str]]
    failures: list[tuple[str, str]]
    """Each failed test with its error."""
    log: Path


@dataclass(slots=True)
class _Running:
    entry: Entry
    pid: int
    log: Path
    report: int
    began: float
    unread: bytes = b""
    counts: dict[str, int] = field(default_factory=lambda: dict.fromkeys(_COUNTED, 0))
    tests: list[tuple[str, float]] = field(default_factory=list)
    skipped: list[tuple[str, str]] = field(default_factory=list)
    failures: list[tuple[str, str]] = field(default_factory=list)
    hung: bool = False


class Workers:
    """Runs entries side by side. `told` gets each ended entry; `failed` each failure as soon as it is known."""

    def __init__(
        self, folder: Path, patience: float, told: Callable[[Done], None], failed: Callable[[str, str], None]
    ) -> None:
        self._folder, self._limit, self._told, self._failed = folder, TIMES_PATIENCE * patience, told, failed
        self._running: list[_Running] = []
        self._reports = selectors.DefaultSelector()

    def run(self, entries: Sequence[Entry], cores: int) -> list[Done]:
        """Run all of them; gives how they ended. KeyboardInterrupt ends what runs and is raised again."""
        if len(entries) >= WORTH_IMPORTING or any(one.beside != ANYTHING for one in entries):
            make_ready()
        waiting, done = in_order(entries), []
        try:
            while waiting or self._running:
                while (entry := next_entry(waiting, [one.entry for one in self._running], cores)) is not None:
                    waiting.remove(entry)
                    self._start(entry)
                self._read(POLL_SECONDS)
                done += self._ended()
        finally:
            self._end_all()
        return done

    def _start(self, entry: Entry) -> None:
        log = self._folder / f"{entry.name.replace(':', '').replace(' ', '-')}.log"
        reading, writing = os.pipe()
        sys.stdout.flush()
        sys.stderr.flush()
        pid = os.fork()
        if not pid:
            _become(entry, log, writing)
        os.close(writing)
        os.set_blocking(reading, False)
        one = _Running(entry, pid, log, reading, time.monotonic())
        self._running.append(one)
        self._reports.register(reading, selectors.EVENT_READ, one)

    def _read(self, seconds: float) -> None:
        ready = self._reports.select(seconds)
        for key, _ in ready:
            self._read_one(key.data)
        if not self._reports.get_map() or ready:
            time.sleep(POLL_SECONDS)

    def _read_one(self, one: _Running) -> None:
        with contextlib.suppress(BlockingIOError):
            while got := os.read(one.report, 1 << 16):
                *lines, one.unread = (one.unread + got).split(b"\n")
                for line in lines:
                    self._take(one, json.loads(line))
            if one.report in self._reports.get_map():
                self._reports.unregister(one.report)  # all who could write have closed it

    def _take(self, one: _Running, what: dict[str, Any]) -> None:
        if "wrong" in what:
            one.failures.append((what["wrong"], what["detail"]))
            self._failed(what["wrong"], what["detail"])
            return
        one.counts[what["outcome"]] += what.get("count", 1)
        if "test" in what:
            one.tests.append((what["test"], what["seconds"]))
            if what["outcome"] == "skipped":
                one.skipped.append((what["test"], what["detail"]))

    def _ended(self) -> list[Done]:
        ended = []
        for one in list(self._running):
            pid, status, used = os.wait4(one.pid, os.WNOHANG)
            if pid:
                self._running.remove(one)
                self._read_one(one)
                if one.report in self._reports.get_map():
                    self._reports.unregister(one.report)
                os.close(one.report)
                _end_group(one.pid)
                ended.append(self._finished(one, os.waitstatus_to_exitcode(status), used))
                self._told(ended[-1])
            elif not one.hung and time.monotonic() - one.began > self._limit:
                one.hung = True
                self._interrupt(one)
        return ended

    def _finished(self, one: _Running, code: int, used: resource.struct_rusage) -> Done:
        if not sum(one.counts.values()):
            if not one.entry.command and not code:
                code = NO_TESTS  # a module without tests states nothing
            one.counts["passed" if not code else "failed"] += 1
        elif code and not one.counts["failed"]:
            one.counts["failed"] += 1
        if code and not one.failures:
            said = one.log.read_text(errors="replace")[-6000:]
            one.failures.append((one.entry.name, f"it ended with {code}: {said}"))
            self._failed(*one.failures[-1])
        wall = time.monotonic() - one.began
        return Done(
            one.entry,
            code,
            wall,
            used.ru_utime + used.ru_stime,
            one.counts,
            one.tests,
            one.skipped,
            one.failures,
            one.log,
        )

    def _interrupt(self, one: _Running) -> None:
        """End an entry that hangs; its log then has the stacks of its threads."""
        with contextlib.suppress(ProcessLookupError):
            if not one.entry.command:
                os.kill(one.pid, ALL_STACKS)
                time.sleep(1)
            _end_group(one.pid)
            os.kill(one.pid, signal.SIGKILL)  # it may not have become a group yet

    def _end_all(self) -> None:
        for one in self._running:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(one.pid, signal.SIGINT)
        until = time.monotonic() + 10
        while self._running and time.monotonic() < until:
            self._running = [one for one in self._running if not os.waitpid(one.pid, os.WNOHANG)[0]]
            time.sleep(POLL_SECONDS)
        for one in self._running:
            _end_group(one.pid)


def _become(entry: Entry, log: Path, report: int) -> None:
    """In the new process: run the entry, never return."""
    code = 70
    try:
        os.setsid()
        os.chdir(ROOT)
        written = os.open(log, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        nothing = os.open(os.devnull, os.O_RDONLY)
        for which, number in ((nothing, 0), (written, 1), (written, 2)):
            os.dup2(which, number)
        ctypes.CDLL(None).prctl(PR_SET_CHILD_SUBREAPER, 1, 0, 0, 0)
        child = os.fork()
        if child:
            code = _supervise(child)
        elif entry.command:
            os.set_inheritable(report, True)
            os.execvpe(entry.command[0], entry.command, {**os.environ, REPORT_VARIABLE: str(report)})
        else:
            code = run_module(entry.only or (entry.name,), report)
    except BaseException:
        traceback.print_exc()
    finally:
        leave(code)


def _supervise(child: int) -> int:
    """Wait for a child, and for all that became ours because its parent ended: their processor time counts, and none of them stays
    a zombie that others take for alive. Gives the child's exit code."""
    for how in (signal.SIGINT, ALL_STACKS):
        signal.signal(how, lambda number, _: os.kill(child, number))
    while True:
        pid, status = os.wait()
        if pid == child:
            code = os.waitstatus_to_exitcode(status)
            break
    with contextlib.suppress(ChildProcessError):  # what ended together with it
        while os.waitpid(-1, os.WNOHANG)[0]:
            pass
    return code if code >= 0 else 128 - code


def _end_group(pid: int) -> None:
    """End what an entry left running."""
    with contextlib.suppress(ProcessLookupError, PermissionError):
        os.killpg(pid, signal.SIGKILL)


def leftover_namespaces(prefix: str) -> list[str]:
    """Take away the network namespaces of tests that could not do it themselves; gives their names."""
    if shutil.which("ip") is None:
        return []
    listed = subprocess.run(["ip", "netns", "list"], capture_output=True, text=True, check=False).stdout.split()
    found = [name for name in listed if name.startswith(prefix)]
    for name in found:
        pids = subprocess.run(["ip", "netns", "pids", name], capture_output=True, text=True, check=False).stdout.split()
        for pid in pids:
            with contextlib.suppress(ProcessLookupError, ValueError):
                os.kill(int(pid), signal.SIGKILL)
        subprocess.run(["ip", "netns", "delete", name], capture_output=True, check=False)
    return found
