"""Publishing to a real Kea and a real dnsmasq in a network namespace: adopt, reserve, publish, and what a client gets."""

from __future__ import annotations

import contextlib
import json
import re
import shutil
import sqlite3
import tempfile
import threading
import unittest
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import httpx

from even_roster.api.dhcp import DhcpServerNew
from even_roster.api.host_file import Reach, allow
from even_roster.api.plan import AssignmentEdit, AssignmentNew, SubnetNew
from even_roster.client import BadInput, RosterError, ServiceFault, StaleEdit
from tests.support import dhcp_lab
from tests.support.dhcp_lab import Link, kea_command
from tests.support.lab import needs_lab
from tests.support.patience import until
from tests.support.service import Service, service

BESIDE = "link"

needs_kea = unittest.skipUnless(shutil.which("kea-dhcp4"), "Kea is not installed")
needs_dhcpd = unittest.skipUnless(shutil.which("dhcpd"), "dhcpd is not installed")
needs_dnsmasq = unittest.skipUnless(shutil.which("dnsmasq"), "dnsmasq is not installed")
LAPTOP = "02:c0:9f:a0:00:6b"
PRINTER = "02:c0:44:00:00:01"


@contextlib.contextmanager
def beside(on: Link) -> Iterator[Service]:
    """A service that shares the server's files and sockets, not its network: it never has to send anything."""
    with service("serve") as running:
        assert on.folder.exists()
        yield running


def kea_server(on: Link, running: Service, *, config: bool = True, socket: bool = True) -> DhcpServerNew:
    """What to manage, when the host has allowed it."""
    paths = {
        "leases": "leases.csv",
        **({"config": "kea.conf"} if config else {}),
        **({"socket": "kea.sock"} if socket else {}),
    }
    allow(running.home, Reach("office", "kea", {name: str(on.folder / file) for name, file in paths.items()}))
    return DhcpServerNew(name="office")


def reserve(mac: str, address: str, name: str = "portable-05") -> AssignmentNew:
    return AssignmentNew(address=address, mac=mac, name=name, kind="reserved")


def running_config(on: Link, address: str) -> dict[str, Any]:
    """What Kea runs, with one more reservation."""
    config: dict[str, Any] = {"Dhcp4": kea_command(on, "config-get")["arguments"]["Dhcp4"]}
    config["Dhcp4"]["subnet4"][0]["reservations"].append({"client-id": "01:cc", "ip-address": address})
    return config


