"""Moments around every kind of edge, on real kernels: what happened is kept apart, and no answer may be false.

A host that is held at a moment was there, one that was silent was not; what nobody could know is said to be unknown, with why.
"""

from __future__ import annotations

import contextlib
import tempfile
import time
import unittest
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path

from even_roster.api.dhcp import DhcpServerNew
from even_roster.api.history import Moment
from even_roster.api.plan import SubnetNew
from even_roster.api.scans import ScanRequest
from even_roster.api.watching import WatchEdit
from even_roster.client import Roster
from even_roster.core.past.rule import CLOSE
from tests.support.lab import Inside, Namespace, T, needs_lab
from tests.support.patience import until
from tests.support.service import Service, service
from tests.support.street import Street, street

BESIDE = "link"

ALPHA, BETA, GAMMA, DELTA = (f"02:c0:9f:40:78:{n}" for n in ("20", "21", "22", "23"))
CONTROL, FORGED = "02:c0:9f:40:78:0a", "02:c0:9f:40:78:66"
NETWORK = "10.78.0.0/26"
SLACK = 0.25
"""Seconds around an edge within which nobody says on which side of it a moment lies."""


@dataclass
class There:
    """What happened to a pair: from when to when (seconds) it was there; None: it is there still."""

    stretches: list[tuple[float, float | None]] = field(default_factory=list)

    def at(self, moment: float) -> bool | None:
        """Whether it was there; None too close to an edge."""
        for first, last in self.stretches:
            if abs(moment - first) < SLACK or (last is not None and abs(moment - last) < SLACK):
                return None
            if first <= moment and (last is None or moment <= last):
                return True
        return False


