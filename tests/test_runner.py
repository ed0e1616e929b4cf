"""The runner of the tests: what may run beside what, in which order, and what a failure leaves behind."""

from __future__ import annotations

import contextlib
import io
import os
import re
import signal
import subprocess
import sys
import tempfile
import time
import types
import unittest
from collections import Counter
from pathlib import Path
from unittest import mock

from tests.runner import console_tests, entries, made_ready, report
from tests.runner.schedule import WAITING_PER_CORE, Entry, compatible, in_order, next_entry, valid
from tests.runner.workers import Done, Workers, _Running
from tests.support import effort, evidence, patience

BESIDE = "anything"

TABLE = "shared: neighbour table"


def entry(name: str, beside: str = "anything", wall: float = 10.0, processor: float = 10.0) -> Entry:
    return Entry(name, beside, wall_seconds=wall, processor_seconds=processor)


class Schedule(unittest.TestCase):
    def test_what_may_run_beside_what(self) -> None:
        for one, other, may in (
            ("anything", "anything", True), ("link", "link", True), ("anything", TABLE, True), ("link", TABLE, False), (TABLE, TABLE, False),
            (TABLE, "shared: port 7420", True), ("alone", "anything", False), ("alone", "alone", False),
        ):  # fmt: skip
            with self.subTest(one=one, other=other):
                self.assertEqual(compatible(one, other), may)
                self.assertEqual(compatible(other, one), may)

    def test_only_the_four_forms_of_the_declaration_are_taken(self) -> None:
        self.assertEqual(
            [valid(text) for text in ("anything", "link", "alone", TABLE, "shared: ", "links", "")],
            [True] * 4 + [False] * 3,
        )

    def test_what_must_be_alone_comes_first_then_what_was_never_measured_then_the_longest(self) -> None:
        queue = in_order(
            [entry("short", wall=1), entry("long", wall=60), entry("new", wall=0), entry("pace", "alone", wall=2)]
        )
        self.assertEqual([one.name for one in queue], ["pace", "new", "long", "short"])

    def test_as_many_run_as_there_are_cores_and_a_few_more_where_all_of_them_wait_a_lot(self) -> None:
        busy, idle = entry("busy"), entry("idle", wall=100, processor=10)
        self.assertEqual(next_entry([busy], [busy], 2), busy)
        self.assertIsNone(next_entry([busy], [busy, busy], 2))
        self.assertEqual(next_entry([busy, idle], [busy, busy], 2), idle, "the first that finds room")
        many = [idle] * (2 * WAITING_PER_CORE)
        self.assertIsNone(next_entry([idle], many, 2), "as many as there may be")
        self.assertEqual(next_entry([idle, busy], many, 2), busy, "who works has places of its own")
        some = entry("some", wall=100, processor=50)
        self.assertIsNone(next_entry([some], [some, some, some], 2), "as many as may work")
        self.assertIsNone(next_entry([entry("half", wall=100, processor=60)], [busy, busy], 2), "the cores are full")
        self.assertEqual(next_entry([idle], [idle, idle, idle], 2), idle)

    def test_one_that_has_to_wait_is_overtaken(self) -> None:
        table, link = entry("table", TABLE), entry("far", "link")
        self.assertEqual(next_entry([table, entry("other")], [link], 2), entry("other"))
        self.assertIsNone(next_entry([entry("pace", "alone")], [link], 2))
        self.assertEqual(next_entry([entry("pace", "alone")], [], 2), entry("pace", "alone"))


