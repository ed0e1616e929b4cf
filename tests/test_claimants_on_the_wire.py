"""A second claimant of an address on a link with real kernels, in each way that one can show itself: told soon, told as what it is
everywhere, and closed when it is gone."""

from __future__ import annotations

import sys
import time
import unittest
from dataclasses import dataclass

from even_roster.api.findings import FindingView
from even_roster.api.plan import SubnetNew
from even_roster.api.watching import WatchEdit
from tests.support.lab import Namespace, needs_lab
from tests.support.patience import until
from tests.support.street import street
from tests.support.yard import TWIN, Yard

BESIDE = "link"

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


if __name__ == "__main__":
    unittest.main()
