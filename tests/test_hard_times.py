"""Full disks, stepping clocks and other people's networks: nothing that was confirmed is lost, nothing is torn or mixed up."""

from __future__ import annotations

import os
import random
import subprocess
import tempfile
import unittest
from ipaddress import IPv4Address, IPv4Network
from pathlib import Path
from unittest.mock import patch

from sqlalchemy import select

from even_roster.api.scans import ScanRequest
from even_roster.client import Roster, RosterError
from even_roster.core.findings.engine import Finding
from even_roster.core.known_link import Signs, Verdict, judge
from even_roster.core.mac import MacNumber
from even_roster.core.schedule import Due, Schedule
from even_roster.service import context as contexts
from even_roster.service.findings import finding_views
from even_roster.service.lookup import explain, history, ruler
from even_roster.standin.site import Site
from even_roster.store import finding_records
from even_roster.store.rows import FindingRow
from even_roster.store.tables import adapters, devices, segments, stays
from even_roster.store.watch_records import Watch
from tests.support.days import Days, days, hall, prepared
from tests.support.patience import until
from tests.support.service import demo

BESIDE = "anything"

HOUR = 3_600_000
OFFICE = "10.44.10.0/24"


class SteppingClock(unittest.TestCase):
    """The wall clock steps by an hour; the time that passes does not."""

    def steps(self, by: int) -> None:
        with days(hall, prepared) as site:
            site.hours(2, [OFFICE], scan_every=1)
            end = contexts.now_ms() + 90 * 24 * HOUR
            accepted = self.accept_one(site, end)
            before, torn = site.standing(), self.stays(site)
            self.assertIn((accepted.kind, accepted.subjects[0].value), site.standing("accepted"))
            opened: list[str] = []
            site.context.findings.turned.append(
                lambda turns: opened.extend(f"{t.turn} {t.finding.kind} {t.finding.key}" for _, t in turns)
            )
            wall = contexts.wall_ns
            with patch.object(contexts, "wall_ns", lambda: wall() + by * 1_000_000):
                site.hours(2, [OFFICE], scan_every=1)
                self.assertEqual(site.standing(), before, site.told())
                self.assertEqual(opened, [], "no finding opened or closed because of the step")
                self.assertEqual(self.stays(site), torn, "no stay was torn in two")
                self.assertEqual(self.told_end(site, accepted), end, "the end stays what the hand wrote")
            site.hours(1, [OFFICE], scan_every=1)
            self.assertEqual((site.standing(), opened, self.stays(site)), (before, [], torn))

    def accept_one(self, site: Days, until: int) -> Finding:
        """Accept one of the open findings until a time."""
        found = next(f for f in site.context.findings.engine.standing.values() if f.state.value == "open")
        site.context.findings.accept(self.row(site, found).id, "it is known", "a hand", until)
        return found

    def row(self, site: Days, found: Finding) -> FindingRow:
        """Its record."""
        with site.context.database.read() as connection:
            row = finding_records.one(connection, finding_records.ids_of(connection, [found.name])[found.name])
        assert row is not None
        return row

    def told_end(self, site: Days, found: Finding) -> int:
        """Until when it is accepted, as people are told."""
        row = self.row(site, found)
        with site.context.database.read() as connection:
            (view,) = finding_views.views(site.context, connection, [row])
        assert view.acceptance is not None and view.acceptance.until is not None
        return round(view.acceptance.until.timestamp() * 1000)

    def stays(self, site: Days) -> int:
        """How many stays there are on the own links of devices that never move."""
        steady = {int(h.addresses[0]) for h in site.site.hosts if not h.by_dhcp and h.vlan == 10 and h.addresses}
        with site.context.database.read() as connection:
            return sum(1 for row in connection.execute(select(stays.c.address)) if row.address in steady)

    def test_forward(self) -> None:
        self.steps(HOUR)

    def test_back(self) -> None:
        self.steps(-HOUR)

    def test_nothing_stays_seen_in_the_future(self) -> None:
        """A clock that was two days ahead for an hour: afterwards nobody was seen later than now, and history goes on."""
        with days(hall, prepared) as site:
            wall = contexts.wall_ns
            with patch.object(contexts, "wall_ns", lambda: wall() + 48 * HOUR * 1_000_000):
                site.scan(OFFICE)
            site.sleep(60)
            site.scan(OFFICE)
            now = contexts.now_ms()
            with site.context.database.read() as connection:
                for column in (stays.c.first, stays.c.last, adapters.c.last_seen, devices.c.last_seen):
                    ahead = [t for t in connection.execute(select(column)).scalars() if t > now]
                    self.assertEqual(ahead, [], str(column))
                found = history.at(site.context, connection, "10.44.10.30", now)
            self.assertEqual(len(found.stays), 1)


