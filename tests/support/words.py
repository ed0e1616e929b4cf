"""Commands as people type them and what they read back."""

from __future__ import annotations

import unittest

from .service import Service


class Words(unittest.TestCase):
    """Commands run as processes against one demo of the module, which sets `service`; each test works in a place of its own."""

    service: Service

    def says(self, *arguments: str, code: int = 0) -> str:
        """What a command prints for people; it must end with this code, and never with a traceback."""
        done = self.service.roster(*arguments)
        said = done.stdout + done.stderr
        self.assertEqual(done.returncode, code, f"roster {' '.join(arguments)}\n{said}")
        self.assertNotIn("Traceback", said)
        if code:
            self.assertTrue(said.strip(), "an end that is not 0 is explained")
        return said

    def refuses(self, *arguments: str, code: int = 2) -> str:
        """As `says`, for what is refused: one sentence on standard error, nothing on standard output."""
        done = self.service.roster(*arguments)
        self.assertEqual((done.returncode, done.stdout), (code, ""), f"{arguments}: {done.stdout}{done.stderr}")
        self.assertRegex(done.stderr, r"\Aroster: [^\n]+\n")
        return done.stderr
