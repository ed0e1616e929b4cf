"""What goes wrong on a link with real kernels and real DHCP servers: each gives exactly its finding, and it closes when mended."""

from __future__ import annotations

import contextlib
import tempfile
import unittest
from pathlib import Path
from typing import Any

from even_roster.api.calling import RollCallNew
from even_roster.api.plan import BandNew, SubnetEdit, SubnetNew
from tests.support.churn import keepalived
from tests.support.dhcp_lab import Link, dnsmasq, kea
from tests.support.lab import Namespace, namespace, needs_lab
from tests.support.patience import until
from tests.support.yard import ALPHA, BETA, GATE, PROMPT, TWIN, Yard

BESIDE = "link"


@needs_lab
class OnTheLink(Yard):
    """What goes wrong on one street, each with exactly its finding."""

    def test_twins_changed_macs_impersonators_and_virtual_routers(self) -> None:
        self.listening()
        self.look()
        self.until(set())

        # Two hosts with one address: found by listening, within two seconds of the second one's first frame.
        twin = self.street.join("10.77.0.20/24", TWIN)
        claiming = self.street.speak(twin, "claim", TWIN, "10.77.0.20")
        assert claiming.stdout is not None
        began = float(claiming.stdout.readline())
        found = self.until({("duplicate-address", "10.77.0.20")})
        self.assertEqual({s.value for s in found[0].subjects}, {"10.77.0.20", ALPHA, TWIN})
        self.assertLessEqual(found[0].since.timestamp() - began, PROMPT, "told soon after the first frame")
        claiming.kill()
        self.street.leave(twin)
        self.until(set())

        # A host changes its MAC: somebody else is at the address planned for it.
        self.beta.ip("link", "set", "eth0", "down")
        self.beta.ip("link", "set", "eth0", "address", "02:c0:9f:40:77:88")
        self.beta.ip("link", "set", "eth0", "up")
        self.look()
        self.until({("assignment-not-in-effect", "10.77.0.21")})
        self.beta.ip("link", "set", "eth0", "down")
        self.beta.ip("link", "set", "eth0", "address", BETA)
        self.beta.ip("link", "set", "eth0", "up")
        self.look()
        self.until(set())

        # The gateway is impersonated by gratuitous ARP.
        thief = self.street.join(None, "02:c0:9f:40:77:66")
        speaking = self.street.speak(thief, "claim", "02:c0:9f:40:77:66", "10.77.0.1")
        found = self.until({("gateway-changed", "10.77.0.1")})
        self.assertEqual([s.value for s in found[0].subjects], ["10.77.0.1", GATE, "02:c0:9f:40:77:66"])
        # Meanwhile two routers share an address by VRRP and take it over from each other: told once, until they are known.
        pair = [self.street.join(None, f"02:c0:3e:77:00:0{n}") for n in (2, 3)]
        for n, router in zip((2, 3), pair, strict=True):
            self.street.speak(router, "vrrp", f"02:c0:3e:77:00:0{n}", f"10.77.0.{n}", "10.77.0.254")
        speaking.kill()
        found = self.until({("hopping-address", "10.77.0.254")})
        self.assertIn("which anybody can do", " ".join(e.said for e in found[0].evidence))
        for which in (0, 1):
            self.step(found[0], "member", which)
        self.until(set())
        change = self.do(lambda r: r.changes(limit=1))[0]
        self.assertEqual((change.kind, change.action, change.item), ("router member", "add", "10.77.0.254"))
        self.do(lambda r: r.undo(change.id))
        self.until({("hopping-address", "10.77.0.254")})

    def test_a_virtual_routers_words_license_nobody_to_take_the_gateway(self) -> None:
        self.listening()
        self.look()
        self.until(set())
        thief = self.street.join(None, "02:c0:9f:40:77:66")
        speaking = self.street.speak(thief, "vrrp", "02:c0:9f:40:77:66", "10.77.0.66", "10.77.0.1")
        assert speaking.stdout is not None
        began = float(speaking.stdout.readline())
        (found,) = self.until({("gateway-changed", "10.77.0.1")})
        self.assertLessEqual(found.since.timestamp() - began, PROMPT)
        speaking.kill()
        self.until(set())

    def test_a_real_pair_of_routers_takes_over_from_each_other(self) -> None:
        """Two keepalived share an address: the first takeover is told, with the remedy; once its members are known it is quiet."""
        shared, macs = "10.77.0.254", ("02:c0:3e:77:00:02", "02:c0:3e:77:00:03")
        self.listening()
        pair = [self.street.join(f"10.77.0.{n}/24", mac) for n, mac in zip((2, 3), macs, strict=True)]
        for n, mac in zip((2, 3), macs, strict=True):
            self.assign(f"10.77.0.{n}", mac, f"router-{n}", "network")
        self.assign(shared, "", "way-out", "network")
        first = self.stack.enter_context(keepalived(pair[0], shared, 150))
        self.holds(pair[0], shared)
        self.stack.enter_context(keepalived(pair[1], shared, 100))
        self.look()
        self.until(set())
        first.terminate()
        self.holds(pair[1], shared)
        (told,) = self.until({("address-taken-over", shared)})
        said = " ".join(e.said for e in told.evidence)
        self.assertIn(f"router-3 ({macs[1]}) answers at {shared}", said)
        self.assertIn(f"was held within the last day by router-2 ({macs[0]}), which does not answer there now", said)
        self.assertEqual(said.count("announces this address as a virtual router (VRRP), which anybody can do"), 2)
        for which in (0, 1):
            self.step(told, "member", which)
        self.until(set())
        # Back again and over once more, now as the way out of the subnet: nothing is told.
        subnet = self.do(lambda r: r.planned_subnet("Yard")).subnet
        self.do(lambda r: r.edit_subnet(subnet.id, SubnetEdit(gateway=shared), version=subnet.version))
        opened = self.turns()
        for router, mac in ((pair[0], macs[0]), (pair[1], macs[1])):
            with keepalived(pair[0], shared, 150) if router is pair[0] else contextlib.nullcontext():
                self.holds(router, shared)
                until(lambda mac=mac: mac in self.service.roster("at", "now", shared).stdout, "nobody noticed")  # type: ignore[misc]
                self.look()
                self.assertEqual(self.findings()[0], set())
        explained = self.service.roster("explain", shared).stdout
        self.assertIn(f"Router-3 ({macs[1]}) holds it", explained)
        self.assertNotIn("claimed by two", explained)
        self.assertEqual(self.turns(), opened)

    def turns(self) -> list[tuple[int, int]]:
        """Every finding ever, with how often it was opened."""
        return [(f.id, f.times) for f in self.do(lambda r: r.findings("all"))]

    def holds(self, router: Namespace, shared: str) -> None:
        """Wait until a router has the shared address."""
        until(lambda: f" {shared}/" in router.ip("address"), "the router does not take over")

    def test_a_duplicate_on_a_server_with_five_addresses_and_on_our_own(self) -> None:
        self.listening()
        server = self.street.join("10.77.0.30/24", "02:c0:9f:40:77:30")
        for last in range(31, 35):
            server.ip("address", "add", f"10.77.0.{last}/24", "dev", "eth0")
        for last in range(30, 35):
            self.assign(f"10.77.0.{last}", "02:c0:9f:40:77:30" if last == 30 else "", f"site-{last}")
        self.look()
        self.until(set())
        twin = self.street.join("10.77.0.32/24", TWIN)
        self.street.speak(twin, "claim", TWIN, "10.77.0.32")
        self.until({("duplicate-address", "10.77.0.32")})
        self.street.leave(twin)
        self.until(set())
        impostor = self.street.join("10.77.0.5/24", "02:c0:9f:40:77:98")
        self.street.speak(impostor, "claim", "02:c0:9f:40:77:98", "10.77.0.5")
        (found,) = self.until({("duplicate-address", "10.77.0.5")})
        self.assertIn("10.77.0.5 is this machine's own address", [e.said for e in found.evidence])
        self.street.leave(impostor)
        self.until(set())

    def test_on_a_roll_call_a_firewalled_machine_is_here_and_without_a_cable_nobody_can_say(self) -> None:
        self.beta.run("sysctl", "-q", "-w", "net.ipv4.icmp_echo_ignore_all=1")
        self.look()
        text = "alpha\nbeta, drops echo\n10.77.0.99\n10.77.0.21, by its address\n"
        call = self.do(lambda r: r.add_roll_call(RollCallNew(name="Yard", every_seconds=5, text=text))).id

        def states() -> list[str]:
            self.do(lambda r: r.ask_roll_call(call))
            return [line.state for line in self.do(lambda r: list(r.call_lines(call)))]

        until(lambda: states() == ["here", "here", "silent", "here"], "a machine that drops echo is not here")
        self.beta.ip("link", "set", "eth0", "down")
        until(lambda: states() == ["here", "silent", "silent", "silent"], "one that went is still here")
        self.street.join("10.77.0.21/24", TWIN)
        until(
            lambda: states() == ["here", "silent", "silent", "here"],
            "another box at its address is no device of that name",
        )
        self.here.ip("link", "set", "eth0", "down")
        until(lambda: set(states()) == {"unknown"}, "without a cable somebody is said to be silent")

    def test_taken_over_while_asleep_and_a_pulled_cable_closes_nothing(self) -> None:
        self.listening()
        owner = self.street.join("10.77.0.40/24", "02:c0:9f:40:77:40")
        self.assign("10.77.0.40", "", "desk")
        self.look()
        self.until(set())
        self.street.leave(owner)
        thief = self.street.join("10.77.0.40/24", TWIN)
        self.street.speak(thief, "claim", TWIN, "10.77.0.40")
        (told,) = self.until({("address-taken-over", "10.77.0.40")})
        self.assertIn("which does not answer there now", " ".join(e.said for e in told.evidence))
        self.here.ip("link", "set", "eth0", "down")
        # The link is dead: nothing that is asked now is answered, and the service knows why.
        until(lambda: not any(one.listening for one in self.do(lambda r: r.listening())), "it is still listened to")
        self.assertEqual(self.findings()[0], {("address-taken-over", "10.77.0.40")})
        self.here.ip("link", "set", "eth0", "up")
        self.street.leave(thief)

    def test_a_restart_in_the_middle_closes_nothing_and_tells_nothing_twice(self) -> None:
        self.listening()
        owner = self.street.join("10.77.0.40/24", "02:c0:9f:40:77:40")
        self.assign("10.77.0.40", "", "desk")
        self.look()
        self.until(set())
        self.street.leave(owner)
        wrong = []
        for address, mac in (
            ("10.77.0.20", TWIN),
            ("10.77.0.1", "02:c0:9f:40:77:66"),
            ("10.77.0.40", "02:c0:9f:40:77:67"),
        ):
            wrong.append(self.street.join(f"{address}/24", mac))
            self.street.speak(wrong[-1], "claim", mac, address)
        open_ = {
            ("duplicate-address", "10.77.0.20"), ("gateway-changed", "10.77.0.1"), ("address-taken-over", "10.77.0.40"),
        }  # fmt: skip
        self.until(open_)
        before = self.turns()
        for _ in range(2):
            self.start()
            self.listening()
            self.look()
            self.until(open_)
            self.assertEqual(self.turns(), before, "none was closed and opened again, and none is new")
        self.start()
        for host in wrong:
            self.street.leave(host)
        self.until(set())  # mended while nobody watched: the service finds that out by itself
        ever = self.do(lambda r: list(r.findings("all")))
        self.assertEqual([times for _, times in self.turns()], [1, 1, 1], ever)

    def test_a_planned_address_taken_while_its_owner_is_silent_and_given_back(self) -> None:
        self.listening()
        self.look()
        self.until(set())
        self.assertIn("(by a full scan)", self.service.roster("explain", "10.77.0.99").stdout)
        self.service.roster("why", "10.77.0.99")
        self.assertIn(
            "(by a question for it)", self.service.roster("explain", "10.77.0.99").stdout, "what why asks is kept"
        )
        self.street.leave(self.beta)
        thief = self.street.join("10.77.0.21/24", TWIN)
        self.street.speak(thief, "claim", TWIN, "10.77.0.21")
        (told,) = self.until({("assignment-not-in-effect", "10.77.0.21")})
        self.assertIn("is planned for beta", told.evidence[0].said)
        self.street.leave(thief)
        self.beta.ip("link", "set", "eth0", "up")  # nobody looks again but the service itself
        self.until(set())

    def test_a_server_that_a_client_names_is_asked_for_at_once_and_withdrawn(self) -> None:
        self.listening()
        self.look()
        subnet = self.do(lambda r: r.planned_subnet("Yard")).subnet.id
        self.do(lambda r: r.add_band(BandNew(subnet=subnet, kind="pool", range="200-219")))
        client = self.street.join(None, "02:c0:9f:40:77:50")
        speaking = self.street.speak(client, "request", "02:c0:9f:40:77:50", "10.77.0.9", "10.77.0.201")
        assert speaking.stdout is not None
        began = float(speaking.stdout.readline())
        found = self.until({("unexpected-dhcp-server", "10.77.0.9")})
        self.assertLessEqual(found[0].since.timestamp() - began, PROMPT)
        self.assertIn("named by a client, unconfirmed", found[0].evidence[0].said)
        speaking.kill()
        # Nobody answers: the hearsay is withdrawn, and that nobody answers at all is a finding of its own.
        self.until({("no-dhcp-server", "Yard")})

    def test_traffic_alone_makes_no_device_and_a_question_answered_does(self) -> None:
        self.listening()
        self.look()
        forger = self.street.join(None, "02:c0:9f:40:77:70")
        self.street.speak(forger, "claim", "02:c0:9f:40:77:71", "10.77.0.91")
        until(lambda: "02:c0:9f:40:77:71" in self.heard_only(), "the made-up MAC is not listed")
        honest = self.street.join("10.77.0.92/24", "02:c0:9f:40:77:72")
        self.street.speak(honest, "claim", "02:c0:9f:40:77:72", "10.77.0.92")
        until(lambda: "02:c0:9f:40:77:72" in self.macs(), "who answers is no device yet")
        self.assertNotIn("02:c0:9f:40:77:71", self.macs(), "who was only heard is none")
        self.assertIn("02:c0:9f:40:77:71", self.heard_only())
        # A known device is not moved by what others send in its name, and is where it answers as soon as it speaks there.
        self.street.speak(forger, "claim", "02:c0:9f:40:77:72", "10.77.0.95")
        self.street.speak(forger, "claim", "02:c0:9f:40:77:73", "10.77.0.93")
        until(lambda: "02:c0:9f:40:77:73" in self.heard_only(), "what came after it is not listed")
        self.assertEqual(self.places("02:c0:9f:40:77:72"), {"10.77.0.92"})
        honest.ip("address", "add", "10.77.0.96/24", "dev", "eth0")
        self.street.speak(honest, "claim", "02:c0:9f:40:77:72", "10.77.0.96")
        until(lambda: "10.77.0.96" in self.places("02:c0:9f:40:77:72"), "where it answers it is not known to be")
        self.assertEqual(self.places("02:c0:9f:40:77:72"), {"10.77.0.92", "10.77.0.96"})

    def places(self, mac: str) -> set[str]:
        return {stay.address for stay in self.do(lambda r: r.device(mac)).stays}

    def macs(self) -> set[str | None]:
        return {d.mac for d in self.do(lambda r: list(r.devices()))}

    def heard_only(self) -> set[str]:
        return {h.mac for one in self.do(lambda r: r.listening()) for h in one.heard_only}

    def test_a_proxy_is_one_finding_and_a_duplicate_only_where_somebody_is_there_himself(self) -> None:
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
        self.until(
            {("proxy-arp", "02:c0:3e:77:00:04"), ("duplicate-address", "10.77.0.130")}
        )  # the desk is here itself
        annex.run("sysctl", "-qw", "net.ipv4.conf.eth0.proxy_arp=0")
        annex.ip("route", "del", "10.77.0.128/26")
        self.until(set(), self.look)

    def test_two_sites_with_the_same_addresses_and_a_server_each(self) -> None:
        """What the server of another site leases is neither a finding nor an answer here, though all addresses are the same."""
        self.listening()
        there = "02:c0:9f:a0:77:01"
        with namespace() as annex, tempfile.TemporaryDirectory() as folder, tempfile.TemporaryDirectory() as other:
            for one in (folder, other):
                Path(one).chmod(0o755)
            annex.ip("link", "add", "srv0", "type", "veth", "peer", "name", "cli0")
            annex.ip("address", "add", "10.77.0.2/24", "dev", "srv0")
            for name in ("srv0", "cli0"):
                annex.ip("link", "set", name, "up")
            here = self.street.join("10.77.0.2/24", "02:c0:5b:77:00:02", name="srv0")
            self.assign("10.77.0.2", "02:c0:5b:77:00:02", "ledger")
            self.assertEqual(self.service.roster("site", "add", "Annex").returncode, 0)
            self.do(
                lambda r: r.add_subnet(SubnetNew(range="10.77.0.0/24", name="Yard", gateway="10.77.0.1", site="Annex"))
            )
            with (
                dnsmasq(Link(here, Path(folder)), "", _yard(folder, "10.77.0.200,10.77.0.219")),
                dnsmasq(Link(annex, Path(other)), "", _yard(other, "10.77.0.20,10.77.0.20")),
            ):
                for name, where, site in (("ledger", folder, ()), ("annex", other, ("--site", "Annex"))):
                    options = (
                        "--config",
                        f"{where}/dnsmasq.conf",
                        "--leases",
                        f"{where}/leases",
                        "--hosts",
                        f"{where}/hosts",
                    )
                    allowed = self.service.roster("dhcp", "allow", name, "dnsmasq", *options)
                    self.assertEqual(allowed.returncode, 0, allowed.stderr)
                    added = self.service.roster("dhcp", "add", name, *site)
                    self.assertEqual(added.returncode, 0, added.stderr)
                subnet = self.do(lambda r: r.planned_subnet("Yard")).subnet.id
                ledger = next(one.id for one in self.do(lambda r: r.dhcp_servers()) if one.name == "ledger")
                self.do(lambda r: r.add_band(BandNew(subnet=subnet, kind="pool", range="200-219", server=ledger)))
                self.look()
                self.until(set())
                before = [self.service.roster(*words, "10.77.0.20").stdout for words in (("at", "now"), ("history",))]
                self.assertIn("alpha", before[0])
                # Over there alpha's address is leased to somebody else, and nobody here knows of it.
                self.assertEqual(Link(annex, Path(other)).ask(there)["acked"], "10.77.0.20")
                for server in self.do(lambda r: r.dhcp_servers()):
                    self.do(lambda r, which=server.id: r.dhcp_read(which))  # type: ignore[misc]
                leases: Any = self.service.json("dhcp", "leases")
                told = [(one["server"]["name"], one["address"], one["mac"]) for one in leases["items"]]
                self.assertEqual(told, [("annex", "10.77.0.20", there)])
                self.look()
                self.assertEqual(self.findings()[0], set())
                explained = self.service.roster("explain", "10.77.0.20").stdout
                self.assertIn(f"Alpha ({ALPHA}) holds it", explained)
                for words in (("explain",), ("at", "now"), ("history",), ("why",)):
                    self.assertNotIn(there, self.service.roster(*words, "10.77.0.20").stdout, words)
                self.assertNotIn(there, self.macs(), "nobody has seen it here")

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
            paths = "--config", f"{folders[0]}/kea.conf", "--socket", f"{folders[0]}/kea.sock"
            for words in (("allow", "ledger", "kea", *paths), ("add", "ledger")):
                done = self.service.roster("dhcp", *words)
                self.assertEqual(done.returncode, 0, done.stderr)
            adopted = self.service.roster("dhcp", "adopt", "ledger")
            self.assertEqual(adopted.returncode, 0, adopted.stderr)
            self.look()
            asked: Any = self.service.json("dhcp", "ask", "--wait", "2")
            self.assertEqual(
                [(o["server_address"], bool(o["server"]), o["differences"]) for o in asked["offers"]],
                [("10.77.0.2", True, [])],
            )
            self.assertTrue(asked["well"])
            self.assertIn("lease time", {o["name"] for o in asked["offers"][0]["options"]})
            self.until(set())
            with dnsmasq(Link(rogue, folders[1]), "", _dnsmasq(folders[1])):
                asked = self.service.json("dhcp", "ask", "--wait", "2")
                self.assertEqual(sorted(o["server_address"] for o in asked["offers"]), ["10.77.0.2", "10.77.0.9"])
                found = self.until({("unexpected-dhcp-server", "10.77.0.9")})
                self.assertIn(
                    "it hands out the gateway 10.77.0.9 where the plan has 10.77.0.1",
                    [e.said for e in found[0].evidence],
                )
            for _ in range(2):
                asked = self.service.json("dhcp", "ask", "--wait", "1")
                self.assertTrue(asked["well"], asked["verdict"])
            self.until(set())
            running.terminate()
            running.wait(timeout=10)
            for _ in range(2):
                done = self.service.roster("dhcp", "ask", "--wait", "0.5")
                self.assertEqual(
                    (done.returncode, done.stdout), (1, "Nobody answers in Yard, where the plan has a pool.\n")
                )
            self.until({("no-dhcp-server", "Yard")})


