"""The bench still measures: each of its parts runs at a small size and adds rows with a value each."""

from __future__ import annotations

import contextlib
import io
import shutil
import unittest
from collections.abc import Callable
from unittest import mock

from bench import answers, calling, plan, ports, roster, truth, wiring
from bench.table import Table

from tests.support.lab import needs_lab

BESIDE = "link"
PART = "endure"


class Bench(unittest.TestCase):
    def rows(self, part: Callable[[Table], None], **sizes: int) -> dict[str, str]:
        """What a part measures at these sizes."""
        table = Table()
        with contextlib.ExitStack() as stack:
            for name, size in sizes.items():
                stack.enter_context(mock.patch(f"{part.__module__}.{name}", size))
            stack.enter_context(contextlib.redirect_stdout(io.StringIO()))
            part(table)
        for what, value, *_ in table.rows:
            self.assertRegex(value, r"\d", what)
        self.assertTrue(table.rows)
        return {what: value for what, value, *_ in table.rows}

    def test_sums_and_rules(self) -> None:
        self.assertEqual(len(self.rows(roster.sums)), 1)
        self.rows(plan.planning)

    def test_a_year_on_record(self) -> None:
        told = self.rows(truth.year, DAYS=110)
        self.assertIn("'at' for a /24, a year on record, p95", told)

    def test_switches_and_the_wiring(self) -> None:
        self.rows(ports.ports, MACS=40, SWITCHES=3, DEVICES=60)
        self.rows(wiring.wiring, SWITCHES=20, ASKED=3, PULLED=1)

    def test_what_a_person_waits_for(self) -> None:
        told = self.rows(answers.starting, TIMES=2)
        self.assertIn("roster --version, median", told)
        told = self.rows(roster.questions, DEVICES=5_000)
        self.assertIn("50,000 devices: explain an address, p95", told)

    def test_sheets_and_publishing(self) -> None:
        self.assertEqual(len(self.rows(plan.spreadsheets, ROWS=100)), 2)

    @needs_lab
    def test_on_a_link(self) -> None:
        told = self.rows(truth.listening, SECONDS=1)
        self.assertEqual(len(told), 2)
        self.assertTrue(all("missed" in value for value in told.values()), told)
        self.rows(calling.calling, LOOKS=1, LARGEST=300, WATCHED_SECONDS=1)
        if shutil.which("kea-dhcp4"):
            self.rows(plan.holdings, LINES=600)
            self.rows(plan.publishing, RESERVATIONS=50)


if __name__ == "__main__":
    unittest.main()
