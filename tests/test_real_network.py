"""Real scans in network namespaces: the kernel's own ARP and ICMP, TAP hosts, avahi, with and without privileges."""

from __future__ import annotations

import itertools
import shutil
import subprocess
import sys
import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path
from typing import Any

from tests.support.lab import Namespace, Rights, namespace, needs_lab, tap_hosts, veth_hosts
from tests.support.patience import PATIENCE, until
from tests.support.service import Service, service

BESIDE = "link"

QUICK = ("--no-names", "--ports", "none")


def answered(told: dict[str, Any]) -> set[str]:
    return {a["address"] for a in told["items"] if a["answered"] and not a["foreign"]}


@needs_lab
class RealLink(unittest.TestCase):
    def setUp(self) -> None:
        self.inside: Namespace = self.enterContext(namespace())

    def serving(self, rights: Rights = Rights.ALL) -> Service:
        return self.enterContext(service("serve", inside=self.inside, rights=rights))

    def scan(self, running: Service, *arguments: str) -> dict[str, Any]:
        return running.json("scan", *arguments)

    def captured(self, file: Path) -> Any:
        command = ["dumpcap", "-q", "-i", "site0", "-w", str(file)]
        if shutil.which("tshark") is None:
            self.skipTest("tshark is not installed")
        process = self.inside.start(*command, stderr=subprocess.DEVNULL)
        until(lambda: file.exists() and file.stat().st_size, "nothing is captured")

        class Ending:
            def __enter__(self) -> None: ...

            def __exit__(self, *_: object) -> None:
                process.terminate()  # at which it writes down what the kernel holds for it
                process.communicate(timeout=PATIENCE)

        return Ending()

    def nothing_malformed(self, file: Path) -> Callable[[str], list[str]]:
        """An independent dissector finds nothing wrong; gives a way to look for more."""

        def frames(wanted: str) -> list[str]:
            command = ["tshark", "-r", str(file), "-Y", wanted, "-T", "fields", "-e", "frame.number"]
            checks = ["-e", "_ws.expert.message", "-o", "ip.check_checksum:TRUE", "-o", "udp.check_checksum:TRUE"]
            return subprocess.run([*command, *checks], capture_output=True, text=True, check=True).stdout.splitlines()

        self.assertEqual(frames("_ws.malformed"), [])
        self.assertEqual(frames('ip.checksum.status == "Bad" || icmp.checksum.status == "Bad"'), [])
        return frames


@needs_lab
class RawFrames(RealLink):
    def test_all_hosts_of_a_24_are_found_and_frames_are_well_formed(self) -> None:
        self.enterContext(tap_hosts(self.inside, "10.77.0.2/24", 200, "--twice", "3"))
        running = self.serving()
        capture = Path(self.enterContext(tempfile.TemporaryDirectory())) / "sent.pcapng"
        capture.parent.chmod(0o777)
        with self.captured(capture):
            told = self.scan(running)
        self.assertEqual((told["scan"]["door"], told["scan"]["segment"]), ("packet", "10.77.0.0/24"))
        self.assertEqual(answered(told), {f"10.77.0.{n}" for n in (2, *range(10, 210))})
        self.assertEqual(sum(len(a["claims"]) == 2 for a in told["items"]), 3)
        host = next(a for a in told["items"] if a["address"] == "10.77.0.50")
        self.assertEqual((host["by"], host["claims"][0]["mac"]), (["arp", "echo"], "02:c0:f0:00:00:28"))
        self.assertLess(host["rtt_ms"]["min"], 50)
        frames = self.nothing_malformed(capture)
        self.assertGreaterEqual(len(frames("arp.opcode == 1")), 254)
        self.assertGreaterEqual(len(frames("icmp.type == 8")), 200)
        self.assertGreaterEqual(len(frames("nbns")), 100)

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
        told = self.scan(self.serving(Rights.RAW_FRAMES), *QUICK)
        self.assertEqual((told["scan"]["door"], len(answered(told)), told["scan"]["remarks"]), ("packet", 21, []))

    def test_a_device_at_a_foreign_address_is_overheard(self) -> None:
        other = self.enterContext(namespace())
        self.enterContext(veth_hosts(self.inside, other, "10.77.0.2/26", ["10.77.0.9/26", "192.168.200.10/24"]))
        running = self.serving()
        shout = "import socket,time\nfor i in range(6000):\n s=socket.socket(2,2); s.sendto(b'',('192.168.200.%d' % (100+i),9)); print(flush=True); time.sleep(.1)"
        process = other.start(sys.executable, "-c", shout)
        assert process.stdout is not None
        process.stdout.readline()
        told = self.scan(running, *QUICK)
        process.kill()
        process.communicate()
        foreign = [a["address"] for a in told["items"] if a["foreign"]]
        self.assertEqual((foreign, answered(told)), (["192.168.200.10"], {"10.77.0.2", "10.77.0.9"}))

    def test_the_kernels_own_hosts_answer_and_a_firewalled_one_is_found(self) -> None:
        other = self.enterContext(namespace())
        self.enterContext(veth_hosts(self.inside, other, "10.77.0.2/26", [f"10.77.0.{n}/26" for n in range(10, 30)]))
        other.run("sysctl", "-q", "-w", "net.ipv4.icmp_echo_ignore_all=1")
        server = other.start(sys.executable, "-c", "import socket; s=socket.create_server(('10.77.0.12',80)); input()")
        until(lambda: ":80" in other.run("ss", "-ltn"), "nobody listens")
        told = self.scan(self.serving(), "--no-names")
        server.communicate("\n", timeout=PATIENCE)
        self.assertEqual(len(answered(told)), 21)
        web = next(a for a in told["items"] if a["address"] == "10.77.0.12")
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

        def names() -> list[dict[str, str]]:
            found: list[dict[str, str]] = self.scan(running, "10.77.0.9", "--ports", "none")["items"][0]["names"]
            return found

        self.assertIn({"name": "light-desk.local", "source": "mdns"}, until(names, "no name is told"))


