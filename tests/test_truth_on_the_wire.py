"""What goes wrong on a link with real kernels and real DHCP servers: each gives exactly its finding, and it closes when mended."""

from __future__ import annotations

import contextlib
import tempfile
import time
import unittest
from collections.abc import Callable
from pathlib import Path
from typing import Any

from even_roster.api.findings import FindingView
from even_roster.api.plan import AssignmentNew, SubnetNew
from even_roster.api.scans import ScanRequest
from even_roster.api.watching import WatchEdit
from even_roster.client import Roster
from tests.support.dhcp_lab import Link, dnsmasq, kea
from tests.support.lab import Inside, Namespace, T, needs_lab
from tests.support.service import Service, service
from tests.support.street import Street, street

GATE, ALPHA, BETA, TWIN = "02:c0:3e:77:00:01", "02:c0:9f:40:77:20", "02:c0:9f:40:77:21", "02:c0:9f:40:77:99"
Findings = set[tuple[str, str]]


@needs_lab
class OnTheLink(unittest.TestCase):
    """One street, one service that listens and watches by itself."""

    def setUp(self) -> None:
        self.stack = contextlib.ExitStack()
        self.addCleanup(self.stack.close)
        self.street: Street = self.stack.enter_context(street())
        self.street.join("10.77.0.1/24", GATE)
        self.street.join("10.77.0.20/24", ALPHA)
        self.beta = self.street.join("10.77.0.21/24", BETA)
        self.here: Namespace = self.street.join("10.77.0.5/24", "02:c0:9f:4f:77:05", gateway="10.77.0.1")
        self.service: Service = self.stack.enter_context(service("serve", inside=self.here, watch=True))
        self.inside = Inside(self.here)
        self.stack.callback(self.inside.close)
        self.roster = self.inside.do(self.service.client)
        subnet = self.do(
            lambda r: r.add_subnet(SubnetNew(range="10.77.0.0/24", name="Yard", gateway="10.77.0.1"))
        ).subnet.id
        for address, mac, name, role in (
            ("10.77.0.1", GATE, "gate", "network"), ("10.77.0.20", ALPHA, "alpha", ""), ("10.77.0.21", BETA, "beta", ""),
        ):  # fmt: skip
            self.assign(address, mac, name, role)
        self.do(lambda r: r.edit_watch(subnet, WatchEdit(every_minutes=0, ask_minutes=0)))

    def do(self, work: Callable[[Roster], T]) -> T:
        """A call of the client, made inside the service's namespace."""
        return self.inside.do(lambda: work(self.roster))

    def assign(self, address: str, mac: str, name: str, role: str = "") -> None:
        self.do(lambda r: r.assign(AssignmentNew(address=address, mac=mac, name=name, role=role)))

    def look(self) -> None:
        """A full scan."""
        info = self.do(lambda r: r.start_scan(ScanRequest(targets=["10.77.0.0/24"], pace=2000, names=False, ports=[])))
        while self.do(lambda r: r.scan(info.id)).state == "running":
            time.sleep(0.1)

    def findings(self) -> tuple[Findings, list[FindingView]]:
        found = self.do(lambda r: r.findings()).findings
        return {(f.kind, f.subjects[0].value) for f in found}, found

    def until(self, wanted: Findings, seconds: float, do: Callable[[], None] = lambda: None) -> list[FindingView]:
        """Wait until exactly these findings are open."""
        end = time.monotonic() + seconds
        kinds: Findings = set()
        found: list[FindingView] = []
        while time.monotonic() < end:
            kinds, found = self.findings()
            if kinds == wanted:
                return found
            do()
            time.sleep(0.1)
        self.fail(f"open: {found}\nwanted: {wanted}")

    def test_twins_changed_macs_impersonators_and_virtual_routers(self) -> None:
        end = time.monotonic() + 30  # the listener looks for adapters of known subnets every five seconds
        while not any(one.listening for one in self.do(lambda r: r.listening())):
            self.assertLess(time.monotonic(), end, "nobody listens")
            time.sleep(0.2)
        self.look()
        self.until(set(), 5)

        # Two hosts with one address: found by listening, within two seconds of the second one's first frame.
        twin = self.street.join("10.77.0.20/24", TWIN)
        claiming = self.street.speak(twin, "claim", TWIN, "10.77.0.20")
        assert claiming.stdout is not None
        began = float(claiming.stdout.readline())
        found = self.until({("duplicate-address", "10.77.0.20")}, 10)
        self.assertEqual({s.value for s in found[0].subjects}, {"10.77.0.20", ALPHA, TWIN})
        opened = found[0].since.timestamp()
        self.assertLessEqual(opened - began, 2.0)
        claiming.kill()
        self.street.leave(twin)
        self.until(set(), 35)

        # A host changes its MAC: somebody else is at the address planned for it.
        self.beta.ip("link", "set", "eth0", "down")
        self.beta.ip("link", "set", "eth0", "address", "02:c0:9f:40:77:88")
        self.beta.ip("link", "set", "eth0", "up")
        self.look()
        self.until({("assignment-not-in-effect", "10.77.0.21")}, 10)
        self.beta.ip("link", "set", "eth0", "down")
        self.beta.ip("link", "set", "eth0", "address", BETA)
        self.beta.ip("link", "set", "eth0", "up")
        self.look()
        self.until(set(), 20)

        # The gateway is impersonated by gratuitous ARP.
        thief = self.street.join(None, "02:c0:9f:40:77:66")
        speaking = self.street.speak(thief, "claim", "02:c0:9f:40:77:66", "10.77.0.1")
        found = self.until({("gateway-changed", "10.77.0.1")}, 10)
        self.assertEqual([s.value for s in found[0].subjects], ["10.77.0.1", GATE, "02:c0:9f:40:77:66"])
        # Meanwhile two routers share an address by VRRP and take it over from each other: that is as it should be.
        pair = [self.street.join(None, f"02:c0:3e:77:00:0{n}") for n in (2, 3)]
        for n, router in zip((2, 3), pair, strict=True):
            self.street.speak(router, "vrrp", f"02:c0:3e:77:00:0{n}", f"10.77.0.{n}", "10.77.0.254")
        speaking.kill()
        self.until(set(), 60)
        self.assertEqual(self.findings()[0], set(), "the virtual router gives no finding")

    def test_a_proxy_is_one_finding_and_no_false_duplicates(self) -> None:
        annex = self.street.join("10.77.0.4/24", "02:c0:3e:77:00:04")
        annex.ip("link", "add", "back0", "type", "veth", "peer", "name", "back1")
        annex.ip("link", "set", "back0", "up")
        annex.ip("link", "set", "back1", "up")
        annex.ip("route", "add", "10.77.0.128/26", "dev", "back0")
        annex.run("sysctl", "-qw", "net.ipv4.conf.eth0.proxy_arp=1", "net.ipv4.neigh.eth0.proxy_delay=0")
        annex.run("sysctl", "-qw", "net.ipv4.ip_forward=1")
        self.street.join("10.77.0.130/24", "02:c0:9f:40:77:30")
        for address, mac, name in (
            ("10.77.0.4", "02:c0:3e:77:00:04", "annex"),
            ("10.77.0.130", "02:c0:9f:40:77:30", "desk"),
        ):
            self.assign(address, mac, name)
        self.look()
        self.until({("proxy-arp", "02:c0:3e:77:00:04")}, 15)
        annex.run("sysctl", "-qw", "net.ipv4.conf.eth0.proxy_arp=0")
        annex.ip("route", "del", "10.77.0.128/26")
        time.sleep(1.5)  # what was seen less than a second before a look begins counts for that look
        self.look()
        self.until(set(), 75)

    def test_one_dhcp_server_too_many_and_none(self) -> None:
        with contextlib.ExitStack() as stack:
            folders = [Path(stack.enter_context(tempfile.TemporaryDirectory())) for _ in range(2)]
            for folder in folders:
                folder.chmod(0o755)
            ledger = self.street.join("10.77.0.2/24", "02:c0:5b:77:00:02", name="srv0")
            rogue = self.street.join("10.77.0.9/24", "02:c0:3e:77:00:09", name="srv0")
            self.assign("10.77.0.2", "02:c0:5b:77:00:02", "ledger")
            self.assign("10.77.0.9", "02:c0:3e:77:00:09", "cupboard")
            running = stack.enter_context(kea(Link(ledger, folders[0]), _kea(folders[0])))
            self.assertEqual(
                self.service.roster(
                    "dhcp",
                    "add",
                    "ledger",
                    "kea",
                    "--config",
                    f"{folders[0]}/kea.conf",
                    "--socket",
                    f"{folders[0]}/kea.sock",
                ).returncode,
                0,
            )
            adopted = self.service.roster("dhcp", "adopt", "ledger")
            self.assertEqual(adopted.returncode, 0, adopted.stderr)
            self.look()
            asked: Any = self.service.json("dhcp", "ask", "--wait", "2")
            self.assertEqual(
                [(o["server"], o["planned"], o["differences"]) for o in asked["offers"]], [("10.77.0.2", True, [])]
            )
            self.assertTrue(asked["well"])
            self.assertIn("lease time", {o["name"] for o in asked["offers"][0]["options"]})
            self.until(set(), 10)
            with dnsmasq(Link(rogue, folders[1]), "", _dnsmasq(folders[1])):
                asked = self.service.json("dhcp", "ask", "--wait", "2")
                self.assertEqual(sorted(o["server"] for o in asked["offers"]), ["10.77.0.2", "10.77.0.9"])
                found = self.until({("unexpected-dhcp-server", "10.77.0.9")}, 5)
                self.assertIn(
                    "it hands out the gateway 10.77.0.9 where the plan has 10.77.0.1",
                    [e.said for e in found[0].evidence],
                )
            for _ in range(2):
                asked = self.service.json("dhcp", "ask", "--wait", "1")
                self.assertTrue(asked["well"], asked["verdict"])
            self.until(set(), 10)
            running.terminate()
            running.wait(timeout=10)
            for _ in range(2):
                done = self.service.roster("dhcp", "ask", "--wait", "0.5")
                self.assertEqual(
                    (done.returncode, done.stdout), (1, "Nobody answers in Yard, where the plan has a pool.\n")
                )
            self.until({("no-dhcp-server", "Yard")}, 5)


def _kea(folder: Path) -> str:
    return f"""{{ "Dhcp4": {{ "interfaces-config": {{ "interfaces": [ "srv0" ], "dhcp-socket-type": "raw" }},
      "control-socket": {{ "socket-type": "unix", "socket-name": "{folder}/kea.sock" }},
      "lease-database": {{ "type": "memfile", "persist": false }}, "valid-lifetime": 3600,
      "subnet4": [ {{ "id": 1, "subnet": "10.77.0.0/24", "pools": [ {{ "pool": "10.77.0.200 - 10.77.0.219" }} ],
        "option-data": [ {{ "name": "routers", "data": "10.77.0.1" }} ] }} ] }} }}"""


def _dnsmasq(folder: Path) -> str:
    return (
        f"port=0\ninterface=srv0\nbind-interfaces\nno-ping\ndhcp-authoritative\nuser=root\n"
        f"dhcp-range=10.77.0.230,10.77.0.239,255.255.255.0,1h\ndhcp-option=3,10.77.0.9\n"
        f"dhcp-leasefile={folder}/leases\npid-file={folder}/pid\n"
    )


if __name__ == "__main__":
    unittest.main()
