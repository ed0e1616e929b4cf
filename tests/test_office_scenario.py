"""A new workshop at the theatre, from a spreadsheet with odd headers to a printer that is silent: at most ten commands."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from tests.support.lab import environment
from tests.support.service import demo

ROWS = 80
PRINTERS = "".join(f"02-C0-44-00-88-{n:02X}, press-{n}\n" for n in range(1, 6))


class OnTheCommandLine(unittest.TestCase):
    def test_a_workshop_is_planned_filled_published_and_looked_after_in_ten_commands(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        sheet = folder / "workshop.csv"
        lines = [f"10.44.50.{20 + n};bench-{n};02:c0:9f:77:00:{n:02x};Werkbank {n}" for n in range(ROWS)]
        sheet.write_text("\n".join(["Wo steht's;Wie heisst's;Kennung;Bemerkung", *lines]) + "\n", encoding="cp1252")
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
                command = [sys.executable, "-m", "even_roster.cli.main", "--home", str(service.home), *words]
                done = subprocess.run(
                    command, input=fed, capture_output=True, text=True, env=environment(), check=False
                )
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
