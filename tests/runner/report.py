"""What the runner prints: each entry as it ends, each failure at once, and a summary."""

from __future__ import annotations

import os
import sys
from collections.abc import Sequence
from pathlib import Path

from .workers import Done

SLOWEST = 20


def entry_line(done: Done) -> str:
    """One line about an entry that ended."""
    counts = ", ".join(f"{count} {outcome}" for outcome, count in done.counts.items() if count)
    return f"{done.wall_seconds:6.1f} s {done.processor_seconds:6.1f} s cpu  {done.entry.name.removeprefix('test_')}: {counts}"


def failure(test: str, error: str) -> str:
    """A failure, to be seen at once."""
    return f"\n{'=' * 100}\nFAILED {test}\n{'-' * 100}\n{error.rstrip()}\n{'=' * 100}\n"


def summary(all_done: Sequence[Done], wall_seconds: float, evidence: Path) -> str:
    """The end: what was skipped, the slowest entries and tests, what failed, and a line that counts."""
    lines = [f"skipped: {test}: {reason}" for done in all_done for test, reason in done.skipped]
    lines += ["", f"The slowest {SLOWEST}:", "    wall  processor"]
    for done in sorted(all_done, key=lambda one: -one.wall_seconds)[:SLOWEST]:
        lines.append(f"{done.wall_seconds:6.1f} s  {done.processor_seconds:6.1f} s  {done.entry.name}")
    tests = sorted(((seconds, test) for done in all_done for test, seconds in done.tests), reverse=True)
    lines += [
        "",
        "The slowest tests:",
        *(f"{seconds:6.1f} s  {test.removeprefix('tests.')}" for seconds, test in tests[:SLOWEST]),
    ]
    processor = sum(done.processor_seconds for done in all_done)
    lines += ["", f"{wall_seconds:.1f} s, {processor:.1f} s of processor time, load {os.getloadavg()[0]:.1f}"]
    failed = [test for done in all_done for test in dict.fromkeys(test for test, _ in done.failures)]
    if failed:
        lines += ["", *(f"failed: {test}" for test in failed), f"What they left behind: {evidence}"]
    total = {outcome: sum(done.counts[outcome] for done in all_done) for outcome in ("passed", "failed", "skipped")}
    lines.append(f"{total['passed']} passed, {total['failed']} failed, {total['skipped']} skipped")
    return "\n".join(lines)


def say(text: str) -> None:
    """Print at once."""
    print(text, flush=True)
    sys.stdout.flush()
