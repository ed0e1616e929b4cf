"""Runs one module of tests in a process of its own and reports each test as it ends, as one JSON line each."""

from __future__ import annotations

import contextlib
import faulthandler
import json
import os
import signal
import sys
import time
import traceback
import unittest
from collections.abc import Sequence
from typing import Any

from tests.support import evidence, quick_start

ALL_STACKS = signal.SIGUSR1


class ReportedResult(unittest.TextTestResult):
    """Writes each outcome to a pipe at once, with what is needed to understand a failure."""

    def __init__(self, stream: Any, descriptions: bool, verbosity: int, *, report: int) -> None:
        super().__init__(stream, descriptions, verbosity)
        self._report, self._began, self._failed = report, time.monotonic(), False

    def startTest(self, test: unittest.TestCase) -> None:
        """See TestResult.startTest."""
        self._began, self._failed = time.monotonic(), False
        evidence.begin(test.id())
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        """See TestResult.stopTest. A test of many parts counts once."""
        super().stopTest(test)
        evidence.end()
        skipped = bool(self.skipped) and self.skipped[-1][0] is test
        outcome = "failed" if self._failed else "skipped" if skipped else "passed"
        reason = self.skipped[-1][1] if skipped else ""
        self._say(test=test.id(), outcome=outcome, seconds=time.monotonic() - self._began, detail=reason)

    def addFailure(self, test: unittest.TestCase, err: Any) -> None:
        """See TestResult.addFailure."""
        super().addFailure(test, err)
        self._wrong(test, err)

    def addError(self, test: Any, err: Any) -> None:
        """See TestResult.addError. A class or module that could not be set up is no test, and counts as one that failed."""
        super().addError(test, err)
        self._wrong(test, err)
        if not isinstance(test, unittest.TestCase):
            self._say(test=test.id(), outcome="failed", seconds=0.0, detail="")

    def addSubTest(self, test: unittest.TestCase, subtest: unittest.TestCase, err: Any) -> None:
        """See TestResult.addSubTest."""
        super().addSubTest(test, subtest, err)
        if err is not None:
            self._wrong(subtest, err)

    def addUnexpectedSuccess(self, test: unittest.TestCase) -> None:
        """See TestResult.addUnexpectedSuccess."""
        super().addUnexpectedSuccess(test)
        self._failed = True
        self._say(wrong=test.id(), detail="it was expected to fail, and passed")

    def _wrong(self, test: Any, err: Any) -> None:
        self._failed = True
        detail = "".join(traceback.format_exception(*err))
        evidence.keep(test.id(), detail)
        self._say(wrong=test.id(), detail=detail)

    def _say(self, **what: object) -> None:
        with contextlib.suppress(BrokenPipeError):
            os.write(self._report, (json.dumps(what) + "\n").encode())


def run_module(names: Sequence[str], report: int) -> int:
    """Run tests by name in this process; outcomes go to the file descriptor `report`. Gives the exit code."""
    # Begun by a job in the background, SIGINT is ignored, and so it would be by every command that tests interrupt.
    signal.signal(signal.SIGINT, signal.default_int_handler)
    faulthandler.register(ALL_STACKS, file=sys.stderr)
    quick_start.fork_server()
    suite = unittest.TestLoader().loadTestsFromNames([f"tests.{name}" for name in names])

    def result(stream: Any, descriptions: bool, verbosity: int, **_: object) -> ReportedResult:
        return ReportedResult(stream, descriptions, verbosity, report=report)

    done = unittest.TextTestRunner(stream=sys.stderr, verbosity=2, resultclass=result).run(suite)
    quick_start.end_server()
    return 0 if done.wasSuccessful() else 1
