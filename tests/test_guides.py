"""The guides are true: the client's scripts run as they stand there, the API guide's examples get the answers that it tells."""

from __future__ import annotations

import json
import re
import subprocess
import sys
import unittest

import httpx

from tests.support.lab import ROOT, environment
from tests.support.service import Service, demo

BESIDE = "anything"

GUIDE = (ROOT / "docs" / "client.md").read_text()
SCRIPTS = re.findall(r"^## \d+\. ([^\n]+)\n\n```python\n(.*?)```", GUIDE, re.M | re.S)
API = (ROOT / "docs" / "api.md").read_text()


class Guides(unittest.TestCase):
    service: Service

    @classmethod
    def setUpClass(cls) -> None:
        cls.service = cls.enterClassContext(demo(watch=False))

    def runs(self, number: int, code: int = 0) -> str:
        title, script = SCRIPTS[number - 1]
        home = {"EVEN_ROSTER_HOME": str(self.service.home)}
        done = subprocess.run(
            [sys.executable, "-c", script], env={**environment(), **home}, capture_output=True, text=True, check=False
        )
        self.assertEqual((done.returncode, done.stderr), (code, ""), title)
        return done.stdout

    def test_the_scripts_do_what_they_say(self) -> None:
        self.assertEqual(len(SCRIPTS), 6)
        self.assertRegex(self.runs(1), r"(?m)^10\.44\.\S+ 02:c0:\S+ ")
        self.assertGreater(self.runs(2).count("\n"), 200)
        reserved = self.runs(3)
        self.assertEqual(len(re.findall(r"^10\.44\.10\.\d+ is reserved for kiosk-\d$", reserved, re.M)), 2, reserved)
        self.assertIn("read back and verified", reserved)
        self.assertRegex(self.runs(4, 1), r"(?m)^wrong: ")
        self.assertRegex(self.runs(5), r"100%, \d+ answered")
        told = self.runs(6)
        self.assertIn("printer-1 stands in Foyer, left", told)
        self.assertEqual(len(re.findall(r"^10\.44\.\S+ - ", told, re.M)), 3)

    def test_the_api_answers_as_its_guide_tells(self) -> None:
        token = json.loads((self.service.home / "service.json").read_text())["token"]
        with httpx.Client(base_url=self.service.url, headers={"Authorization": f"Bearer {token}"}, timeout=30) as web:
            paths = re.findall(r"`(/(?:api|healthz)[^`{…]*)`", API)
            self.assertGreater(len(paths), 6)
            for path in paths:
                if path in ("/api/v1", "/api/v1/events"):
                    continue
                with self.subTest(path):
                    self.assertEqual(web.get(path).status_code, 200)
            codes = set(re.findall(r"`([a-z]+_[a-z_]+|stale|taken|missing|ambiguous|mistakes|network)`", API))
            self.assertGreaterEqual(codes, {"not_signed_in", "no_version", "stale", "unknown_parameter", "too_large"})
            answer = web.patch("/api/v1/devices/printer-1", json={"place": "Foyer"})
            self.assertEqual((answer.status_code, answer.json()["code"]), (428, "no_version"))


if __name__ == "__main__":
    unittest.main()
