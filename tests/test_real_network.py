"""Real scans in network namespaces: the kernel's own ARP and ICMP, TAP hosts, avahi, with and without privileges."""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from typing import Any

from tests.support.lab import Namespace, namespace, needs_lab, tap_hosts, veth_hosts
from tests.support.service import Service, service

NOBODY = ("--reuid=65534", "--regid=65534", "--clear-groups")
UNPRIVILEGED = ("setpriv", "--bounding-set=-all", "--inh-caps=-all", *NOBODY)
ONLY_RAW = (
    "setpriv",
    "--bounding-set=-all,+net_raw",
    "--inh-caps=-all,+net_raw",
    "--ambient-caps=-all,+net_raw",
    *NOBODY,
)
QUICK = ("--no-names", "--ports", "none")


def answered(told: dict[str, Any]) -> set[str]:
    return {a["address"] for a in told["addresses"] if a["answered"] and not a["foreign"]}


@needs_lab
class RealLink(unittest.TestCase):
    def setUp(self) -> None:
        self.inside: Namespace = self.enterContext(namespace())

    def serving(self, *prefix: str) -> Service:
        return self.enterContext(service("serve", inside=self.inside, prefix=prefix))

    def scan(self, running: Service, *arguments: str) -> dict[str, Any]:
        return running.json("scan", *arguments)