@needs_lab
class BehindTheGateway(RealLink):
    def setUp(self) -> None:
        super().setUp()
        other = self.enterContext(namespace())
        self.enterContext(veth_hosts(self.inside, other, "10.77.0.2/26", ["10.77.0.1/26"]))
        for address in ("10.88.0.5/32", "10.88.0.9/32"):
            other.ip("address", "add", address, "dev", "lo")
        self.inside.ip("route", "add", "default", "via", "10.77.0.1")

    def by(self, rights: Rights = Rights.ALL) -> dict[str, list[str]]:
        told = self.scan(self.serving(rights), "10.88.0.0/28", *QUICK)
        self.assertEqual(told["scan"]["segment"], "10.77.0.0/26")
        self.assertTrue(all(a["claims"] == [] for a in told["items"]))
        return {a["address"]: a["by"] for a in told["items"] if a["answered"]}

    def test_hosts_are_found_by_echo_through_raw_frames(self) -> None:
        self.assertEqual(self.by(), {"10.88.0.5": ["echo"], "10.88.0.9": ["echo"]})

    def test_hosts_are_found_without_privileges_by_echo_or_by_connects(self) -> None:
        self.assertEqual(self.by(Rights.NONE), {"10.88.0.5": ["connect"], "10.88.0.9": ["connect"]})
        self.inside.run("sysctl", "-q", "-w", "net.ipv4.ping_group_range=0 2147483647")
        self.assertEqual(self.by(Rights.NONE), {"10.88.0.5": ["echo"], "10.88.0.9": ["echo"]})


@needs_lab
class Hostile(RealLink):
    def test_names_and_frames_meant_to_harm_break_nothing(self) -> None:
        other = self.enterContext(namespace())
        self.enterContext(veth_hosts(self.inside, other, "10.77.0.2/26", ["10.77.0.9/26"]))
        attacker = other.start(sys.executable, "-m", "tests.support.attacker", "far0", "10.77.0.9")
        assert attacker.stdout is not None
        self.assertEqual(attacker.stdout.readline().strip(), "ready")
        running = self.serving()
        done = running.roster("scan", "10.77.0.0/26", "--ports", "none")
        attacker.kill()
        attacker.communicate()
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("10.77.0.9", done.stdout)
        self.assertNotRegex(done.stdout, r"[\x00-\x09\x0b-\x1f\x7f\u202e]")
        self.assertIn("<script>alert(1)</script>", done.stdout)