class Entries(unittest.TestCase):
    def test_every_module_says_what_it_may_run_beside_and_belongs_to_a_part(self) -> None:
        modules = entries.modules()
        self.assertEqual(len(modules), len(list(entries.TESTS.glob("test_*.py"))))
        parts = {part for one in modules for part in one.part.split(" and ")}
        self.assertEqual(parts, {"test", "try", "endure"})
        names = Counter(one.name for one in entries.of_part("test"))
        self.assertTrue({"check: mypy", "check: tsc", "console tests", "test_runner"} <= set(names))
        self.assertEqual(max(names.values()), 1)

    def test_all_examples_are_drawn_in_the_way_that_fails_nothing_by_chance(self) -> None:
        at_their_own = [
            path.name
            for path in (entries.ROOT / "tests").rglob("*.py")
            if re.search(r"^ *(import|from) hypothesis\b", path.read_text(), re.MULTILINE)
        ]
        self.assertEqual(at_their_own, ["drawing.py"])

    def test_a_module_that_says_nothing_is_refused(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "test_new.py"
            for text, said in (
                ("x = 1\n", "BESIDE must say"),
                ('BESIDE = "link"\nPART = "later"\n', "PART must be one of"),
            ):
                path.write_text(text)
                with self.assertRaisesRegex(ValueError, said):
                    entries.declared(path)

    def test_a_source_file_names_the_modules_that_import_it(self) -> None:
        names = {one.name for one in entries.named(["src/even_roster/core/ranges.py"])}
        self.assertIn("test_core_values", names)
        self.assertNotIn("test_real_network", names)
        (found,) = entries.named(["console/src/lib/ruler.ts"])
        self.assertEqual(found.command[-2:], ("--related", "src/lib/ruler.ts"))

    def test_tests_of_one_module_are_run_together_and_a_whole_module_once(self) -> None:
        (found,) = entries.named(["test_store.Files", "tests.test_store.Stays"])
        self.assertEqual(found.only, ("test_store.Files", "test_store.Stays"))
        (found,) = entries.named(["test_store.Files", "test_store"])
        self.assertEqual(found.only, ())

    def test_what_is_not_there_is_said_with_what_would_be(self) -> None:
        with self.assertRaisesRegex(
            entries.UnknownName, r"'tset_store' is neither .* nor one of: changed, checks, console"
        ):
            entries.named(["tset_store"])


class MadeUp(unittest.TestCase):
    """Modules that are made here and run as any other."""

    def run_module(self, source: str, seconds: float = 60.0) -> tuple[Done, list[tuple[str, str]], Path]:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        made = types.ModuleType("tests.test_made_up")
        exec("import os, time, unittest\nfrom tests.support import evidence\n" + source, made.__dict__)
        for value in vars(made).values():
            if isinstance(value, type):
                value.__module__ = made.__name__
        told: list[tuple[str, str]] = []
        with (
            mock.patch.dict(sys.modules, {made.__name__: made}),
            mock.patch.object(sys.modules["tests"], "test_made_up", made, create=True),
            mock.patch.dict(os.environ, {evidence.FOLDER_VARIABLE: str(folder / "failed")}),
        ):
            workers = Workers(folder, seconds, lambda _: None, lambda test, error: told.append((test, error)))
            (done,) = workers.run([Entry("test_made_up")], 1)
        return done, told, folder

    def test_outcomes_are_counted_and_a_test_of_many_parts_counts_once(self) -> None:
        done, told, _ = self.run_module(
            "class T(unittest.TestCase):\n"
            " def test_a(self): pass\n"
            " def test_b(self): self.skipTest('no cable')\n"
            " def test_c(self):\n"
            "  for n in range(3):\n"
            "   with self.subTest(n=n): self.assertNotEqual(n % 2, 0)\n"
        )
        self.assertEqual((done.code, done.counts), (1, {"passed": 1, "failed": 1, "skipped": 1}))
        self.assertEqual([test.split(" ")[-1] for test, _ in told], ["(n=0)", "(n=2)"])
        self.assertEqual(done.skipped, [("tests.test_made_up.T.test_b", "no cable")])

    def test_a_failure_leaves_the_state_of_what_was_at_hand(self) -> None:
        _, told, folder = self.run_module(
            "class T(unittest.TestCase):\n"
            " def test_a(self):\n"
            "  with evidence.at_hand('lamp', lambda to: (to / 'state.txt').write_text('out')):\n"
            "   self.fail('dark')\n"
        )
        self.assertIn("AssertionError: dark", told[0][1])
        (kept,) = (folder / "failed").iterdir()
        self.assertEqual((kept / "lamp" / "state.txt").read_text(), "out")
        self.assertIn("dark", (kept / "error.txt").read_text())

    def test_what_cannot_be_set_up_counts_as_failed(self) -> None:
        done, told, _ = self.run_module(
            "class T(unittest.TestCase):\n"
            " @classmethod\n"
            " def setUpClass(cls): raise OSError('no room')\n"
            " def test_a(self): pass\n"
        )
        self.assertEqual((done.counts["failed"], done.counts["passed"]), (1, 0))
        self.assertIn("no room", told[0][1])

    def test_a_module_without_tests_has_failed(self) -> None:
        done, told, _ = self.run_module("class T(unittest.TestCase):\n def tset_a(self): pass\n")
        self.assertNotEqual(done.code, 0)
        self.assertEqual((done.counts["failed"], len(told)), (1, 1))

    def test_a_program_that_cannot_even_begin_is_told_by_its_tests(self) -> None:
        said = io.StringIO()
        with (
            mock.patch("tests.runner.made_ready._run_once", side_effect=OSError("no such switch")),
            contextlib.redirect_stdout(said),
        ):
            made_ready.make_ready()
        self.assertIn("no such switch", said.getvalue())
        done, _, _ = self.run_module("class T(unittest.TestCase):\n def test_a(self): pass\n")
        self.assertEqual(done.counts["passed"], 1)

    def test_a_module_that_dies_has_failed(self) -> None:
        done, told, _ = self.run_module("class T(unittest.TestCase):\n def test_a(self): os.kill(os.getpid(), 9)\n")
        self.assertEqual((done.counts, len(told)), ({"passed": 0, "failed": 1, "skipped": 0}, 1))
        self.assertIn("it ended with 137", told[0][1])

    def test_one_that_hangs_is_ended_with_the_stacks_of_its_threads(self) -> None:
        began = time.monotonic()
        done, told, _ = self.run_module("class T(unittest.TestCase):\n def test_a(self): time.sleep(3000)\n", 0.2)
        self.assertLess(time.monotonic() - began, patience.PATIENCE)
        self.assertEqual(done.counts["failed"], 1)
        self.assertIn("test_a", told[0][1], "where it hung")

    def test_one_that_hangs_before_it_became_a_group_of_its_own_is_ended_too(self) -> None:
        with subprocess.Popen(["sleep", "3000"]) as slow:
            one = _Running(Entry("check: sleep", command=("sleep",)), slow.pid, Path("log"), 0, 0.0)
            Workers(Path("."), 0.0, lambda _: None, lambda *_: None)._interrupt(one)
            self.assertEqual(slow.wait(patience.PATIENCE), -signal.SIGKILL)

    def test_the_time_of_all_that_it_started_is_counted(self) -> None:
        done, _, _ = self.run_module(
            "import subprocess, sys\n"
            "WORK = 'import time\\nwhile time.process_time() < 0.6: pass'\n"
            "class T(unittest.TestCase):\n"
            " def test_a(self):\n"
            "  subprocess.run(['sh', '-c', f'{sys.executable} -c \"{WORK}\" & wait'])\n"
        )
        self.assertEqual(done.counts["passed"], 1)
        self.assertGreater(done.processor_seconds, 0.5)


class Told(unittest.TestCase):
    def test_the_summary_names_what_failed_where_its_evidence_is_and_ends_with_a_line_that_counts(self) -> None:
        done = Done(entry("test_store"), 1, 3.0, 2.0, {"passed": 4, "failed": 1, "skipped": 1}, [("tests.test_store.A.test_x", 1.5)],
                    [("tests.test_store.A.test_y", "no root")], [("tests.test_store.A.test_z", "boom")], Path("log"))  # fmt: skip
        text = report.summary([done], 3.0, Path("/evidence"))
        for said in (
            "skipped: tests.test_store.A.test_y: no root",
            "failed: tests.test_store.A.test_z",
            "What they left behind: /evidence",
        ):
            self.assertIn(said, text)
        self.assertTrue(text.endswith("\n4 passed, 1 failed, 1 skipped"))
        self.assertIn("4 passed, 1 failed, 1 skipped", report.entry_line(done))

    def test_the_consoles_tests_are_told_one_by_one(self) -> None:
        told: dict[str, object] = {
            "testResults": [
                {"name": f"{console_tests.CONSOLE}/src/a.test.ts", "status": "failed", "assertionResults": [
                    {"fullName": "adds", "status": "passed", "duration": 12.0},
                    {"fullName": "takes", "status": "failed", "duration": 1.0, "failureMessages": ["2 is not 3"]},
                    {"fullName": "later", "status": "pending"},
                ]},
                {"name": f"{console_tests.CONSOLE}/src/b.test.ts", "status": "failed", "assertionResults": [], "message": "no such module"},
            ]
        }  # fmt: skip
        lines = console_tests.outcomes(told)
        self.assertEqual(
            Counter(line["outcome"] for line in lines if "outcome" in line), {"passed": 1, "failed": 2, "skipped": 1}
        )
        self.assertEqual(
            [line["wrong"] for line in lines if "wrong" in line], ["src/a.test.ts: takes", "src/b.test.ts"]
        )

    def test_a_wait_ends_with_what_was_waited_for(self) -> None:
        self.assertEqual(patience.until(lambda: 7, "never"), 7)
        with mock.patch.object(patience, "PATIENCE", 0.05), self.assertRaisesRegex(AssertionError, "the lamp is out"):
            patience.until(lambda: False, lambda: "the lamp is out", pause=0.01)

    def test_patience_follows_the_machine_within_bounds(self) -> None:
        for seconds, expected in (
            (0.001, patience.LEAST_SECONDS),
            (0.2, 0.2 * patience.FACTOR),
            (9.0, patience.MOST_SECONDS),
        ):
            clock = iter((100.0, 100.0 + seconds))
            with mock.patch("time.monotonic", side_effect=clock):
                self.assertAlmostEqual(patience.measured(), expected)

    def test_more_is_tried_in_make_endure_and_by_hand(self) -> None:
        for named, expected in (("test", 3), ("endure", 30), ("full", 300)):
            with mock.patch.dict(os.environ, {effort.VARIABLE: named}):
                self.assertEqual(effort.effort(3, 30), expected)
        with mock.patch.dict(os.environ, {effort.VARIABLE: "full"}):
            self.assertEqual(effort.effort(3, 30, 90), 90)


if __name__ == "__main__":
    unittest.main()