@needs_lab
class RawFrames(RealLink):
    def test_all_hosts_of_a_24_are_found_and_frames_are_well_formed(self) -> None:
        self.enterContext(tap_hosts(self.inside, "10.77.0.2/24", 200, "--twice", "3"))
        running = self.serving()
        capture = Path(self.enterContext(tempfile.TemporaryDirectory())) / "sent.pcapng"
        capture.parent.chmod(0o777)
        with self._captured(capture):
            told = self.scan(running)
        self.assertEqual((told["scan"]["door"], told["scan"]["segment"]), ("packet", "10.77.0.0/24"))
        self.assertEqual(answered(told), {f"10.77.0.{n}" for n in (2, *range(10, 210))})
        self.assertEqual(sum(len(a["macs"]) == 2 for a in told["addresses"]), 3)
        host = next(a for a in told["addresses"] if a["address"] == "10.77.0.50")
        self.assertEqual((host["by"], host["macs"][0]["mac"]), (["arp", "echo"], "02:c0:f0:00:00:28"))
        self.assertLess(host["rtt_ms"]["min"], 50)
        self._well_formed(capture)

    def _captured(self, file: Path) -> Any:
        command = ["dumpcap", "-q", "-i", "site0", "-w", str(file)]
        if shutil.which("tshark") is None:
            self.skipTest("tshark is not installed")
        process = self.inside.start(*command, stderr=subprocess.DEVNULL)
        until = time.monotonic() + 10
        while not file.exists() and time.monotonic() < until:
            time.sleep(0.1)
        time.sleep(0.5)

        class Ending:
            def __enter__(self) -> None: ...

            def __exit__(self, *_: object) -> None:
                time.sleep(0.5)
                process.terminate()
                process.communicate(timeout=10)

        return Ending()

    def _well_formed(self, file: Path) -> None:
        def frames(wanted: str) -> list[str]:
            command = [
                "tshark",
                "-r",
                str(file),
                "-Y",
                wanted,
                "-T",
                "fields",
                "-e",
                "frame.number",
                "-e",
                "_ws.expert.message",
            ]
            checks = ["-o", "ip.check_checksum:TRUE", "-o", "udp.check_checksum:TRUE"]
            return subprocess.run([*command, *checks], capture_output=True, text=True, check=True).stdout.splitlines()

        self.assertGreaterEqual(len(frames("arp.opcode == 1")), 254)
        self.assertGreaterEqual(len(frames("icmp.type == 8")), 200)
        self.assertGreaterEqual(len(frames("nbns")), 100)
        self.assertEqual(frames("_ws.malformed"), [])
        self.assertEqual(frames('ip.checksum.status == "Bad" || icmp.checksum.status == "Bad"'), [])

    def test_hosts_that_come_up_during_the_later_rounds_are_found(self) -> None:
        self.enterContext(tap_hosts(self.inside, "10.77.0.2/24", 200, "--late", "0.6"))
        self.assertEqual(len(answered(self.scan(self.serving(), *QUICK))), 201)

    def test_lost_replies_are_made_up_for(self) -> None:
        self.enterContext(tap_hosts(self.inside, "10.77.0.2/24", 200, "--lose", "0.05"))
        running = self.serving()
        first = answered(self.scan(running, *QUICK))
        self.assertGreaterEqual(len(first), 199)
        second = answered(self.scan(running, *QUICK))
        self.assertLessEqual(first, second)

    def test_cap_net_raw_alone_is_enough(self) -> None:
        self.enterContext(tap_hosts(self.inside, "10.77.0.2/26", 20))
        told = self.scan(self.serving(*ONLY_RAW), *QUICK)
        self.assertEqual((told["scan"]["door"], len(answered(told)), told["scan"]["notes"]), ("packet", 21, []))

    def test_a_device_at_a_foreign_address_is_overheard(self) -> None:
        other = self.enterContext(namespace())
        self.enterContext(veth_hosts(self.inside, other, "10.77.0.2/26", ["10.77.0.9/26", "192.168.200.10/24"]))
        running = self.serving()
        shout = "import socket,time\nfor i in range(60):\n s=socket.socket(2,2); s.sendto(b'',('192.168.200.%d' % (100+i),9)); time.sleep(.1)"
        process = other.start(sys.executable, "-c", shout)
        told = self.scan(running, *QUICK)
        process.kill()
        process.communicate()
        foreign = [a["address"] for a in told["addresses"] if a["foreign"]]
        self.assertEqual((foreign, answered(told)), (["192.168.200.10"], {"10.77.0.2", "10.77.0.9"}))

    def test_the_kernels_own_hosts_answer_and_a_firewalled_one_is_found(self) -> None:
        other = self.enterContext(namespace())
        self.enterContext(veth_hosts(self.inside, other, "10.77.0.2/26", [f"10.77.0.{n}/26" for n in range(10, 30)]))
        other.run("sysctl", "-q", "-w", "net.ipv4.icmp_echo_ignore_all=1")
        server = other.start(sys.executable, "-c", "import socket; s=socket.create_server(('10.77.0.12',80)); input()")
        time.sleep(0.4)
        told = self.scan(self.serving(), "--no-names")
        server.communicate("\n", timeout=5)
        self.assertEqual(len(answered(told)), 21)
        web = next(a for a in told["addresses"] if a["address"] == "10.77.0.12")
        self.assertEqual((web["by"], web["ports"]), (["arp"], [80]))

    @unittest.skipUnless(shutil.which("avahi-daemon"), "avahi-daemon is not installed")
    def test_a_real_mdns_responder_tells_its_name(self) -> None:
        other = self.enterContext(namespace())
        self.enterContext(veth_hosts(self.inside, other, "10.77.0.2/26", ["10.77.0.9/26"]))
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        config = folder / "avahi.conf"
        config.write_text(
            "[server]\nhost-name=light-desk\nuse-ipv6=no\nenable-dbus=no\nallow-interfaces=far0\n[wide-area]\nenable-wide-area=no\n[publish]\npublish-workstation=no\n"
        )
        runtime = [
            "unshare",
            "--mount",
            "sh",
            "-c",
            f"mkdir -p /run/avahi-daemon && mount -t tmpfs none /run/avahi-daemon && exec avahi-daemon --no-drop-root --no-chroot --no-rlimits -f {config}",
        ]
        other.start(*runtime, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        running = self.serving()
        names: list[dict[str, str]] = []
        for _ in range(6):
            time.sleep(1)
            told = self.scan(running, "10.77.0.9", "--ports", "none")
            if names := told["addresses"][0]["names"]:
                break
        self.assertIn({"name": "light-desk.local", "source": "mdns"}, names)


@needs_lab
class Unprivileged(RealLink):
    def test_every_host_that_answers_arp_is_found_with_its_mac_and_the_limits_are_said(self) -> None:
        self.enterContext(tap_hosts(self.inside, "10.77.0.2/24", 200, "--no-echo"))
        told = self.scan(self.serving(*UNPRIVILEGED), *QUICK)
        self.assertEqual((told["scan"]["door"], len(answered(told))), ("kernel", 201))
        hosts = {a["address"]: a for a in told["addresses"]}
        self.assertEqual(
            (hosts["10.77.0.50"]["by"], hosts["10.77.0.50"]["macs"][0]["mac"]), (["neighbour"], "02:c0:f0:00:00:28")
        )
        self.assertIn("second MAC answering for one address cannot be seen", " ".join(told["scan"]["notes"]))

    def test_a_range_larger_than_the_kernels_table_loses_nothing(self) -> None:
        self.enterContext(tap_hosts(self.inside, "10.77.0.2/21", 1150, "--no-echo"))
        # Entries go stale sooner than the usual half minute, so that the test need not wait for the kernel as long.
        for setting in ("base_reachable_time_ms=3000", "delay_first_probe_time=1"):
            self.inside.run("sysctl", "-q", "-w", f"net.ipv4.neigh.site0.{setting}")
        told = self.scan(self.serving(*UNPRIVILEGED), *QUICK)
        self.assertEqual(len(answered(told)), 1151)

    def test_echo_is_used_where_the_system_permits_it(self) -> None:
        self.enterContext(tap_hosts(self.inside, "10.77.0.2/26", 20))
        self.inside.run("sysctl", "-q", "-w", "net.ipv4.ping_group_range=0 2147483647")
        told = self.scan(self.serving(*UNPRIVILEGED), *QUICK)
        host = next(a for a in told["addresses"] if a["address"] == "10.77.0.12")
        self.assertEqual(host["by"], ["neighbour", "echo"])
        self.assertIsNotNone(host["rtt_ms"])


@needs_lab
class BehindTheGateway(RealLink):
    def setUp(self) -> None:
        super().setUp()
        other = self.enterContext(namespace())
        self.enterContext(veth_hosts(self.inside, other, "10.77.0.2/26", ["10.77.0.1/26"]))
        for address in ("10.88.0.5/32", "10.88.0.9/32"):
            other.ip("address", "add", address, "dev", "lo")
        self.inside.ip("route", "add", "default", "via", "10.77.0.1")

    def by(self, *prefix: str) -> dict[str, list[str]]:
        told = self.scan(self.serving(*prefix), "10.88.0.0/28", *QUICK)
        self.assertEqual(told["scan"]["segment"], "10.77.0.0/26")
        self.assertTrue(all(a["macs"] == [] for a in told["addresses"]))
        return {a["address"]: a["by"] for a in told["addresses"] if a["answered"]}

    def test_hosts_are_found_by_echo_through_raw_frames(self) -> None:
        self.assertEqual(self.by(), {"10.88.0.5": ["echo"], "10.88.0.9": ["echo"]})

    def test_hosts_are_found_without_privileges_by_echo_or_by_connects(self) -> None:
        self.assertEqual(self.by(*UNPRIVILEGED), {"10.88.0.5": ["connect"], "10.88.0.9": ["connect"]})
        self.inside.run("sysctl", "-q", "-w", "net.ipv4.ping_group_range=0 2147483647")
        self.assertEqual(self.by(*UNPRIVILEGED), {"10.88.0.5": ["echo"], "10.88.0.9": ["echo"]})


@needs_lab
class Hostile(RealLink):
    def test_names_and_frames_meant_to_harm_break_nothing(self) -> None:
        other = self.enterContext(namespace())
        self.enterContext(veth_hosts(self.inside, other, "10.77.0.2/26", ["10.77.0.9/26"]))
        attacker = other.start(sys.executable, "-m", "tests.support.attacker", "far0", "10.77.0.9")
        running = self.serving()
        done = running.roster("scan", "10.77.0.0/26", "--ports", "none")
        attacker.kill()
        attacker.communicate()
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("10.77.0.9", done.stdout)
        self.assertNotRegex(done.stdout, r"[\x00-\x09\x0b-\x1f\x7f\u202e]")
        self.assertIn("<script>alert(1)</script>", done.stdout)


if __name__ == "__main__":
    unittest.main()