def _kea(folder: Path) -> str:
    return f"""{{ "Dhcp4": {{ "interfaces-config": {{ "interfaces": [ "srv0" ], "dhcp-socket-type": "raw" }},
      "control-socket": {{ "socket-type": "unix", "socket-name": "{folder}/kea.sock" }},
      "lease-database": {{ "type": "memfile", "persist": false }}, "valid-lifetime": 3600,
      "subnet4": [ {{ "id": 1, "subnet": "10.77.0.0/24", "pools": [ {{ "pool": "10.77.0.200 - 10.77.0.219" }} ],
        "option-data": [ {{ "name": "routers", "data": "10.77.0.1" }} ] }} ] }} }}"""


def _yard(folder: str, pool: str) -> str:
    return (
        f"port=0\ninterface=srv0\nbind-interfaces\nno-ping\ndhcp-authoritative\nuser=root\ndhcp-range={pool},255.255.255.0,1h\n"
        f"dhcp-option=3,10.77.0.1\ndhcp-hostsfile={folder}/hosts\ndhcp-leasefile={folder}/leases\npid-file={folder}/pid\n"
    )


def _dnsmasq(folder: Path) -> str:
    return (
        f"port=0\ninterface=srv0\nbind-interfaces\nno-ping\ndhcp-authoritative\nuser=root\n"
        f"dhcp-range=10.77.0.230,10.77.0.239,255.255.255.0,1h\ndhcp-option=3,10.77.0.9\n"
        f"dhcp-leasefile={folder}/leases\npid-file={folder}/pid\n"
    )


if __name__ == "__main__":
    unittest.main()
