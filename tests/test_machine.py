"""Reading this machine's own settings, in network namespaces that are set up for it; and serving over TLS."""

from __future__ import annotations

import json
import re
import shutil
import ssl
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import Any

import httpx

from even_roster.client import Roster, Unreachable
from tests.support.lab import Namespace, namespace, needs_lab, run
from tests.support.patience import PATIENCE, until
from tests.support.service import service

BESIDE = "link"

READ = """
import json
from even_roster.probe.machine import RealMachine
machine = RealMachine()
print(json.dumps([[a.name, str(a.mac), [str(i) for i in a.addresses], a.medium, a.up, str(a.gateway), [str(d) for d in a.dns],
                   machine.open(a).kind if a.addresses else None] for a in machine.adapters()]))
"""
ANSWERS = """
import socket
from ipaddress import IPv4Address
from even_roster.core.mac import Mac, MacNumber
from even_roster.probe.machine import RealMachine
from even_roster.wire import arp, ethernet
machine = RealMachine()
adapter = next(a for a in machine.adapters() if a.name == "desk0")
door = machine.open(adapter).arp_answers()
far = socket.socket(socket.AF_PACKET, socket.SOCK_RAW)
far.bind(("desk0p", 0))
them, address, ours = Mac(MacNumber(0x02C09F407720)), IPv4Address("10.77.0.20"), IPv4Address("10.77.0.5")
question = arp.decode(arp.request(adapter.mac, ours, address).payload)
reply = ethernet.encode(arp.reply_to(question, them, address))
for frame in (ethernet.encode(arp.request(them, address, ours)), reply[:12] + b"\\x08\\x00" + reply[14:], reply):
    far.send(frame)
came = []
while reply not in came:
    came += [frame for _, frame in door.receive(0.1)]
print(len(came))
"""


@needs_lab
class Adapters(unittest.TestCase):
    def setUp(self) -> None:
        self.inside: Namespace = self.enterContext(namespace())

    def link(self, name: str, *addresses: str, mac: str | None = None, up: bool = True) -> None:
        self.inside.ip("link", "add", name, "type", "veth", "peer", "name", f"{name}p")
        if mac:
            self.inside.ip("link", "set", name, "address", mac)
        for address in addresses:
            self.inside.ip("address", "add", address, "dev", name)
        if up:
            self.inside.ip("link", "set", name, "up")
            self.inside.ip("link", "set", f"{name}p", "up")

    def read(self, *prefix: str) -> dict[str, list[Any]]:
        return {row[0]: row for row in json.loads(self.inside.run(*prefix, sys.executable, "-c", READ))}

    def test_addresses_gateways_and_servers_are_those_of_the_system(self) -> None:
        self.link("office0", "10.44.10.20/24", "10.44.11.20/25", mac="02:c0:9f:4e:00:01")
        self.link("stage0", "10.44.20.20/26")
        self.inside.ip("route", "add", "default", "via", "10.44.10.1", "dev", "office0", "metric", "50")
        self.inside.ip("route", "add", "default", "via", "10.44.10.3", "dev", "office0", "metric", "10")
        found = self.read()
        self.assertEqual(
            found["office0"][1:],
            [
                "02:c0:9f:4e:00:01",
                ["10.44.10.20/24", "10.44.11.20/25"],
                "virtual",
                True,
                "10.44.10.3",
                ["127.0.0.1"],
                "packet",
            ],
        )
        self.assertEqual((found["stage0"][2], found["stage0"][5]), (["10.44.20.20/26"], "None"))
        self.assertEqual(found["lo"][3], "loopback")

    def test_a_directed_round_is_woken_by_answers_alone(self) -> None:
        """However busy the link is, what is no ARP reply stays in the kernel."""
        self.link("desk0", "10.77.0.5/24")
        self.assertEqual(self.inside.run(sys.executable, "-c", ANSWERS).strip(), "1")

    def test_an_adapter_that_is_down_is_said_to_be(self) -> None:
        self.link("spare0", "10.44.30.20/24", up=False)
        self.assertFalse(self.read()["spare0"][4])

    def test_the_best_door_that_this_account_may_use_is_opened(self) -> None:
        self.link("office0", "10.44.10.20/24")
        nobody = ("setpriv", "--bounding-set=-all", "--inh-caps=-all")
        self.assertEqual((self.read()["office0"][7], self.read(*nobody)["office0"][7]), ("packet", "kernel"))

    def test_a_service_on_a_machine_without_an_address_says_what_to_do(self) -> None:
        with service("serve", inside=self.inside) as running:
            here = running.roster("here")
            self.assertEqual(here.returncode, 1)
            self.assertIn("plug in a cable or set an address", here.stdout)
            scan = running.roster("scan")
            self.assertEqual(scan.returncode, 2)
            self.assertIn("no adapter of this machine is up", scan.stderr)

    def test_a_link_that_goes_away_ends_the_scan_and_says_so(self) -> None:
        self.link("office0", "10.44.10.20/24")
        with service("serve", inside=self.inside) as running:
            scanning = self.inside.start(
                sys.executable,
                "-m",
                "even_roster.cli.main",
                "--home",
                str(running.home),
                "scan",
                "--pace",
                "60",
                "--no-names",
                stderr=subprocess.PIPE,
            )
            until(
                lambda: re.search(r'"probes": [1-9]', running.roster("scan", "--earlier", "--json").stdout) is not None,
                "the scan does not begin",
                0.2,
            )
            self.inside.ip("link", "delete", "office0")
            told, _ = scanning.communicate(timeout=PATIENCE)
            self.assertEqual(scanning.returncode, 1)
            self.assertIn("failed after", told)
            self.assertIn("the link is gone", told)
            health = self.inside.run(
                sys.executable, "-c", f"import httpx; print(httpx.get('{running.url}/healthz').status_code)"
            )
            self.assertEqual(health.strip(), "200")


@unittest.skipUnless(shutil.which("openssl"), "openssl is not installed")
class Tls(unittest.TestCase):
    def test_the_service_speaks_tls_and_its_clients_check_it(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        key, certificate = folder / "key.pem", folder / "certificate.pem"
        run(
            "openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=roster.larkspur.example",
            "-addext", "subjectAltName=IP:127.0.0.1", "-keyout", str(key), "-out", str(certificate),
        )  # fmt: skip
        tls = ("--tls-certificate", str(certificate), "--tls-key", str(key))
        with service("serve", *tls, "--listen", "0.0.0.0:0") as running:
            self.assertTrue(running.url.startswith("https://127.0.0.1:"))
            with running.client() as roster:
                self.assertEqual(roster.health().status, "ok")
                with httpx.Client(verify=ssl.create_default_context(cafile=certificate)) as browser:
                    ticket = roster.sign_in().path.partition("ticket=")[2]
                    answer = browser.post(f"{running.url}/api/v1/sign-in", json={"ticket": ticket})
            self.assertIn("Secure", answer.headers["set-cookie"])
            self.assertEqual(running.roster("here").returncode, 0)
            with Roster(running.url, "token") as stranger, self.assertRaisesRegex(Unreachable, "cannot be trusted"):
                stranger.health()
            distrusted = running.roster(
                "--server", running.url, "--home", "/nonexistent", "here", EVEN_ROSTER_TOKEN="x"
            )
            self.assertEqual(distrusted.returncode, 3)
            self.assertIn("shows a certificate that cannot be trusted: self-signed certificate", distrusted.stderr)


if __name__ == "__main__":
    unittest.main()
