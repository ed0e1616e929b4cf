"""Healthy churn on a link with real kernels, DHCP and routers that fail: nothing is told that is not true, through a restart too."""

from __future__ import annotations

import time
from pathlib import Path
from tempfile import TemporaryDirectory

from even_roster.api.dhcp import DhcpServerNew
from even_roster.api.plan import BandNew
from tests.support.answers import agree, disagreements
from tests.support.churn import POOL, SERVER, SERVER_MAC, Churn, dhcp_server, keepalived
from tests.support.effort import effort
from tests.support.lab import Namespace, needs_lab
from tests.support.patience import PATIENCE, until
from tests.support.yard import Yard

BESIDE = "link"
PART = "endure"

SECONDS = effort(60, 60, 3600)
SHARED, ROUTERS = "10.77.0.254", ("02:c0:3e:77:00:03", "02:c0:3e:77:00:04")
TRUE = frozenset({"unknown-device"})
"""What is so: nobody has named the phones."""
BOX = "02:c0:5b:77:00:60"
CONTAINERS = [f"10.77.0.{last}" for last in range(61, 75)]


@needs_lab
class HealthyChurn(Yard):
    def test_nothing_that_is_not_true_is_told(self) -> None:
        self.stack.enter_context(dhcp_server(self.street))
        self.do(lambda r: r.add_band(BandNew(subnet="Yard", kind="pool", range=POOL, name="visitors")))
        self.assign(SERVER, SERVER_MAC, "leases", "server")
        self.do(lambda r: r.add_dhcp_server(DhcpServerNew(name="leases", edited_by_hand=True, addresses=[SERVER])))
        pair = [self.street.join(f"10.77.0.{n}/24", mac) for n, mac in zip((3, 4), ROUTERS, strict=True)]
        for n, mac in zip((3, 4), ROUTERS, strict=True):
            self.assign(f"10.77.0.{n}", mac, f"router-{n}", "network")
        self.assign(SHARED, "", "way-out", "network")
        box = self.street.join("10.77.0.60/24", BOX)
        self.assign("10.77.0.60", BOX, "box", "server")
        for number, address in enumerate(CONTAINERS):
            self.assign(address, "", f"container-{number}")
        self.listening()
        self.name_the_routers(pair)
        self.stack.enter_context(keepalived(pair[1], SHARED, 100))
        before = self.turns()
        with TemporaryDirectory() as folder:
            Path(folder).chmod(0o755)
            churn = Churn(self.street, 29, Path(folder))
            self.stack.callback(churn.stop)
            for number in range(3):
                churn.laptop(f"02:c0:9f:41:77:{number:02x}", f"laptop-{number}")
            churn.phone("phone-1")
            churn.phone("phone-2")
            churn.dock("02:c0:9f:42:77:01", "laptop-8", "laptop-9")
            churn.containers(box, CONTAINERS)
            churn.routers(pair[0], SHARED)
            self.go_on(churn, 1, before)
            self.service.stop()
            self.start()
            self.listening()
            self.go_on(churn, 2, before)
            churn.stop()
        self.assertEqual(len(churn.turns), 8, churn.turns)
        agree(lambda: self.do(disagreements), "after the churn")

    def go_on(self, churn: Churn, least: int, before: list[tuple[int, int]]) -> None:
        """Look at all of it meanwhile, by full scans and at what is told: for half of the time, and until everybody has come and
        gone so often."""
        end = time.monotonic() + SECONDS / 2
        while time.monotonic() < end or min(churn.turns.values()) < least:
            self.assertLess(time.monotonic(), end + PATIENCE, churn.turns)
            self.look()
            opened = [f for f in self.do(lambda r: list(r.findings("all"))) if (f.id, f.times) not in before]
            told_of = [(f.kind, f.state, [e.said for e in f.evidence]) for f in opened]
            self.assertEqual([one for one in told_of if one[0] not in TRUE], [])
            self.assertEqual(churn.errors, [])

    def turns(self) -> list[tuple[int, int]]:
        """Every finding so far, with how often it was opened."""
        return [(f.id, f.times) for f in self.do(lambda r: list(r.findings("all")))]

    def name_the_routers(self, pair: list[Namespace]) -> None:
        """Let both have the shared address in turn, and say of what is told that they are members of one group."""
        for router in pair:
            with keepalived(router, SHARED, 100):
                until(lambda router=router: f" {SHARED}/" in router.ip("address"), "no takeover")  # type: ignore[misc]
                self.look()
                if router is pair[1]:
                    (found,) = self.until({("address-taken-over", SHARED)}, self.look)
        for which in (0, 1):
            self.step(found, "member", which)
        self.until(set())
