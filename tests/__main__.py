"""Runs all tests: `python -m tests`, or some of them by name: `python -m tests test_scan_engine`.

First run those that measure what goes over a link or fill the kernel's neighbour table, which all namespaces share, with nothing
beside them but what touches no link, simulated days among it; after them groups side by side, of which most wait: for a browser, for
a service that watches by itself, for real servers in namespaces. None waits for a time: on a slow machine, or beside other work,
they take longer and say the same.
"""

from __future__ import annotations

import os
import re
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from collections.abc import Iterator, Sequence
from pathlib import Path

HERE = Path(__file__).parent
ALONE = {"test_real_network"}
WAITING = {
    "test_console",
    "test_console_ports",
    "test_console_wiring",
    "test_console_access",
    "test_console_truth",
    "test_truth_service",
}
WORDS = {"test_cli", "test_cli_plan", "test_cli_watching", "test_dhcp_servers", "test_machine"}
PROMISES = {"test_contract", "test_fuzzed_api", "test_grammar", "test_guides", "test_wrong_inputs"}
DAYS = {"test_own_attributes", "test_simulated_days"}
ON_LINKS = {"test_truth_on_the_wire"}
FITTING = {"test_fitting", "test_fitting_on_the_wire", "test_phone", "test_roll_call"}
SERVERS = {
    "test_real_switch",
    "test_snmp",
    "test_switches",
    "test_by_hand",
    "test_grown_office",
    "test_pairs",
    "test_publishing_troubles",
    "test_reaching",
    "test_renewing",
    "test_slow_hosts",
}
WITHOUT_SERVICES = {
    "test_absence_truth", "test_bounds", "test_cli_output", "test_core_decisions", "test_core_values", "test_findings_core", "test_findings_engine",
    "test_hard_times", "test_history_truth", "test_holdings", "test_hostile_bytes", "test_hostile_texts", "test_journal", "test_listening", "test_names_and_sockets", "test_one_record",
    "test_past_plan", "test_plan_core", "test_plan_formats", "test_plan_parts", "test_port_truth", "test_switch_book", "test_project", "test_remedies",
    "test_rows", "test_running_for_weeks", "test_scan_engine", "test_scan_orders", "test_servers_that_hang", "test_side_by_side", "test_standin", "test_store", "test_wire",
    "test_wiring_core",
}  # fmt: skip
WIRES = {"test_kept_switches", "test_real_wiring", "test_wiring"}
SLOWEST = 12
_CLOSING = re.compile(r"^(\d+) passed, (\d+) failed, (\d+) skipped$", re.MULTILINE)


def main() -> int:
    """Run, and close with a line that counts."""
    # Begun by a job in the background, SIGINT is ignored, and so it would be by every command that tests interrupt.
    signal.signal(signal.SIGINT, signal.default_int_handler)
    if sys.argv[1:]:
        return _run([f"tests.{name}" for name in sys.argv[1:]])
    there = sorted(path.stem for path in HERE.glob("test_*.py"))
    first = [name for name in there if name in ALONE]
    waiting = [name for name in there if name in WAITING]
    links = [name for name in there if name in ON_LINKS]
    without = [name for name in there if name in WITHOUT_SERVICES]
    words = [name for name in there if name in WORDS]
    days = [name for name in there if name in DAYS]
    promises = [name for name in there if name in PROMISES]
    servers = [name for name in there if name in SERVERS]
    fitting = [name for name in there if name in FITTING]
    wires = [name for name in there if name in WIRES]
    grouped = ALONE | WAITING | ON_LINKS | FITTING | WORDS | PROMISES | SERVERS | WIRES | WITHOUT_SERVICES | DAYS
    others = [name for name in there if name not in grouped]
    counts = [0, 0, 0]
    with tempfile.TemporaryDirectory() as folder:
        parts = _Parts(Path(folder))
        measuring = parts.start(first)
        parts.start(without)
        parts.start(days)
        parts.start(promises)
        measuring.wait()
        for names in (waiting, wires, fitting, links, words, servers, others):
            parts.start(names)
        for told in parts.told():
            closing = _CLOSING.findall(told)
            if not closing:
                counts[1] += 1  # a part that did not come to its end has failed
            counts = [a + int(b) for a, b in zip(counts, closing[-1] if closing else (0, 0, 0), strict=True)]
    print(f"{counts[0]} passed, {counts[1]} failed, {counts[2]} skipped")
    return 0 if counts[1] == 0 and counts[0] > 0 else 1


class _Parts:
    """Lists of modules, each run in a process of its own."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._running: list[tuple[subprocess.Popen[bytes], Path]] = []

    def start(self, names: Sequence[str]) -> subprocess.Popen[bytes]:
        """Begin with some modules."""
        said = self._folder / str(len(self._running))
        with said.open("w") as file:
            process = subprocess.Popen([sys.executable, "-m", "tests", *names], stdout=file, stderr=subprocess.STDOUT)
        self._running.append((process, said))
        return process

    def told(self) -> Iterator[str]:
        """What each part said, in the order in which they began; printed as soon as it has ended."""
        for process, said in self._running:
            process.wait()
            told = said.read_text()
            # The closing line of a part is not the closing line of all.
            print(_CLOSING.sub(r"(\1 passed, \2 failed, \3 skipped in this part)", told), flush=True)
            yield told


class _Timed(unittest.TextTestResult):
    """Notes how long each test took."""

    def startTest(self, test: unittest.TestCase) -> None:
        """See TestResult.startTest."""
        self._began = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        """See TestResult.stopTest."""
        super().stopTest(test)
        TOOK.append((time.monotonic() - self._began, test.id()))


TOOK: list[tuple[float, str]] = []


def _run(names: list[str]) -> int:
    suite = unittest.TestLoader().loadTestsFromNames(names)
    result = unittest.TextTestRunner(verbosity=2, resultclass=_Timed).run(suite)  # type: ignore[arg-type]
    used = sum(os.times()[:4])
    print(f"{sum(seconds for seconds, _ in TOOK):6.1f} s together, {used:.1f} s of processor time")
    for seconds, name in sorted(TOOK, reverse=True)[:SLOWEST]:
        print(f"{seconds:6.1f} s {name}")
    modules: dict[str, float] = {}
    for seconds, name in TOOK:
        module = name.split(".")[1]
        modules[module] = modules.get(module, 0) + seconds
    longest = sorted(modules.items(), key=lambda one: -one[1])[:SLOWEST]
    print("       " + ", ".join(f"{name.removeprefix('test_')} {seconds:.0f}" for name, seconds in longest))
    for test, reason in result.skipped:
        print(f"skipped: {test}: {reason}")
    wrong = [test for test, _ in (*result.failures, *result.errors)] + list(result.unexpectedSuccesses)
    failed = len({getattr(test, "test_case", test).id() for test in wrong})  # a test of many parts fails once
    passed = result.testsRun - failed - len(result.skipped)
    print(f"{passed} passed, {failed} failed, {len(result.skipped)} skipped")
    return 0 if failed == 0 and passed > 0 else 1


if __name__ == "__main__":
    sys.exit(main())
