"""Nothing that the API's description allows brings an answer that it does not have. A longer run is made by hand: see
docs/reliability.md."""

from __future__ import annotations

import os
import subprocess
import sys
import unittest

from tests.support.effort import current, effort
from tests.support.lab import ROOT

BESIDE = "anything"
PART = "test and endure"

EXAMPLES = str(effort(1, 6, 50))
PHASES = "examples,fuzzing" if current() == "test" else "examples,fuzzing,stateful"


@unittest.skipUnless(
    os.geteuid() == 0, "needs a network namespace, so that nothing that is made up reaches a real network"
)
class Fuzzed(unittest.TestCase):
    def test_every_answer_is_one_that_was_described(self) -> None:
        command = ["unshare", "--net", sys.executable, "-m", "tests.support.fuzz_run", EXAMPLES, PHASES]
        done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 0, done.stdout[-6000:] + done.stderr[-2000:])
        self.assertIn("passed", done.stdout)


if __name__ == "__main__":
    unittest.main()
