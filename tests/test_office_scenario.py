"""A new workshop at the theatre, from a spreadsheet with odd headers to a printer that is silent: at most ten commands."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

from tests.support.service import demo
from tests.support.workshop import PRINTERS, ROWS, write_sheet

BESIDE = "anything"


class OnTheCommandLine(unittest.TestCase):
    def test_a_workshop_is_planned_filled_published_and_looked_after_in_ten_commands(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        sheet = folder / "workshop.csv"
        write_sheet(sheet)
        mapping = [
            f"--map={field}={header}"
            for field, header in (
                ("address", "Wo steht's"),
                ("name", "Wie heisst's"),
                ("mac", "Kennung"),
                ("notes", "Bemerkung"),
            )
        ]
        commands: list[list[str]] = []
        with demo(watch=False) as service:

            def roster(*words: str, fed: str = "") -> str:
                commands.append(list(words))
                done = service.roster(*words, fed=fed)
                self.assertIn(done.returncode, (0, 1), (words, done.stdout, done.stderr))
                return done.stdout

            roster(
                "subnet",
                "add",
                "10.44.50.0/24",
                "--name",
                "Workshop",
                "--gateway",
                "10.44.50.1",
                "--domain",
                "larkspur.example",
            )
            roster("band", "add", "Workshop", "static", "101-120", "--name", "presses", "--roles", "printer")
            roster("band", "add", "Workshop", "pool", "150-199", "--by", "ledger", "--lease", "12h")
            told = roster("file", "in", str(sheet), *mapping, "--dry-run")
            self.assertIn(f"{ROWS} added", told.replace(" would be", ""), told)
            roster("file", "in", str(sheet), *mapping)
            reserved = roster("reserve", "-", "--in", "presses", "--role", "printer", fed=PRINTERS)
            self.assertEqual(reserved.count("10.44.50.10"), 5, reserved)
            published = roster("dhcp", "publish", "ledger", "--yes")
            self.assertIn("read back and verified", published)
            there = roster("subnet", "show", "Workshop")
            self.assertIn("50 in pools", there)
            silent = roster("why", "press-3")
            self.assertIn("10.44.50.103", silent)
            self.assertEqual(roster("card", "press-3").count("10.44.50.103"), 1)
        self.assertLessEqual(len(commands), 10)


if __name__ == "__main__":
    unittest.main()
