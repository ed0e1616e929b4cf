"""A second claimant of an address on a link with real kernels, in each way that one can show itself: told soon, told as what it is
everywhere, and closed when it is gone."""

from __future__ import annotations

import sys
import time
import unittest
from dataclasses import dataclass
from pathlib import Path

from even_roster.api.findings import FindingView
from even_roster.api.plan import SubnetNew
from even_roster.api.watching import WatchEdit
from tests.support.effort import effort
from tests.support.lab import Namespace, needs_lab
from tests.support.patience import until
from tests.support.street import street
from tests.support.yard import TWIN, Yard

BESIDE = "link"
PART = "test and endure"

FLOODS = (("foreign", 500), ("planned", 300), ("made-up", 500))
SECONDS, PLANNED = effort(4, 30), effort(20, 200)

FAR_GATE, FAR_HOST = "02:c0:3e:78:00:01", "02:c0:9f:40:78:20"
TOLD, HEARD, CLOSED = 2.0, 10.0, 15.0
SLACK = 13.0
"""What a machine that runs other tests beside may need longer."""


@dataclass(frozen=True)
class Way:
    """How a second claimant shows itself: at which address, on which street, with which options, and what is told of it."""

    name: str
    address: str
    options: tuple[str, ...] = ()
    kind: str = "duplicate-address"
    mac: str = TWIN
    far: bool = False
    within: float = TOLD
    heard: bool = False


WAYS = (
    Way("at once", "10.77.0.20"),
    Way("after 300 ms", "10.77.0.20", ("--delay", "0.3"), within=TOLD + 0.3),
    Way("after a second", "10.77.0.20", ("--delay", "1"), within=TOLD + 1),
    Way("after 1.8 s", "10.77.0.20", ("--delay", "1.8"), within=TOLD + 1.8),
    Way("by unicast alone", "10.77.0.20", ("--unicast",)),
    Way("it only speaks", "10.77.0.20", ("--mute", "--every", "2"), "address-claimed", within=HEARD, heard=True),
    Way("by a virtual router's MAC", "10.77.0.20", mac="00:00:5e:00:01:07"),
    Way("on an own address", "10.77.0.5"),
    Way("on an own address of the second adapter", "10.78.0.5", far=True),
    Way("on the gateway", "10.77.0.1", kind="gateway-changed"),
    Way("on the gateway of the second adapter's subnet", "10.78.0.1", kind="gateway-changed", far=True),
    Way("on the second adapter's link", "10.78.0.20", far=True),
    Way("on the gateway, and only speaks", "10.77.0.1", ("--mute", "--every", "2"), "gateway-changed", heard=True),
)


@needs_lab
class SecondClaimant(Yard):
    def setUp(self) -> None:
        super().setUp()
        self.garden = self.stack.enter_context(street())
        self.garden.join("10.78.0.1/24", FAR_GATE)
        self.garden.join("10.78.0.20/24", FAR_HOST)
        self.garden.plug(self.here, "10.78.0.5/24", "02:c0:9f:4f:78:05", "eth1")
        far = self.do(lambda r: r.add_subnet(SubnetNew(range="10.78.0.0/24", name="Garden", gateway="10.78.0.1")))
        self.assign("10.78.0.20", FAR_HOST, "shed")
        self.do(lambda r: r.edit_watch(far.subnet.id, WatchEdit(every_minutes=0, ask_minutes=0)))
        until(lambda: sum(one.listening for one in self.do(lambda r: r.listening())) == 2, "nobody listens")
        self.look()
        self.look("10.78.0.0/24")
        self.until(set())
        self.rivals = {
            False: self.street.join(None, "02:c0:9f:40:77:97"),
            True: self.garden.join(None, "02:c0:9f:40:78:97"),
        }

    def test_each_way_is_told_soon_and_closed_when_it_is_gone(self) -> None:
        for way in WAYS:
            with self.subTest(way.name):
                told, closed = self.tried(way, self.rivals[way.far])
                self.assertLessEqual(told, way.within + SLACK, "told")
                self.assertLessEqual(closed, CLOSED + SLACK, "closed")

    def tried(self, way: Way, rival: Namespace) -> tuple[float, float]:
        """How long it took until a way was told, and until it was closed after its end."""
        process = rival.start(sys.executable, "-m", "tests.support.rival", way.mac, way.address, *way.options)
        self.addCleanup(process.kill)
        assert process.stdout is not None
        try:
            began = float(process.stdout.readline())
            (found,) = self.until({(way.kind, way.address)})
            told = found.since.timestamp() - began
            self.told_alike(way, found)
        finally:
            process.kill()
            process.communicate()
        ended = time.monotonic()
        self.until(set())
        return told, time.monotonic() - ended

    def told_alike(self, way: Way, found: FindingView) -> None:
        """The finding names the rival, and says whether it was only heard once it was asked; `explain` says the same."""
        until(lambda: self.do(lambda r: r.finding(found.id)).finding.heard == way.heard, f"heard is not {way.heard}")
        self.assertIn(way.mac, {one.value for one in self.do(lambda r: r.finding(found.id)).finding.subjects})
        said = self.service.roster("explain", way.address).stdout
        if way.address in ("10.77.0.5", "10.78.0.5"):
            self.assertIn("This machine has it itself", said)
        elif not way.heard:
            until(lambda: "It is claimed by two" in self.service.roster("explain", way.address).stdout, said)
        else:
            self.assertNotIn("claimed by two", said)


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
                self.assertLessEqual(self.told_of(rival), 10 + SLACK, "during it")
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