@needs_lab
@needs_kea
class Kea(unittest.TestCase):
    def test_adopt_reserve_publish_and_a_client_gets_the_reserved_address(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.kea(on), beside(on) as running, running.client() as roster:
            first = on.ask(LAPTOP)["acked"]
            before = (on.folder / "kea.conf").read_text()
            server = roster.add_dhcp_server(kea_server(on, running))
            self.assertEqual(server.trouble, "")
            self.assertIn(first, [lease.address for lease in roster.dhcp_leases()])

            dry = roster.dhcp_adopt(server.id)
            self.assertEqual([r.address for r in dry.reservations], ["10.44.10.30"])
            self.assertEqual(list(roster.planned_subnets()), [], "a dry run changes nothing")
            done = roster.dhcp_adopt(server.id, dry_run=False)
            self.assertEqual([(p.first, p.last) for p in done.pools], [("10.44.10.100", "10.44.10.199")])
            subnet = roster.planned_subnet("10.44.10.0/24").subnet
            self.assertEqual((subnet.gateway, subnet.dns), ("10.44.10.1", ["10.44.10.1"]))
            self.assertEqual(roster.dhcp_preview(server.id).lines, [], "what was just adopted needs no publishing")

            roster.assign(reserve(LAPTOP, "10.44.10.181"))
            self.assertEqual(roster.assignment("10.44.10.181").reservation.state, "not published")  # type: ignore[union-attr]
            preview = roster.dhcp_preview(server.id)
            self.assertEqual([(line.action, line.what) for line in preview.lines], [("add", "reservation")])
            self.assertTrue(any(line.kind == "added" and "10.44.10.181" in line.text for line in preview.text_lines))
            published = roster.dhcp_publish(server.id, preview.digest)
            self.assertIn("checked by the server (config-test)", published.remarks)

            state = roster.assignment("10.44.10.181").reservation
            assert state is not None
            self.assertEqual(state.state, "waiting")
            self.assertIn(f"still on {first}", state.sentence)
            self.assertEqual(on.ask(LAPTOP, client=first)["kind"], "NAK")
            self.assertEqual(on.ask(LAPTOP)["acked"], "10.44.10.181")
            roster.dhcp_read(server.id)
            self.assertEqual(roster.assignment("10.44.10.181").reservation.state, "in effect")  # type: ignore[union-attr]

            after = (on.folder / "kea.conf").read_text()
            for line in before.splitlines():
                if line.strip() not in ("", "]", "}"):
                    self.assertIn(line.rstrip(","), after, "every hand-written line is there still")
            self.assertEqual((on.folder / "kea.conf.previous~").read_text(), before)
            self.assertEqual(on.ask(PRINTER)["acked"], "10.44.10.30")

    def test_releasing_takes_away_only_what_the_plan_put_there(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.kea(on), beside(on) as running, running.client() as roster:
            server = roster.add_dhcp_server(kea_server(on, running))
            roster.dhcp_adopt(server.id, dry_run=False)
            adopted = (on.folder / "kea.conf").read_text()
            for number in range(3):
                roster.assign(reserve(f"02:c0:9f:a0:01:0{number}", f"10.44.10.6{number}", f"desk-{number}"))
            roster.dhcp_publish(server.id)
            roster.move_assignment(roster.assignment("10.44.10.61").id, "10.44.10.71")
            roster.release(roster.assignment("10.44.10.60").id)
            lines = {(line.action, line.before, line.after) for line in roster.dhcp_preview(server.id).lines}
            self.assertEqual(
                lines,
                {
                    ("remove", "02:c0:9f:a0:01:00 10.44.10.60 desk-0", ""),
                    ("change", "02:c0:9f:a0:01:01 10.44.10.61 desk-1", "02:c0:9f:a0:01:01 10.44.10.71 desk-1"),
                },
            )
            roster.dhcp_publish(server.id)
            for address in ("10.44.10.71", "10.44.10.62"):
                roster.release(roster.assignment(address).id)
            with contextlib.closing(sqlite3.connect(running.home / "roster.db")) as database:
                kept = "".join(row[0] for row in database.execute("SELECT texts FROM dhcp_versions"))
            self.assertNotIn("theatre", kept, "a configuration may hold passwords: it is sealed")
            self.assertGreater(len(kept), 100)
            roster.dhcp_publish(server.id)
            self.assertEqual((on.folder / "kea.conf").read_text(), adopted, "byte for byte as it was")

    def test_what_the_servers_own_check_refuses_is_not_published_and_the_old_one_still_serves(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.kea(on), beside(on) as running, running.client() as roster:
            server = roster.add_dhcp_server(kea_server(on, running))
            roster.dhcp_adopt(server.id, dry_run=False)
            before = (on.folder / "kea.conf").read_text()
            with self.assertRaises(BadInput) as held:
                roster.assign(reserve(LAPTOP, "10.44.10.31"))
            self.assertIn("reserves 10.44.10.31 for client id 01:aa:bb", str(held.exception))
            self.assertIn(f"line 20 of {on.folder}/kea.conf", str(held.exception))
            roster.assign(reserve(LAPTOP, "10.44.10.181"))
            config = on.folder / "kea.conf"
            config.write_text(
                before.replace(
                    '"client-id": "01:aa:bb", "ip-address": "10.44.10.31"',
                    '"client-id": "01:aa:bb", "ip-address": "10.44.10.181"',
                )
            )
            with self.assertRaises(BadInput) as refused:
                roster.dhcp_publish(server.id)
            self.assertIn("10.44.10.181", str(refused.exception))
            self.assertEqual(roster.assignment("10.44.10.181").reservation.state, "refused")  # type: ignore[union-attr]
            self.assertEqual(on.ask(PRINTER)["acked"], "10.44.10.30")

    def test_what_it_holds_is_known_whoever_wrote_it(self) -> None:
        text = None
        with dhcp_lab.link() as on:
            text = dhcp_lab.kea_config(on.folder).replace(
                '"10.44.10.100 - 10.44.10.199" }', '"10.44.10.100 - 10.44.10.199", "client-class": "touring" }'
            )
            with dhcp_lab.kea(on, text), beside(on) as running, running.client() as roster:
                server = roster.add_dhcp_server(kea_server(on, running))
                page = roster.dhcp_holdings(server.id)
                self.assertEqual(page.page.counts["reservation"], 2)
                self.assertEqual((page.page.counts.get("not understood"), page.page.trouble), (None, ""))
                (pool,) = roster.dhcp_holdings(server.id, part="pool")
                self.assertEqual([(mark.what, mark.value) for mark in pool.hangs], [("client-class", "touring")])
                self.assertEqual((pool.source, pool.line), (str(on.folder / "kea.conf"), 15))
                proof = roster.prove("10.44.10.31", ask=False)
                self.assertEqual(proof.grade, "taken")
                self.assertIn("office: line 20 of", proof.reasons[0])
                adopted = roster.dhcp_adopt(server.id, dry_run=False)
                self.assertEqual((adopted.beside, adopted.not_understood), ({"class": 1, "reservation": 1}, []))
                self.assertTrue(roster.dhcp_holdings(server.id, search="printer-1")[0].ours)
                self.assertIn(
                    "client id 01:aa:bb", running.roster("dhcp", "holdings", "--search", "10.44.10.31").stdout
                )
                # What was put into the running server alone is held as well.
                kea_command(on, "config-set", running_config(on, "10.44.10.77"))
                roster.dhcp_read(server.id)
                (beside_file,) = roster.dhcp_holdings(server.id, part="reservation", search="10.44.10.77")
                self.assertEqual((beside_file.source, beside_file.line), ("running memory", 0))

    def test_by_its_control_socket_alone(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.kea(on), beside(on) as running, running.client() as roster:
            server = roster.add_dhcp_server(kea_server(on, running, config=False))
            roster.dhcp_adopt(server.id, dry_run=False)
            roster.assign(reserve(LAPTOP, "10.44.10.181"))
            before = dhcp_lab.kea_command(on, "config-get")["arguments"]["Dhcp4"]
            done = roster.dhcp_publish(server.id)
            self.assertIn("set and written back by the server", done.remarks)
            after = dhcp_lab.kea_command(on, "config-get")["arguments"]["Dhcp4"]
            added = [r for r in after["subnet4"][0]["reservations"] if r.get("hw-address") == LAPTOP]
            self.assertEqual([r["ip-address"] for r in added], ["10.44.10.181"])
            after["subnet4"][0]["reservations"].remove(added[0])
            self.assertEqual(list(after.pop("user-context")), ["even-roster"], "one mark")
            self.assertEqual(after, before, "value for value as it was, beside the reservation")
            self.assertIn(LAPTOP, (on.folder / "kea.conf").read_text())
            self.assertEqual(on.ask(LAPTOP)["acked"], "10.44.10.181")

    def test_by_its_control_url_with_a_certificate_and_a_password(self) -> None:
        with (
            dhcp_lab.link() as on, dhcp_lab.kea(on), dhcp_lab.control_agent(on, "roster", "pass word") as url,
            service("serve", inside=on.inside) as running,
        ):  # fmt: skip
            config, ca = on.folder / "kea.conf", on.folder / "cert.pem"
            before = config.read_text()
            reach = {"url": url, "user": "roster", "password": "pass word", "ca": str(ca), "config": str(config)}
            allow(running.home, Reach("office", "kea", {**reach, "password": "wrong"}))
            added = running.roster("dhcp", "add", "office")
            self.assertIn("does not let roster in (401)", added.stdout)
            allow(running.home, Reach("office", "kea", {name: value for name, value in reach.items() if name != "ca"}))
            self.assertIn("certificate", running.roster("dhcp", "preview").stderr.lower())
            allow(running.home, Reach("office", "kea", reach))
            running.json("dhcp", "adopt")
            running.json("reserve", LAPTOP, "10.44.10.181", "--name", "portable-05")
            notes: Any = running.json("dhcp", "publish", "--yes")["remarks"]
            self.assertIn("checked by the server (config-test)", notes)
            self.assertEqual(on.ask(LAPTOP)["acked"], "10.44.10.181")
            servers: Any = running.json("dhcp")["items"]
            shown = servers[0]["reached"]
            self.assertEqual((shown["url"], "password" in shown), (url, False))
            told: Any = running.json("dhcp", "leases", "--now")["items"]
            self.assertIn("10.44.10.181", [lease["address"] for lease in told])
            running.json("release", "10.44.10.181")
            running.json("dhcp", "publish", "--yes")
            self.assertEqual(config.read_text(), before)

    def test_what_a_server_lost_and_what_waits_are_findings(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.kea(on), beside(on) as running, running.client() as roster:
            server = roster.add_dhcp_server(kea_server(on, running))
            roster.dhcp_adopt(server.id, dry_run=False)
            roster.assign(reserve(LAPTOP, "10.44.10.181"))
            roster.dhcp_publish(server.id)

            def kinds() -> set[str]:
                return {one.kind for one in roster.findings()}

            roster.dhcp_read(server.id)
            self.assertFalse(kinds() & {"published-lost", "plan-unpublished", "two-rosters"})
            path = on.folder / "kea.conf"
            published = path.read_text()
            config: Any = kea_command(on, "config-get")["arguments"]["Dhcp4"]
            self.assertEqual(len(config["subnet4"][0]["reservations"]), 3)
            path.write_text(
                "\n".join(line for line in published.splitlines() if LAPTOP not in line).replace(
                    '"10.44.10.31" },', '"10.44.10.31" }'
                )
            )
            kea_command(on, "config-reload")
            roster.dhcp_read(server.id)
            until(lambda: "published-lost" in kinds(), "that a reservation is gone was not told")
            (lost,) = (one for one in roster.findings() if one.kind == "published-lost")
            self.assertIn(f"office does not have the reservation {LAPTOP} 10.44.10.181 any more", lost.evidence[0].said)
            self.assertEqual(len(lost.evidence), 1, lost.evidence)
            roster.dhcp_publish(server.id)
            roster.dhcp_read(server.id)
            until(lambda: "published-lost" not in kinds(), "it stays although it is published again")
            self.assertEqual(path.read_text().count(LAPTOP), 1)

    def test_two_rosters_on_one_server_are_told(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.kea(on), beside(on) as one, beside(on) as two:
            for running, mac, address in ((one, LAPTOP, "10.44.10.181"), (two, "02:c0:9f:a0:00:17", "10.44.10.182")):
                kea_server(on, running)
                running.json("dhcp", "add", "office")
                running.json("dhcp", "adopt")
                running.json("reserve", mac, address, "--name", "portable")
            one.json("dhcp", "publish", "--yes")
            refused = two.roster("dhcp", "publish", "--yes")
            self.assertEqual(refused.returncode, 1)
            self.assertIn("another roster", refused.stdout)
            self.assertNotIn("10.44.10.182", (on.folder / "kea.conf").read_text())
            two.json("dhcp", "publish", "--yes", "--take-over")
            self.assertIn("10.44.10.182", (on.folder / "kea.conf").read_text())
            self.assertIn("another roster", one.roster("dhcp", "preview").stdout)

    def test_a_pool_drawn_in_the_plan_is_handed_out(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.kea(on), beside(on) as running:
            self.assertEqual(kea_server(on, running).name, "office")
            running.json("dhcp", "add", "office")
            self.assertEqual(running.roster("dhcp", "adopt").returncode, 0)
            self.assertEqual(
                running.roster(
                    "band", "set", "10.44.10.100-10.44.10.199", "--range", "10.44.10.150-159", "--lease", "20m"
                ).returncode,
                0,
            )
            done = running.roster("dhcp", "publish", "--yes")
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertIn("lease time", done.stdout)
            offer = on.ask("02:c0:9f:a0:02:01")
            self.assertIn(offer["offered"], [f"10.44.10.{n}" for n in range(150, 160)])
            self.assertEqual(offer["lease"], 1200)

    def test_by_its_file_alone_a_change_behind_our_back_is_noticed(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.kea(on), service("serve", inside=on.inside) as running:
            path = on.folder / "kea.conf"
            leases = on.folder / "leases.csv"
            running.json("dhcp", "allow", "office", "kea", "--config", str(path), "--leases", str(leases))
            running.json("dhcp", "add", "office")
            running.json("dhcp", "adopt")
            running.json("reserve", LAPTOP, "10.44.10.181", "--name", "portable-05")
            path.write_text(path.read_text().replace("bought in spring", "bought in autumn"))
            done = running.json("dhcp", "publish", "--yes")
            self.assertIn("checked by kea-dhcp4 -t", str(done["remarks"]))
            self.assertIn("the server reads it when it is reloaded", str(done["remarks"]))
            self.assertIn("bought in autumn", path.read_text())
            self.assertIn(LAPTOP, path.read_text())
            path.write_text(path.read_text().replace('"interfaces": [ "srv0" ]', '"interfaces": [ "srv9" ]'))
            running.json("reserve", "02:c0:9f:a0:00:17", "10.44.10.182", "--name", "portable-01")
            refused = running.roster("dhcp", "publish", "--yes")
            self.assertEqual(refused.returncode, 2)
            self.assertIn("interface 'srv9' doesn't exist", refused.stderr)
            self.assertNotIn("02:c0:9f:a0:00:17", path.read_text())

    def test_what_was_changed_since_the_preview_is_not_overwritten(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.kea(on), beside(on) as running, running.client() as roster:
            server = roster.add_dhcp_server(kea_server(on, running))
            roster.dhcp_adopt(server.id, dry_run=False)
            roster.assign(reserve(LAPTOP, "10.44.10.181"))
            preview = roster.dhcp_preview(server.id)
            path = on.folder / "kea.conf"
            path.write_text(path.read_text().replace("bought in spring", "bought in autumn"))
            with self.assertRaises(StaleEdit) as stale:
                roster.dhcp_publish(server.id, preview.digest)
            self.assertIn("changed since the preview", str(stale.exception))
            roster.dhcp_publish(server.id, roster.dhcp_preview(server.id).digest)
            self.assertIn("bought in autumn", path.read_text())

    def test_a_broken_file_is_refused_with_its_place(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.kea(on), beside(on) as running, running.client() as roster:
            server = roster.add_dhcp_server(kea_server(on, running, socket=False))
            path = on.folder / "kea.conf"
            path.write_text(path.read_text().replace('"subnet4": [', '"subnet4": ['.replace(":", "")))
            with self.assertRaises(RosterError) as broken:
                roster.dhcp_preview(server.id)
            self.assertIn("line 11", str(broken.exception))


@needs_lab
@needs_dnsmasq
class Dnsmasq(unittest.TestCase):
    HOSTS = "# the theatre's own list\n02:c0:44:00:00:01,10.44.10.30,printer-1\t# bought in spring\n\nid:portable-x,10.44.10.40\r\n"

    def server(self, on: Link, running: Service) -> DhcpServerNew:
        paths = {name: str(on.folder / name) for name in ("hosts", "leases", "pid")}
        allow(running.home, Reach("office", "dnsmasq", {**paths, "config": str(on.folder / "dnsmasq.conf")}))
        return DhcpServerNew(name="office")

    def test_adopt_reserve_publish_and_a_client_gets_the_reserved_address(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.dnsmasq(on, self.HOSTS), beside(on) as running, running.client() as roster:
            first = on.ask(LAPTOP)["acked"]
            server = roster.add_dhcp_server(self.server(on, running))
            roster.dhcp_adopt(server.id, dry_run=False)
            self.assertEqual([a.address for a in roster.assignments()], ["10.44.10.30"])
            roster.assign(reserve(LAPTOP, "10.44.10.181"))
            done = roster.dhcp_publish(server.id, roster.dhcp_preview(server.id).digest)
            self.assertTrue(any("SIGHUP" in note for note in done.remarks), done.remarks)
            self.assertRegex(
                (on.folder / "hosts").read_bytes().decode(),
                f"^{re.escape(self.HOSTS)}# Reservations of this file are published by the roster [0-9a-f]{{8}}\n"
                f"{LAPTOP},10.44.10.181,portable-05\n$",
            )
            self.assertNotEqual(first, "10.44.10.181")
            self.assertEqual(on.ask(LAPTOP)["acked"], "10.44.10.181")
            self.assertEqual(on.ask(PRINTER)["acked"], "10.44.10.30")
            roster.dhcp_read(server.id)
            self.assertEqual(roster.assignment("10.44.10.181").reservation.state, "in effect")  # type: ignore[union-attr]
            roster.release(roster.assignment("10.44.10.181").id)
            roster.dhcp_publish(server.id)
            self.assertEqual((on.folder / "hosts").read_bytes().decode(), self.HOSTS, "byte for byte as it was")

    def test_reading_all_the_while_neither_disturbs_publishing_nor_tells_of_drift(self) -> None:
        over = threading.Event()
        with dhcp_lab.link() as on, dhcp_lab.dnsmasq(on, self.HOSTS), beside(on) as running, running.client() as roster:
            server = roster.add_dhcp_server(self.server(on, running))
            roster.dhcp_adopt(server.id, dry_run=False)
            told: list[str] = []

            def read() -> int:
                count = 0
                with running.client() as other:
                    while not over.is_set():
                        told.append(other.dhcp_read(server.id).held_trouble)
                        count += 1
                return count

            with ThreadPoolExecutor(2) as pool:
                readers = [pool.submit(read) for _ in range(2)]
                try:
                    for number in range(12):
                        mac, address = f"02:c0:9f:00:01:{number:02x}", f"10.44.10.{60 + number}"
                        roster.assign(AssignmentNew(address=address, mac=mac, name=f"desk-{number}", kind="reserved"))
                        done = roster.dhcp_publish(server.id)
                        self.assertEqual([line.action for line in done.lines], ["add"], number)
                        self.assertEqual(roster.dhcp_servers()[0].published, number + 2)
                        self.assertEqual(roster.dhcp_preview(server.id).lines, [])
                finally:
                    over.set()
                self.assertTrue(all(one.result() > 1 for one in readers), "they read only once")
            self.assertEqual(set(told), {""})
            kinds = {one.kind for one in roster.findings(state="all")}
            self.assertEqual(
                kinds & {"published-lost", "plan-unpublished", "two-rosters"}, set(), "not even for a moment"
            )
            for item in roster.assignments():
                if item.address != "10.44.10.30":
                    roster.release(item.id)
            roster.dhcp_publish(server.id)
            self.assertEqual((on.folder / "hosts").read_bytes().decode(), self.HOSTS, "byte for byte as it was")

    def test_what_its_own_check_refuses_is_not_written(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.dnsmasq(on, self.HOSTS), beside(on) as running, running.client() as roster:
            server = roster.add_dhcp_server(self.server(on, running))
            roster.dhcp_adopt(server.id, dry_run=False)
            roster.assign(reserve(LAPTOP, "10.44.10.181"))
            config = on.folder / "dnsmasq.conf"
            config.write_text(config.read_text() + "dhcp-option=nonsense\n")
            with self.assertRaises(BadInput) as refused:
                roster.dhcp_publish(server.id)
            self.assertIn("own check refuses its configuration", str(refused.exception))
            self.assertEqual((on.folder / "hosts").read_bytes().decode(), self.HOSTS)
            self.assertEqual(on.ask(PRINTER)["acked"], "10.44.10.30")

    def test_a_file_that_is_not_there_yet_is_made(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.dnsmasq(on, ""), beside(on) as running, running.client() as roster:
            (on.folder / "hosts").unlink()
            server = roster.add_dhcp_server(self.server(on, running))
            roster.dhcp_adopt(server.id, dry_run=False)
            roster.assign(reserve(LAPTOP, "10.44.10.181"))
            roster.dhcp_publish(server.id)
            self.assertEqual(on.ask(LAPTOP)["acked"], "10.44.10.181")

    def test_who_is_managed_no_more_claims_no_address(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.dnsmasq(on, self.HOSTS), beside(on) as running, running.client() as roster:
            roster.add_subnet(SubnetNew(range="10.44.10.0/24", name="Office", gateway="10.44.10.1"))
            server = roster.add_dhcp_server(self.server(on, running))
            self.assertEqual(roster.prove("10.44.10.40", ask=False).grade, "taken")
            roster.remove_dhcp_server(server.id)
            self.assertEqual(roster.prove("10.44.10.40", ask=False).grade, "doubtful")
            roster.undo(roster.changes(limit=1)[0].id)
            roster.dhcp_read(roster.dhcp_servers()[0].id)
            self.assertEqual(roster.prove("10.44.10.40", ask=False).grade, "taken")

    def test_a_pool_that_differs_is_told_to_a_person(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.dnsmasq(on, self.HOSTS), beside(on) as running, running.client() as roster:
            roster.add_subnet(SubnetNew(range="10.44.10.0/24", name="Office", gateway="10.44.10.1"))
            server = roster.add_dhcp_server(self.server(on, running))
            self.assertEqual(running.roster("band", "add", "Office", "pool", "120-140", "--by", "office").returncode, 0)
            shown = json.loads(running.roster("dhcp", "preview", "--json").stdout)
            self.assertEqual(shown["conflicts"], [])
            self.assertIn("10.44.10.120-10.44.10.140", shown["by_hand"][0])
            self.assertIn("10.44.10.100-10.44.10.199", shown["by_hand"][0])
            self.assertEqual(server.kind, "dnsmasq")


@needs_lab
@needs_dhcpd
class Dhcpd(unittest.TestCase):
    HOSTS = "# the theatre's own\nhost desk { hardware ethernet 02:c0:44:00:00:06; fixed-address 10.44.10.33; } # by the window\n"

    def server(self, on: Link, running: Service, restart: str) -> DhcpServerNew:
        paths = {"config": "dhcpd.conf", "hosts": "hosts.conf", "leases": "dhcpd.leases"}
        values = {name: str(on.folder / file) for name, file in paths.items()}
        allow(running.home, Reach("office", "dhcpd", {**values, "reload": restart}))
        return DhcpServerNew(name="office")

    def test_adopt_reserve_publish_and_take_back(self) -> None:
        with (
            dhcp_lab.link() as on,
            dhcp_lab.dhcpd(on, self.HOSTS) as restart,
            beside(on) as running,
            running.client() as roster,
        ):
            first = on.ask(LAPTOP)["acked"]
            server = roster.add_dhcp_server(self.server(on, running, restart))
            self.assertEqual((server.trouble, server.held_trouble, server.not_understood), ("", "", 0))
            self.assertIn(first, [lease.address for lease in roster.dhcp_leases()])
            self.assertEqual(roster.dhcp_holdings(server.id).page.counts["reservation"], 3)
            adopted = roster.dhcp_adopt(server.id, dry_run=False)
            self.assertEqual([one.address for one in adopted.reservations], ["10.44.10.30", "10.44.10.33"])
            self.assertEqual(roster.dhcp_preview(server.id).lines, [])
            with self.assertRaises(BadInput) as held:
                roster.assign(reserve("02:c0:9f:00:00:01", "10.44.10.32"))
            self.assertIn("reserves 10.44.10.32 for client id 01:02:c0:44:00:00:03", str(held.exception))
            roster.assign(reserve(LAPTOP, "10.44.10.181"))
            desk = roster.assignment("10.44.10.33")
            roster.edit_assignment(desk.id, AssignmentEdit(name="desk-window"))
            done = roster.dhcp_publish(server.id, roster.dhcp_preview(server.id).digest)
            self.assertIn("checked by dhcpd -4 -t", done.remarks)
            text = (on.folder / "hosts.conf").read_text()
            self.assertIn('fixed-address 10.44.10.33; option host-name "desk-window"; } # by the window', text)
            self.assertEqual(on.ask(LAPTOP)["acked"], "10.44.10.181")
            self.assertEqual(on.ask(PRINTER)["acked"], "10.44.10.30")
            self.assertIn(int(on.ask("02:c0:50:00:00:01", vendor="tone 3")["acked"].rpartition(".")[2]), range(50, 70))
            self.assertIn(int(on.ask("02:c0:9f:00:00:07")["acked"].rpartition(".")[2]), range(100, 150))
            roster.release(roster.assignment("10.44.10.181").id)
            roster.edit_assignment(desk.id, AssignmentEdit(name=""))
            roster.dhcp_publish(server.id)
            self.assertEqual((on.folder / "hosts.conf").read_text(), self.HOSTS, "octet for octet as it was")

    def test_what_it_cannot_do_is_refused_or_told(self) -> None:
        with (
            dhcp_lab.link() as on,
            dhcp_lab.dhcpd(on, self.HOSTS) as restart,
            beside(on) as running,
            running.client() as roster,
        ):
            server = roster.add_dhcp_server(self.server(on, running, restart))
            roster.dhcp_adopt(server.id, dry_run=False)
            roster.assign(reserve(LAPTOP, "10.44.10.120"))
            (conflict,) = roster.dhcp_preview(server.id).conflicts
            self.assertIn("lies in the server's pool 10.44.10.100-10.44.10.149", conflict)
            roster.release(roster.assignment("10.44.10.120").id)
            printer = roster.assignment("10.44.10.30")
            roster.edit_assignment(printer.id, AssignmentEdit(name="printer-hall"))
            shown = roster.dhcp_preview(server.id)
            self.assertEqual((shown.lines, len(shown.by_hand)), ([], 1))
            self.assertIn("what differs is to be done by hand", running.roster("dhcp", "preview").stdout)
            self.assertIn(
                f"line 9 of {on.folder}/dhcpd.conf: write {PRINTER} 10.44.10.30 printer-hall for it", shown.by_hand[0]
            )
            config = on.folder / "dhcpd.conf"
            config.write_text(config.read_text().replace("authoritative;", "authoritative; nonsense 7 8;"))
            roster.assign(reserve(LAPTOP, "10.44.10.181"))
            with self.assertRaises(BadInput) as refused:
                roster.dhcp_publish(server.id)
            self.assertIn(f"{config} line 2", str(refused.exception))
            self.assertEqual((on.folder / "hosts.conf").read_text(), self.HOSTS)


class Allowed(unittest.TestCase):
    """Which files the service reads and writes is decided by its host alone."""

    def test_a_server_that_is_not_there_is_told_and_nothing_breaks(self) -> None:
        with service("serve") as running, running.client() as roster:
            allow(running.home, Reach("lost", "kea", {"socket": "/nowhere/kea.sock"}))
            self.assertEqual([(one.reach, one.used_by) for one in roster.dhcp_allowed()], [("lost", None)])
            server = roster.add_dhcp_server(DhcpServerNew(name="lost"))
            self.assertIn("/nowhere/kea.sock does not answer", server.trouble)
            with self.assertRaises(ServiceFault):
                roster.dhcp_preview(server.id)
            self.assertFalse(Path("/nowhere").exists())

    def test_who_may_use_the_service_cannot_choose_a_file(self) -> None:
        with service("serve") as running, running.client() as roster:
            for reach in ("", "/etc/passwd", "../etc"):
                with self.assertRaises(BadInput) as refused:
                    roster.add_dhcp_server(DhcpServerNew(name="office", reach=reach))
                self.assertIn("does not allow a DHCP server", str(refused.exception))
            headers = {"Authorization": f"Bearer {json.loads((running.home / 'service.json').read_text())['token']}"}
            sent = {"name": "office", "kind": "kea", "config": "/etc/passwd"}
            self.assertEqual(
                httpx.post(f"{running.url}/api/v1/dhcp/servers", json=sent, headers=headers).status_code, 422
            )

    def test_the_file_is_written_by_the_command_alone_and_keeps_what_people_wrote(self) -> None:
        with service("serve") as running:
            path = running.home / "servers.toml"
            path.write_text('# ours\n[hall] # the hall\nkind = "kea"\nsocket = "/run/hall.sock"\n')
            path.chmod(0o600)
            running.json("dhcp", "allow", "office", "dnsmasq", "--hosts", "/etc/hosts.office")
            running.json("dhcp", "allow", "office", "dnsmasq", "--hosts", "/etc/hosts.other")
            text = path.read_text()
            self.assertTrue(
                text.startswith('# ours\n[hall] # the hall\nkind = "kea"\nsocket = "/run/hall.sock"\n'), text
            )
            self.assertEqual(
                (text.count("[office]"), "hosts.other" in text, path.stat().st_mode & 0o777), (1, True, 0o600)
            )
            self.assertIn("begins with /", running.roster("dhcp", "allow", "x", "kea", "--config", "kea.conf").stderr)
            self.assertIn("needs hosts", running.roster("dhcp", "allow", "x", "dnsmasq", "--config", "/etc/x").stderr)
            path.chmod(0o666)
            refused = running.roster("dhcp", "add", "office")
            self.assertIn("may be written by others", refused.stderr)
            path.write_text('[office]\nkind = "kea"\nurl = "https://127.0.0.1:1"\nuser = "hall"\npassword = "secret"\n')
            path.chmod(0o644)
            refused = running.roster("dhcp", "add", "office")
            self.assertIn("holds a password and may be read by others", refused.stderr)
            self.assertNotIn("secret", refused.stderr)
            path.chmod(0o600)
            path.write_text('[office]\nkind = "kea"\nsocket = 7\n')
            self.assertIn("[office]: socket is 7, not a text in quotes", running.roster("dhcp", "add", "office").stderr)

    def test_paths_of_an_older_version_move_to_the_hosts_file(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            home = Path(folder) / "home"
            with service("serve", home=home) as running, running.client() as roster:
                allow(home, Reach("office", "kea", {"config": "/nowhere/kea.conf"}))
                roster.add_dhcp_server(DhcpServerNew(name="office"))
            (home / "servers.toml").unlink()
            with contextlib.closing(sqlite3.connect(home / "roster.db")) as database:
                database.execute(
                    "UPDATE dhcp_servers SET settings = ?, name = 'the ''hall''!'",
                    [json.dumps({"config": "/nowhere/kea.conf", "pid": ""})],
                )
                database.commit()
            with service("serve", home=home) as running, running.client() as roster:
                (server,) = roster.dhcp_servers()
                self.assertEqual((server.reach, server.reached), ("the -hall", {"config": "/nowhere/kea.conf"}))
                self.assertIn('["the -hall"]', (home / "servers.toml").read_text())


if __name__ == "__main__":
    unittest.main()