@needs_lab
class Moments(unittest.TestCase):
    def setUp(self) -> None:
        self.stack = contextlib.ExitStack()
        self.addCleanup(self.stack.close)
        self.street = self.stack.enter_context(street())
        self.street.join("10.78.0.10/26", CONTROL)
        self.here: Namespace = self.street.join("10.78.0.5/26", "02:c0:9f:4f:78:05")
        self.inside = Inside(self.here)
        self.stack.callback(self.inside.close)
        self.home = Path(self.stack.enter_context(tempfile.TemporaryDirectory())) / "home"
        self.running = self.stack.enter_context(contextlib.ExitStack())
        self.truth: dict[tuple[str, str], There] = {}
        self.edges: list[float] = []
        self.hosts: dict[str, Namespace] = {}
        self.start()
        subnet = self.do(lambda r: r.add_subnet(SubnetNew(range=NETWORK, name="Yard"))).subnet.id
        self.do(lambda r: r.edit_watch(subnet, WatchEdit(every_minutes=0, ask_minutes=0, light_minutes=0)))

    def start(self) -> None:
        self.running.close()
        self.service: Service = self.running.enter_context(
            service("serve", home=self.home, inside=self.here, watch=True)
        )
        self.roster = self.inside.do(self.service.client)

    def do(self, work: Callable[[Roster], T]) -> T:
        return self.inside.do(lambda: work(self.roster))

    def look(self, network: str = NETWORK) -> None:
        """A full scan, with a control that answers in it."""
        order = ScanRequest(targets=[network], pace=2000, with_names=False, ports=[])
        info = self.do(lambda r: r.start_scan(order))
        until(lambda: self.do(lambda r: r.scan(info.id)).state != "running", "the scan does not end")

    def edge(self) -> float:
        self.edges.append(time.time())
        return self.edges[-1]

    def comes(self, mac: str, address: str, on: Street | None = None) -> None:
        """A host joins a link, or comes back to it, at an address."""
        before = self.edge()
        if mac not in self.hosts:
            self.hosts[mac] = (on or self.street).join(f"{address}/26", mac)
        else:
            host = self.hosts[mac]
            host.ip("address", "flush", "dev", "eth0")
            host.ip("address", "add", f"{address}/26", "dev", "eth0")
            host.ip("link", "set", "eth0", "up")
        self.truth.setdefault((address, mac), There()).stretches.append((before, None))
        until(lambda: "state UP" in self.hosts[mac].ip("-o", "link", "show", "eth0"), "its link does not come up")

    def goes(self, mac: str, address: str) -> None:
        """It is switched off, or moves away."""
        self.hosts[mac].ip("link", "set", "eth0", "down")
        there = self.truth[address, mac]
        there.stretches[-1] = (there.stretches[-1][0], self.edge())

    def at(self, subject: str, moment: float) -> Moment:
        return self.do(lambda r: r.at(subject, datetime.fromtimestamp(moment, UTC)))

    def test_no_answer_around_any_edge_is_false(self) -> None:
        self.comes(ALPHA, "10.78.0.20")
        self.comes(BETA, "10.78.0.21")
        self.comes(GAMMA, "10.78.0.22")
        self.look()
        self.look()
        self.goes(ALPHA, "10.78.0.20")  # switched off
        self.look()
        self.look()
        between = self.edge()
        self.goes(BETA, "10.78.0.21")  # moves
        self.comes(BETA, "10.78.0.31")
        self.look()
        self.goes(GAMMA, "10.78.0.22")  # off and back between two looks
        off = self.edge()
        until(lambda: time.time() - off > CLOSE / 1000 + 1, "time stands still")  # less is no absence
        self.comes(GAMMA, "10.78.0.22")
        self.look()
        self.comes(ALPHA, "10.78.0.20")  # back
        self.look()

        self.here.ip("link", "set", "eth0", "down")  # our own cable
        pulled = self.edge()
        self.goes(GAMMA, "10.78.0.22")
        with contextlib.suppress(Exception):
            self.look()
        until(lambda: self.deaf("the link of eth0 was down", pulled), "that the own link is down is not kept")
        self.here.ip("link", "set", "eth0", "up")
        self.comes(GAMMA, "10.78.0.22")
        self.edge()
        until(lambda: "state UP" in self.here.ip("-o", "link", "show", "eth0"), "our link does not come up")
        self.look()

        stopped = self.edge()
        self.goes(ALPHA, "10.78.0.20")
        self.running.close()  # stopped in order
        away = self.edge()
        self.comes(ALPHA, "10.78.0.20")
        self.start()
        self.look()
        killed = self.edge()
        self.service.process.kill()
        self.goes(ALPHA, "10.78.0.20")
        dead = self.edge()
        self.start()
        self.look()
        self.look()

        forging = self.street.join(None, FORGED)  # a frame in a known device's name, and one in its own
        for mac, address in ((BETA, "10.78.0.22"), (FORGED, "10.78.0.31")):
            speaking = self.street.speak(forging, "claim", mac, address)
            assert speaking.stdout is not None
            speaking.stdout.readline()
            until(lambda claimed=address: self.heard(claimed), "it is not heard")  # type: ignore[misc]
            speaking.kill()
        forged = self.edge()
        self.look()
        end = self.edge()

        self.compare(end, "held", "unknown", "silent", "probably")
        # What can be known is said, not only what cannot.
        self.assertEqual(self.known("10.78.0.20", ALPHA, between), "silent")
        self.assertIn(self.known("10.78.0.22", GAMMA, off), ("probably", "held"), "nobody could see that it was off")
        self.assertEqual(self.known("10.78.0.22", BETA, forged), "", "a forged frame is nothing to be known")
        self.assertEqual(self.known("10.78.0.31", FORGED, forged), "")
        self.assertTrue(self.deaf("Even Roster did not run", away), "while it was stopped")
        self.assertTrue(self.deaf("was not stopped in order", dead))
        self.assertTrue(stopped < away < killed < dead)
        (listed,) = [one for one in self.do(lambda r: list(r.devices())) if one.mac == BETA]
        self.assertEqual(listed.address, "10.78.0.31", "where it answers")
        self.assertNotIn(FORGED, {one.mac for one in self.do(lambda r: list(r.devices()))})

    def test_of_two_adapters_each_knows_its_own_link_and_a_lease_is_no_answer(self) -> None:
        other = self.stack.enter_context(street())
        other.join("10.79.0.10/26", "02:c0:9f:40:79:0a")
        other.plug(self.here, "10.79.0.5/26", "02:c0:9f:4f:79:05", "eth1")
        self.comes(ALPHA, "10.78.0.20")
        self.comes(DELTA, "10.79.0.23", other)

        def look() -> None:
            for network in (NETWORK, "10.79.0.0/26"):
                self.look(network)

        look()
        look()
        self.here.ip("link", "set", "eth1", "down")  # the cable of one
        pulled = self.edge()
        self.goes(DELTA, "10.79.0.23")
        with contextlib.suppress(Exception):
            look()
        self.goes(ALPHA, "10.78.0.20")  # switched off beside the other
        with contextlib.suppress(Exception):
            look()
        off = self.edge()
        until(lambda: self.deaf("the link of eth1 was down", pulled), "that one link is down is not kept")
        self.here.ip("link", "set", "eth1", "up")
        self.comes(DELTA, "10.79.0.23")
        until(lambda: "state UP" in self.here.ip("-o", "link", "show", "eth1"), "our link does not come up")
        look()
        self.assertEqual(self.known("10.78.0.20", ALPHA, off - 0.1), "silent")

        begun = self.edge()
        folder = self.home.parent
        ends = round(begun) + 4
        (folder / "leases").write_text(f"{ends} {GAMMA} 10.78.0.40 gamma *\n")
        (folder / "hosts").write_text("")
        self.service.json(
            "dhcp", "allow", "yard", "dnsmasq", "--hosts", str(folder / "hosts"), "--leases", str(folder / "leases")
        )
        self.do(lambda r: r.add_dhcp_server(DhcpServerNew(name="yard", addresses=["10.78.0.10"])))
        until(lambda: self.do(lambda r: list(r.dhcp_leases())), "the lease is not read")
        leased = self.edge()
        until(lambda: time.time() > ends + 1, "time stands still")
        self.edge()
        look()
        end = self.edge()
        self.truth["10.78.0.40", GAMMA] = There()  # it never was there
        self.compare(end, "unknown", "silent", "probably")
        (told,) = [one for one in self.at("10.78.0.40", leased + 0.5).known if one.mac == GAMMA]
        self.assertEqual(told.known, "unknown")
        self.assertIn("leased to", told.said)
        self.assertEqual(
            [one for moment in (begun, end) for one in self.at("10.78.0.40", moment).known if one.known != "unknown"],
            [],
        )

    def heard(self, address: str) -> bool:
        """True when a claim of an address was heard."""
        told = self.do(lambda r: r.listening())
        return any(address in line.said for one in told for line in one.lines)

    def deaf(self, said: str, moment: float) -> bool:
        """True when that is told of some address at a moment."""
        told = [self.at(address, moment) for address, _ in self.truth]
        return any(said in sentence for one in told for sentence in one.sentences)

    def known(self, address: str, mac: str, moment: float) -> str:
        """The verdict on a pair; empty where nothing is said of it."""
        return next((one.known for one in self.at(address, moment).known if one.mac == mac), "")

    def compare(self, end: float, *verdicts_due: str) -> None:
        """Every answer about every pair around every edge, by address and by MAC; each of the verdicts that are due is given."""
        verdicts = Counter[str]()
        asked = 0
        for edge in self.edges:
            for moment in (edge - 0.6, edge + 0.6):
                if moment > end:
                    continue
                for (address, mac), there in self.truth.items():
                    really = there.at(moment)
                    for subject in (address, mac):
                        answer = self.at(subject, moment)
                        asked += 1
                        self.assertTrue(answer.sentences)
                        for one in answer.known:
                            if (one.address, one.mac) != (address, mac) or really is None:
                                continue
                            verdicts[one.known] += 1
                            self.assertTrue(one.said.endswith("."), one.said)
                            false = (one.known == "held" and not really) or (one.known == "silent" and really)
                            self.assertFalse(false, f"{one} at {moment}, it was {'there' if really else 'away'}")
        self.assertGreater(asked, 60)
        self.assertGreater(min(verdicts[one] for one in verdicts_due), 0, verdicts)


if __name__ == "__main__":
    unittest.main()