@needs_lab
class ProofOnTheLink(RealLink):
    """Free addresses proven against the kernel's own ARP."""

    def other(self, theirs: list[str]) -> Namespace:
        other = self.enterContext(namespace())
        self.enterContext(veth_hosts(self.inside, other, "10.77.0.2/24", theirs))
        return other

    def proof(self, running: Service, address: str) -> tuple[str, str]:
        told = running.json("prove", address)
        return str(told["grade"]), "; ".join(told["reasons"])  # type: ignore[arg-type]

    def test_a_host_that_drops_echo_is_found_by_arp_and_probes_are_as_rfc_5227_says(self) -> None:
        other = self.other(["10.77.0.20/24", "10.77.0.21/24"])
        other.run("sysctl", "-qw", "net.ipv4.icmp_echo_ignore_all=1")
        running = self.serving()
        running.json("subnet", "add", "10.77.0.0/24", "--name", "Lab", "--gateway", "10.77.0.1")
        capture = Path(self.enterContext(tempfile.TemporaryDirectory())) / "sent.pcapng"
        capture.parent.chmod(0o777)
        with self.captured(capture):
            grade, said = self.proof(running, "10.77.0.20")
            self.assertEqual(grade, "taken")
            self.assertIn("answered for it just now (by arp)", said)
            grade, said = self.proof(running, "10.77.0.50")
            self.assertEqual(grade, "clear", said)
            self.assertIn("nobody answered three ARP probes just now", said)
        self.nothing_malformed(capture)
        fields = ("frame.time_epoch", "arp.src.proto_ipv4", "arp.dst.proto_ipv4", "eth.dst")
        shown = subprocess.run(
            ["tshark", "-r", str(capture), "-Y", "arp.opcode == 1 && arp.dst.proto_ipv4 == 10.77.0.50", "-T", "fields"]
            + [part for field in fields for part in ("-e", field)],
            capture_output=True, text=True, check=True,
        )  # fmt: skip
        probes = [line.split("\t") for line in shown.stdout.splitlines()]
        self.assertEqual([probe[1:] for probe in probes], [["0.0.0.0", "10.77.0.50", "ff:ff:ff:ff:ff:ff"]] * 3)
        times = [float(probe[0]) for probe in probes]
        self.assertTrue(all(after - before >= 0.99 for before, after in itertools.pairwise(times)), times)

    def test_one_that_was_seen_and_went_silent_is_doubtful(self) -> None:
        other = self.other(["10.77.0.20/24", "10.77.0.21/24"])
        running = self.serving()
        running.json("subnet", "add", "10.77.0.0/24", "--name", "Lab")
        self.assertEqual(self.proof(running, "10.77.0.21")[0], "taken")
        other.ip("address", "delete", "10.77.0.21/24", "dev", "far0")
        grade, said = self.proof(running, "10.77.0.21")
        self.assertEqual(grade, "doubtful")
        self.assertIn("may only be off, asleep or away", said)
        free = running.json("free", "Lab", "--count", "4")
        self.assertNotIn("10.77.0.20", [c["address"] for c in free["candidates"]])  # type: ignore[attr-defined]

    def test_without_privileges_the_kernel_is_asked_and_it_is_said(self) -> None:
        self.other(["10.77.0.20/24"])
        running = self.serving(Rights.NONE)
        running.json("subnet", "add", "10.77.0.0/24", "--name", "Lab")
        self.assertEqual(self.proof(running, "10.77.0.20")[0], "taken")
        grade, said = self.proof(running, "10.77.0.60")
        self.assertEqual(grade, "clear", said)
        self.assertIn("nobody answered when the system asked by ARP just now", said)

    def test_names_are_checked_against_a_real_dns_server(self) -> None:
        if shutil.which("dnsmasq") is None:
            self.skipTest("dnsmasq is not installed")
        other = self.other(["10.77.0.53/24"])
        server = other.start(
            "dnsmasq", "--keep-in-foreground", "--no-resolv", "--local=/larkspur.example/", "--no-hosts", "--listen-address=10.77.0.53", "--bind-interfaces",
            "--host-record=ledger.larkspur.example,10.77.0.30", "--host-record=vault.larkspur.example,10.77.0.99", "--user=root", "--pid-file=",
        )  # fmt: skip
        self.addCleanup(server.wait)
        self.addCleanup(server.kill)
        until(lambda: "10.77.0.53:53" in other.run("ss", "-lun"), "the DNS server does not start")
        running = self.serving()
        running.json(
            "subnet", "add", "10.77.0.0/24", "--name", "Lab", "--dns", "10.77.0.53", "--domain", "larkspur.example"
        )
        for last, name in ((30, "ledger"), (31, "vault"), (32, "attic")):
            running.json("assign", f"10.77.0.{last}", "--name", name)
        told = running.json("dns", "check")
        kinds = {(d["name"], d["kind"]) for d in told["disagreements"]}  # type: ignore[attr-defined]
        self.assertEqual(
            kinds,
            {
                ("vault.larkspur.example", "name elsewhere"),
                ("vault.larkspur.example", "no reverse name"),
                ("attic.larkspur.example", "not in the DNS"),
            },
        )
        self.assertEqual((told["asked"], told["unanswered"]), (3, 0))


if __name__ == "__main__":
    unittest.main()
