"""A true second claimant of a planned address on a link with real kernels, while others flood it with claims."""

from __future__ import annotations

import sys
import unittest
from pathlib import Path

from even_roster.api.findings import FindingView
from tests.support.effort import effort
from tests.support.lab import Namespace, needs_lab
from tests.support.patience import until
from tests.support.yard import TWIN, Yard

BESIDE = "link"
PART = "test and endure"

FLOODS = (("foreign", 500), ("planned", 300), ("made-up", 500))
SECONDS, PLANNED = effort(4, 30), effort(20, 200)
TOLD, TOLD_IN_A_FLOOD = 2.0, 10.0
SLACK = 13.0
"""What a machine that runs other tests beside may need longer."""


@needs_lab
class InAFlood(Yard):
    """A true second claimant of a planned address while others flood the link with claims."""

    def test_it_is_told_during_and_after_and_nothing_known_changes(self) -> None:
        self.listening()
        flooder = self.street.join(None, "02:c0:9f:40:77:96")
        rival = self.street.join(None, "02:c0:9f:40:77:97")
        last = [f"10.77.0.{n}" for n in range(30, 30 + PLANNED)]
        for number, address in enumerate(last):
            self.assign(address, f"02:c0:9f:41:77:{number:02x}", f"desk-{number}")
        self.look()
        self.until(set())
        before = self.memory()
        known = self.devices()
        for what, pace in FLOODS:
            with self.subTest(what):
                flood = flooder.start(sys.executable, "-m", "tests.support.claim_flood", what, str(pace))
                self.addCleanup(flood.kill)
                assert flood.stdout is not None
                flood.stdout.readline()
                begun = self.frames()
                until(lambda begun=begun, pace=pace: self.frames() - begun >= SECONDS * pace, "the flood is not heard")  # type: ignore[misc]
                self.assertLessEqual(self.told_of(rival), TOLD_IN_A_FLOOD + SLACK, "during it")
                self.assertLessEqual(len(self.findings()[1]), 20)
                if what == "foreign":
                    said = self.do(lambda r: r.health())
                    self.assertEqual((said.status, "in question" in said.trouble), ("impaired", True), said)
                flood.kill()
                flood.communicate()
                self.assertLessEqual(self.told_of(rival), TOLD + SLACK, "after it")
                self.assertEqual(self.devices(), known)
        self.assertLess(self.memory() - before, 30 << 20)
        until(lambda: self.do(lambda r: r.health()).status == "ok", lambda: str(self.do(lambda r: r.health())))

    def told_of(self, rival: Namespace) -> float:
        """How long it takes until a true second claimant of alpha's address is told; it is gone, and not told of, afterwards."""
        process = rival.start(sys.executable, "-m", "tests.support.rival", TWIN, "10.77.0.20", "--every", "1")
        assert process.stdout is not None

        def told() -> FindingView | None:
            found = self.findings()[1]
            return next(
                (f for f in found if f.kind == "duplicate-address" and TWIN in {s.value for s in f.subjects}), None
            )

        try:
            began = float(process.stdout.readline())
            found = until(told, "the second claimant is not told")
            assert found is not None
            return found.since.timestamp() - began
        finally:
            process.kill()
            process.communicate()
            until(lambda: told() is None, "it does not close")

    def frames(self) -> int:
        """How many frames came so far."""
        return sum(one.frames for one in self.do(lambda r: r.listening()))

    def devices(self) -> dict[str, tuple[str | None, ...]]:
        """What is said of each device but when it was seen last; a true second claimant becomes one."""
        rows = self.do(lambda r: list(r.devices()))
        return {row.mac: (row.name, row.address, row.role) for row in rows if row.mac is not None and row.mac != TWIN}

    def memory(self) -> int:
        """Octets that the service has in memory."""
        lines = Path(f"/proc/{self.service.process.pid}/status").read_text().splitlines()
        return next(int(line.split()[1]) << 10 for line in lines if line.startswith("VmRSS"))


if __name__ == "__main__":
    unittest.main()