class FullDisk(unittest.TestCase):
    def test_reads_go_on_nothing_confirmed_is_lost_and_it_recovers_by_itself(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            if os.geteuid() != 0 or subprocess.run(
                ["mount", "-t", "tmpfs", "-o", "size=12m", "tmpfs", folder], capture_output=True, check=False
            ).returncode:  # fmt: skip
                self.skipTest("a small file system of its own needs root and mount(8)")
            try:
                self._fill(Path(folder))
            finally:
                subprocess.run(["umount", "-l", folder], check=False)

    def _fill(self, folder: Path) -> None:
        with demo(home=folder / "home") as running, running.client() as roster:
            first = roster.start_scan(ScanRequest(targets=["10.44.10.0/26"], with_names=False, ports=[]))
            self._ended(running, first.id)
            known = {d.mac for d in roster.devices()}
            stuffing = folder / "stuffing"
            with stuffing.open("wb", buffering=0) as file, self.assertRaises(OSError):
                while True:
                    file.write(bytes(65536))
            refused = None
            for number in range(400):
                try:
                    roster.add_site(f"Annex {number} " + "x" * 60, "y" * 900)
                    kept = number
                except RosterError as error:
                    refused = error
                    break
            assert refused is not None
            self.assertIn("the disk that holds", str(refused))
            self.assertIn("free some space", str(refused))
            self.assertEqual(roster.health().status, "impaired")
            self.assertTrue(known <= {d.mac for d in roster.devices()}, "reads go on")
            stuck = 0
            try:
                stuck = roster.start_scan(ScanRequest(targets=["10.44.20.0/26"], with_names=False, ports=[])).id
            except RosterError as error:
                self.assertIn("disk", str(error))
            stuffing.unlink()
            until(lambda: self._adds(roster, "After"), "it does not recover")
            until(lambda: roster.health().status == "ok", lambda: f"it is not well again: {roster.health()}")
            names = {site.name for site in roster.sites()}
            self.assertIn("After", names)
            confirmed = [f"Annex {n} " + "x" * 60 for n in range(number if refused else kept + 1)]
            self.assertTrue(set(confirmed) <= names, "what was confirmed is there")
            self.assertNotIn(f"Annex {number} " + "x" * 60, names)
            if stuck:
                self._ended(running, stuck)
            again = roster.start_scan(ScanRequest(targets=["10.44.20.0/26"], with_names=False, ports=[]))
            self.assertEqual(self._ended(running, again.id), "done")

    def _ended(self, running: object, scan: int) -> str:
        client = running.client()  # type: ignore[attr-defined]
        until(lambda: client.scan(scan).state != "running", f"scan {scan} never ended")
        return str(client.scan(scan).state)

    def _adds(self, roster: Roster, site: str) -> bool:
        try:
            roster.add_site(site)
        except RosterError:
            return False
        return True


class Elsewhere(unittest.TestCase):
    """A technician's copy of the roster on a laptop at a site with the same addresses."""

    def test_another_network_is_noticed_and_its_devices_are_not_mixed_up(self) -> None:
        with days(hall, prepared) as site:
            site.scan(OFFICE)
            adapter = site.site.adapters[0]
            self.assertEqual(site.run(site.watcher.place.judge(adapter)).verdict, Verdict.SAME)  # type: ignore[attr-defined]
            gate = next(h for h in site.site.hosts if h.routes and h.vlan == 10)
            known = {d.mac for d in site.site.hosts}
            # A router that was replaced is no other place: the devices behind it are the known ones.
            old = gate.mac
            self._new_mac(site.site, gate, 1)
            self.assertEqual(site.run(site.watcher.place.judge(adapter)).verdict, Verdict.SAME)  # type: ignore[attr-defined]
            for number, host in enumerate(list(site.site.hosts)):
                if host.vlan == 10:
                    self._new_mac(site.site, host, 100 + number)
            place = site.run(site.watcher.place.judge(adapter))
            self.assertEqual(place.verdict, Verdict.ELSEWHERE)  # type: ignore[attr-defined]
            self.assertIn("another network with the same addresses", place.said)  # type: ignore[attr-defined]
            self.assertIn(str(old), place.said)  # type: ignore[attr-defined]
            site.settle(everything=True)
            before, told = site.standing(), self.told(site)
            site.scan(OFFICE)
            site.settle(everything=True)
            self.assertEqual(site.standing(), before, "what is seen elsewhere is no finding here")
            self.assertEqual(self.told(site), told, "nor an answer to who holds what here")
            self.assertEqual((told["stays"], told["scans"]), ({"02:c0:44:00:00:26"}, 1))
            with site.context.database.read() as connection:
                rows = connection.execute(
                    select(segments.c.fingerprint, segments.c.site_id, segments.c.gateway_mac)
                ).all()
                here = {row.site_id for row in rows if row.fingerprint.count("|") == 1}
                there = [row for row in rows if row.fingerprint.count("|") == 2]
                self.assertEqual([row.gateway_mac for row in there], [gate.mac.value])
                self.assertNotIn(there[0].site_id, here)
            self.assertFalse({h.mac for h in site.site.hosts if h.vlan == 10} & known)
            self.assertIn("another network", site.watcher._why_not(adapter.networks[0], Watch(1), adapter, 720))

    def told(self, site: Days) -> dict[str, object]:
        """Whose the printer's address is, by every way to ask."""
        address, context = "10.44.10.30", site.context
        with context.database.read() as connection:
            explained = explain.explain_address(context, connection, IPv4Address(address))
            moment = history.at(context, connection, address, contexts.now_ms())
            between = history.between(context, connection, address, 0, contexts.now_ms(), 100)
            drawn = ruler.draw(context, connection, IPv4Network(OFFICE))
            past = ruler.draw_past(context, connection, IPv4Network(OFFICE), contexts.now_ms())
        ticks = [tick for one in (drawn, past) for tick in one.ticks if tick.address == address]
        return {
            "holders": {said for said in explained.sentences if "02:c0" in said}, "names": {one.name for one in explained.names},
            "stays": {stay.mac for stay in (*explained.stays, *moment.stays, *between.stays)},
            "drawn": {(tick.state, tick.device.name) for tick in ticks if tick.device}, "scans": len(explained.scans),
        }  # fmt: skip

    def _new_mac(self, site: Site, host: object, number: int) -> None:
        site.unplug(host)  # type: ignore[arg-type]
        host.mac = type(host.mac)(0x02C0FF000000 + number)  # type: ignore[attr-defined]
        site.plug(host)  # type: ignore[arg-type]

    def test_verdicts(self) -> None:
        one, other, five, six = MacNumber(1), MacNumber(2), MacNumber(5), MacNumber(6)
        for signs, verdict in (
            (Signs(one, one, 0, 0), Verdict.SAME), (Signs(one, other, 8, 3), Verdict.SAME), (Signs(one, other, 8, 0), Verdict.ELSEWHERE),
            (Signs(one, other, 8, 0, frozenset({five}), frozenset({five, six})), Verdict.SAME), (Signs(None, None, 0, 0), Verdict.UNKNOWN),
            (Signs(one, None, 8, 0), Verdict.ELSEWHERE), (Signs(one, None, 2, 0), Verdict.UNKNOWN), (Signs(None, six, 4, 1), Verdict.SAME),
        ):  # fmt: skip
            self.assertEqual(judge(signs)[0], verdict, signs)


class Schedules(unittest.TestCase):
    def test_intervals_with_jitter_and_what_counts_as_what(self) -> None:
        source = random.Random(5)
        now = 1_000_000
        plan = Schedule(now, 0, eager=True, chance=source.random)
        self.assertEqual(plan.due(now, 60, 5, 15), [Due.ASK, Due.SCAN])
        plan.done(Due.ASK, now)
        plan.done(Due.SCAN, now)
        self.assertEqual(plan.due(now + 4 * 60_000, 60, 5, 15), [])
        self.assertEqual(plan.due(now + 6 * 60_000, 60, 5, 15), [Due.LIGHT])
        following = [
            Schedule(0, now, eager=True, chance=source.random).next(Due.SCAN, now, 60) - now for _ in range(50)
        ]
        self.assertTrue(all(54 * 60_000 <= one <= 66 * 60_000 for one in following), "within a tenth")
        self.assertGreater(len(set(following)), 40, "and never in step")
        self.assertEqual(plan.due(now + 10**9, 0, 0, 0), [], "never means never")

    def test_a_new_service_waits_a_moment_and_a_clock_set_back_stops_nothing(self) -> None:
        plan = Schedule(1_000_000, 0, eager=False, chance=lambda: 0.5)
        self.assertNotIn(Due.SCAN, plan.due(1_000_000, 60, 5, 15))
        self.assertIn(Due.SCAN, plan.due(1_000_000 + 130_000, 60, 5, 15))
        plan.done(Due.SCAN, 9_000_000)
        self.assertNotIn(Due.SCAN, plan.due(5_400_000, 60, 5, 15))
        self.assertIn(Due.SCAN, plan.due(5_400_000 + 67 * 60_000, 60, 5, 15))


if __name__ == "__main__":
    unittest.main()
