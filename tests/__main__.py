"""Runs the tests and checks: `python -m tests`, or some of them: `python -m tests test_scan_engine changed checks`.

python -m tests                         all that `make test` demands
python -m tests --part try              browser scenarios that take long
python -m tests --part endure           long runs
python -m tests test_store.Edits        one module, one class, one test
python -m tests src/even_roster/core/ranges.py
                                        the modules that import this file directly
python -m tests changed                 the same for all files that differ from the last commit
python -m tests --keep-durations        and write down how long each took, for the order of the queue
"""

from __future__ import annotations

import argparse
import os
import shutil
import signal
import sys
import tempfile
import time
from pathlib import Path

from tests.runner import entries, report
from tests.runner.workers import Done, Workers, leftover_namespaces
from tests.support import effort, evidence, patience
from tests.support.lab import PREFIX_VARIABLE


def main() -> int:
    """Run, and close with a line that counts."""
    parser = argparse.ArgumentParser(
        prog="python -m tests", formatter_class=argparse.RawDescriptionHelpFormatter, description=__doc__
    )
    parser.add_argument(
        "what", nargs="*", help="modules, tests, files, 'changed', 'checks' or 'console'; all, if none is given"
    )
    parser.add_argument("--part", choices=entries.PARTS, default="test")
    parser.add_argument(
        "--workers", type=int, default=len(os.sched_getaffinity(0)), help="at once; as many as there are cores"
    )
    parser.add_argument("--keep-durations", action="store_true")
    parser.add_argument("--first-failure", action="store_true", help="end with the first test that fails")
    parser.add_argument(
        "--full", action="store_true", help="try as much as takes hours, for figures in docs/reliability.md"
    )
    given = parser.parse_args()
    signal.signal(signal.SIGTERM, signal.default_int_handler)  # whoever ends it otherwise wants as little left behind
    try:
        wanted = entries.named(given.what) if given.what else entries.of_part(given.part)
    except entries.UnknownName as error:
        parser.error(str(error))
    if not wanted:
        report.say("Nothing tests that.\n0 passed, 0 failed, 0 skipped")
        return 0 if given.what == ["changed"] else 1
    kept = Path(tempfile.mkdtemp(prefix="even-roster-tests-"))
    os.environ[evidence.FOLDER_VARIABLE] = str(kept / "failed")
    os.environ[effort.VARIABLE] = "full" if given.full else "endure" if given.part == "endure" else "test"
    os.environ[patience.VARIABLE] = str(patience.PATIENCE)
    prefix = os.environ[PREFIX_VARIABLE] = f"lab{os.getpid():x}-"
    report.say(f"{len(wanted)} to run, {given.workers} at once; waits end after {patience.PATIENCE:.0f} s")
    began, ended = time.monotonic(), 0
    failed = False

    def told(done: Done) -> None:
        nonlocal ended
        ended += 1
        report.say(f"[{ended:3d}/{len(wanted)}] {report.entry_line(done)}")

    def wrong(test: str, error: str) -> None:
        nonlocal failed
        failed = True
        report.say(report.failure(test, error))
        if given.first_failure:
            raise KeyboardInterrupt

    try:
        done = Workers(kept, patience.PATIENCE, told, wrong).run(wanted, given.workers)
    except KeyboardInterrupt:
        report.say("interrupted" if not failed else "ended with the first failure")
        return 1 if failed else 130
    finally:
        leftover_namespaces(prefix)
        if not failed:
            shutil.rmtree(kept, ignore_errors=True)
    if given.keep_durations:
        entries.keep_durations(
            {one.entry.name: (one.wall_seconds, one.processor_seconds) for one in done if not one.entry.only}
        )
    report.say(report.summary(done, time.monotonic() - began, kept))
    return 0 if not any(one.code for one in done) and any(one.counts["passed"] for one in done) else 1


if __name__ == "__main__":
    sys.exit(main())
