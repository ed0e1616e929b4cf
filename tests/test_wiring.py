"""The wiring through the service on the demo's site, its client and the command line: links, paths, the map, what is told when a
cable is pulled, ports that are switched and chased."""

from __future__ import annotations

import asyncio
import re
import subprocess
import sys
import tempfile
import time
import unittest
import xml.etree.ElementTree as ET
from datetime import UTC, datetime
from pathlib import Path
from types import SimpleNamespace
from typing import cast
from unittest import mock

import httpx

from even_roster.api.chases import ChaseEdit, ChaseFound, ChaseNew
from even_roster.api.demo import LeadPlug, LeadPull
from even_roster.api.port_orders import PortOrderNew, PortOrderView
from even_roster.api.switches import CredentialNew, KeptPort, SwitchSearch
from even_roster.api.wiring import LinkView, LinkWordNew, MapPlaceEdit
from even_roster.cli.switching import seat
from even_roster.client import BadInput, Conflict, NotFound, Roster, ServiceFault
from even_roster.core.mac import MacNumber
from even_roster.core.wiring.guard import Desk
from even_roster.probe.snmp_agent import Agent, Refused
from even_roster.service.context import now_ms, open_context
from even_roster.service.settings import Settings
from even_roster.service.switches.switch_reader import SwitchReader
from even_roster.service.watching.watcher import Watcher
from even_roster.service.wiring import guard_facts, port_orders
from even_roster.service.wiring.chaser import Chaser
from even_roster.service.wiring.link_picture import Wiring
from even_roster.service.wiring.order_sending import Target, Unsure
from even_roster.service.wiring.port_orders import PortOrders
from even_roster.service.wiring.who_must_stay import GATEWAY, Kept
from even_roster.standin import larkspur
from even_roster.standin.segment import StandinMachine
from even_roster.store import order_records
from even_roster.store.order_records import OrderRow
from tests.support.lab import environment
from tests.support.patience import PATIENCE, until
from tests.support.service import Service, demo

BESIDE = "anything"

READS = CredentialNew(name="larkspur", snmp="2c", community="larkspur")
USHER = CredentialNew(
    name="usher", user="usher", auth="sha256", auth_password="limelight-one", privacy="aes128", privacy_password="limelight-two"
)  # fmt: skip
WRITES = CredentialNew(
    name="machinist", user="machinist", auth="sha256", auth_password="trapdoor-one", privacy="aes128",
    privacy_password="trapdoor-two",
)  # fmt: skip
CLEAR = CredentialNew(name="rigging", snmp="2c", community="larkspur-rigging")
SOUND = "02:c0:2a:00:00:36"
"""The sound desk's MAC: another one answers for its address, too."""
STAGE = ("switch-stage-1", "switch-stage-2", "switch-stage-3")


class Wired(unittest.TestCase):
    """A demo of its own with all its switches read."""

    service: Service
    roster: Roster

    @classmethod
    def setUpClass(cls) -> None:
        cls.service = cls.enterClassContext(demo(watch=False))
        cls.roster = cls.enterClassContext(cls.service.client())
        cls.service.roster("scan", "10.44.10.0/24", "10.44.20.0/24")
        for one in (READS, USHER):
            cls.roster.add_credential(one)
        cls.roster.search_switches(SwitchSearch(within="10.44.0.0/16"))
        for one in (WRITES, CLEAR):  # later, so that nothing is read by them
            cls.roster.add_credential(one)

    def read(self, *names: str) -> None:
        for one in self.roster.switches():
            if one.name in names:
                self.roster.read_switch_now(one.id)

    def port(self, switch: str, name: str) -> KeptPort:
        return next(port for port in self.roster.ports(switch) if port.name == name)

    def link(self, one: str, other: str) -> LinkView | None:
        """The link between two switches."""
        found = (
            link for link in self.roster.links() if {one, other} == {end.switch.name for end in link.ends if end.switch}
        )
        return next(found, None)

    def typed(self, *words: str, ends: int = 0) -> str:
        """A command, as a process; what it said."""
        done = self.service.roster(*words)
        self.assertEqual(done.returncode, ends, done.stdout + done.stderr)
        return done.stdout + done.stderr


class OnTheDemo(Wired):
    def test_links_are_told_by_both_ends_with_what_is_shut_and_what_hangs_on_one_alone(self) -> None:
        ring = self.link("switch-stage-2", "switch-stage-3")
        assert ring is not None
        self.assertEqual((ring.known, ring.blocked, ring.ring is not None), ("told by both", True, True))
        self.assertIn("switch-stage-3 port 24 (blocking)", ring.blocked_at)
        attic = self.link("switch-office-1", "switch-attic")
        assert attic is not None
        self.assertEqual((attic.falls, attic.speed), (["switch-attic"], 10_000_000_000))
        page = self.roster.wiring()
        self.assertEqual(
            [(len(one.switches), len(one.blocked_ids), one.loop) for one in page.rings], [(3, 1, False), (3, 1, False)]
        )
        gate = self.link("switch-office-1", "gate-10")
        assert gate is not None
        self.assertEqual(gate.known, "inferred", "nobody told of it")

    def test_the_way_from_the_box_office_printer_to_the_sound_desk(self) -> None:
        found = self.roster.path("printer-1", "10.44.20.41")
        self.assertTrue(found.whole, found.lacks)
        self.assertEqual(found.routed_by and found.routed_by.name, "gate-10")
        ends = [(hop.one.called, hop.other.called) for hop in found.hops]
        self.assertEqual((ends[0][0], ends[-1][1]), ("printer-1", found.end.called))
        self.assertTrue(all(hop.seen is not False for hop in found.hops), "the forwarding tables agree")
        for before, after in zip(found.hops, found.hops[1:], strict=False):
            same = before.other.switch and after.one.switch and before.other.switch.id == after.one.switch.id
            self.assertTrue(same or before.other.switch is None, "each cable begins where the one before ends")
        self.assertEqual(self.roster.path("printer-1").end.called, "gate-10", "without an end it goes to the gateway")
        with self.assertRaises(NotFound):
            self.roster.path("printer-1", "nobody at all")
        self.assertIn("in by", self.typed("path", "printer-1", "switch-attic"))
        self.typed("path", "printer-1", "10.44.40.20", ends=1)

    def test_the_map_is_the_same_as_text_as_a_document_and_in_pieces(self) -> None:
        made = self.roster.wiring_map()
        self.assertEqual(len(made.strips), 10)
        links = {one.id for one in self.roster.links()}
        self.assertEqual({one.link_id for one in made.cables}, links)
        self.assertIn("switch-office-1", self.typed("map"))
        with tempfile.TemporaryDirectory() as folder:
            target = Path(folder) / "map.svg"
            self.typed("map", "--svg", str(target), "--light", "printer-1", "10.44.20.41")
            said = " ".join(ET.fromstring(target.read_text()).itertext())
        self.assertTrue("switch-stage-3" in said and "kept shut" in said and "printer-1 to" in said, said[:300])
        with self.assertRaisesRegex(BadInput, "two ends"):
            self.roster.map_sheet(begin="printer-1")

    def test_a_place_given_by_hand_stays_and_is_taken_back(self) -> None:
        attic = next(one for one in self.roster.switches() if one.name == "switch-attic")
        self.roster.place_switch(attic.id, MapPlaceEdit(x=700.0, y=-120.0))
        self.read("switch-office-1")
        strip = next(one for one in self.roster.wiring_map().strips if one.called == "switch-attic")
        self.assertEqual((strip.x, strip.y, strip.fixed), (700.0, -120.0, True))
        self.roster.undo(next(iter(self.roster.changes())).id)
        strip = next(one for one in self.roster.wiring_map().strips if one.called == "switch-attic")
        self.assertFalse(strip.fixed)
        with self.assertRaises(NotFound):
            self.roster.place_switch(10**6, MapPlaceEdit(x=0, y=0))

    def test_a_hand_states_and_denies_links_with_a_way_back(self) -> None:
        one, other = self.port("switch-office-3", "20"), self.port("switch-attic", "9")
        self.roster.say_link(LinkWordNew(one=one.id, other=other.id, notes="through the shaft"))
        joined = next(link for link in self.roster.links() if link.known == "stated")
        self.assertEqual({end.called for end in joined.ends}, {"switch-office-3 port 20", "switch-attic port 9"})
        self.assertEqual(
            (joined.up, joined.blocked), (False, False), "nothing is plugged in there: it joins nobody now"
        )
        with self.assertRaisesRegex(BadInput, "a hand says already"):
            self.roster.say_link(LinkWordNew(one=one.id, other=self.port("switch-attic", "10").id))
        with self.assertRaisesRegex(BadInput, "two ends"):
            self.roster.say_link(LinkWordNew(one=one.id, other=one.id))
        self.roster.forget_link(other.id, one.id)
        self.assertFalse(any(link.known == "stated" for link in self.roster.links()))
        ends = ("switch-office-1", "26", "switch-attic", "25")
        self.typed("link", "part", *ends)
        self.assertIsNone(self.link("switch-office-1", "switch-attic"))
        self.assertIn("are not joined", self.typed("link"))
        self.roster.undo(next(iter(self.roster.changes())).id)
        self.assertIsNotNone(self.link("switch-office-1", "switch-attic"))


class Cut(Wired):
    def kinds(self) -> set[str]:
        """What stands."""
        return {one.kind for one in self.roster.findings("standing")}

    def test_a_cut_ring_is_told_the_way_follows_and_yesterday_stays(self) -> None:
        before = datetime.now(UTC)
        way = self.roster.path("switch-stage-1", SOUND)
        self.assertNotIn("switch-stage-2", way.by)
        self.roster.pull_cable(LeadPull(switch="switch-stage-1", port=24))
        self.read(*STAGE)
        self.assertIsNone(self.link("switch-stage-1", "switch-stage-3"))
        other = self.link("switch-stage-2", "switch-stage-3")
        assert other is not None
        self.assertFalse(other.blocked, "the spanning tree has opened it")
        self.assertIn("switch-stage-2", self.roster.path("switch-stage-1", SOUND).by)
        then = self.roster.path("switch-stage-1", SOUND, before)
        self.assertEqual((then.by, then.at is not None), (way.by, True), "looked back at, it went as it went")
        self.assertTrue(any(link.blocked for link in self.roster.links(at=before)))
        turns = list(self.roster.path_turns("switch-stage-1", SOUND, before))
        self.assertGreaterEqual(len(turns), 2)
        self.assertEqual((turns[-1].by, turns[0].until), (way.by, None))
        until(lambda: "ring-open" in self.kinds(), "the open ring is not told")
        told = next(one for one in self.roster.findings("standing") if one.kind == "ring-open")
        # Of the end that was read first after the cut, the other one's last word is known only.
        said = " ".join(part.said for part in told.evidence)
        self.assertRegex(said, r"switch-stage-1( port 24)? – switch-stage-3( port 25)? were joined")
        with self.assertRaisesRegex(BadInput, "is plugged into port 23"):
            self.roster.plug_cable(LeadPlug(switch="switch-stage-1", port=23, called="switch-stage-3 port 25"))
        self.roster.plug_cable(LeadPlug(switch="switch-stage-1", port=9, called="switch-stage-3 port 25"))
        self.read(*STAGE)
        moved = self.link("switch-stage-1", "switch-stage-3")
        assert moved is not None
        self.assertEqual({end.called for end in moved.ends}, {"switch-stage-1 port 9", "switch-stage-3 port 25"})
        until(lambda: "ring-open" not in self.kinds(), "the ring is closed again, and that is not told")


class Switched(Wired):
    def order(self, port: KeptPort, to: str = "off", **more: object) -> PortOrderNew:
        values = {"to": to, "credential": "machinist", "name": f"{port.switch.name} port {port.name}", **more}
        return PortOrderNew.model_validate(values)

    def give(self, port: KeptPort, new: PortOrderNew) -> PortOrderView:
        """Give an order as people do: look first, again while the switch is busy, and wait for how it ended."""
        if new.to == "off":
            self.roster.port_switching(port.id, new.my_device, str(new.credential))
        given: list[PortOrderView] = []

        def accepted() -> bool:
            try:
                given.append(self.roster.order_port(port.id, new))
            except ServiceFault as error:
                self.assertEqual(error.problem.code, "busy")
            return bool(given)

        until(accepted, "the switch is always busy")
        until(lambda: self.roster.port_order(given[0].id).state not in ("given", "sent"), "it is not told how it ended")
        return self.roster.port_order(given[0].id)

    def test_off_for_a_time_and_back_by_itself(self) -> None:
        port = self.port("switch-office-2", "6")
        self.assertEqual(port.behind_count, 2, "a phone and a desk")
        known = self.roster.port_switching(port.id)
        self.assertEqual((known.refusals, known.ask_for), ([], "switch-office-2 port 6"))
        self.assertTrue(any("stays off" in one for one in known.warnings))
        with self.assertRaisesRegex(BadInput, "type the name"):
            self.give(port, self.order(port, name="something"))
        done = self.give(port, self.order(port, for_seconds=8))
        self.assertEqual((done.state, done.until is not None), ("off for now", True), done.said)
        self.assertEqual(self.port("switch-office-2", "6").wanted, "down", "read back")
        with self.assertRaisesRegex(BadInput, "switched off already"):
            self.give(port, self.order(port))
        with self.assertRaisesRegex(BadInput, "off for now"):
            credential = next(one for one in self.roster.credentials() if one.name == "machinist")
            self.roster.remove_credential(credential.id)
        with self.assertRaisesRegex(BadInput, "is to come back"):
            self.roster.remove_switch(port.switch.id)
        until(lambda: next(iter(self.roster.port_orders(port.id))).state == "back", "it does not come back")
        until(lambda: self.port("switch-office-2", "6").link == "up", "it is told to be off still")

    def test_what_must_stay_stays_and_says_why(self) -> None:
        for switch, name, why in (
            ("switch-office-1", "17", "on the way from this service"), ("switch-office-1", "24", "joins two switches"),
            ("switch-office-1", "1", "gate"), ("switch-foyer-1", "5", "not on a link of this service"),
            ("switch-office-2", "24", "joins two switches"),
        ):  # fmt: skip
            with self.subTest(f"{switch} {name}"):
                port = self.port(switch, name)
                self.assertTrue(any(why in one for one in self.roster.port_switching(port.id).refusals))
                with self.assertRaisesRegex(Conflict, "stays as it is"):
                    self.give(port, self.order(port))
                self.assertEqual(self.port(switch, name).wanted, "up")
        ledger = self.roster.where("ledger").items[0].port
        assert ledger is not None
        self.assertTrue(
            any("a DHCP server is not known yet" in one for one in self.roster.port_switching(ledger.id).warnings)
        )
        self.service.roster("dhcp", "ask")
        self.assertIn("a DHCP server is connected there", self.roster.port_switching(ledger.id).refusals)

    def test_whoever_orders_it_is_not_cut_off_wherever_he_says_to_sit(self) -> None:
        port = self.port("switch-office-2", "6")
        mac = self.roster.port_switching(port.id).behind[0].mac
        address = next(one.address for one in self.roster.port_switching(port.id).behind if one.address)
        for said, why in (
            (mac.upper().replace(":", "-"), "the device that orders it is connected there"), (address, "the device that orders it is connected there"),
            ("Switch-office-2:6", "says to be connected there"), ("unknown", "(--my-device)"), ("fd00:44::7", "it comes by IPv6"),
            ("02:c0:44:00:77:77", "not known on which port the device that orders it is connected"), ("10.44.30.250", "nobody is known at"),
        ):  # fmt: skip
            with self.subTest(said):
                self.assertTrue(any(why in one for one in self.roster.port_switching(port.id, said).refusals))
                with self.assertRaisesRegex(Conflict, re.escape(why)):
                    self.give(port, self.order(port, my_device=said))
        for said in ("here", "switch-office-2:7", "::1"):
            self.assertEqual(self.roster.port_switching(port.id, said).refusals, [], said)
        for said in ("switch-office-2:99", "nobody:1", "the attic"):
            with self.subTest(said), self.assertRaises(BadInput):
                self.roster.port_switching(port.id, said)
        token = {"Authorization": f"Bearer {self.service.client().place.token}"}
        for field in ("Forwarded", "X-Forwarded-For", "Via"):
            answer = httpx.post(
                f"{self.service.url}/api/v1/ports/{port.id}/switching",
                headers={**token, field: "10.44.10.30"},
                timeout=60,
            )
            self.assertTrue(any("through another server" in one for one in answer.json()["refusals"]), field)

    def test_where_whoever_types_sits_is_told_by_the_line_of_ssh(self) -> None:
        line = {"SSH_CONNECTION": "10.44.10.111 50222 10.44.10.20 22"}
        for given, expected in (
            ({}, "here"), (line, "10.44.10.111"), ({**line, "TMUX": "/tmp/tmux,1,0"}, "unknown"), ({"STY": "1.x"}, "unknown"),
            ({"SUDO_USER": "keeper"}, "unknown"), ({**line, "SUDO_USER": "keeper"}, "10.44.10.111"),
        ):  # fmt: skip
            self.assertEqual(seat(None, given), expected, given)
        self.assertEqual(seat("switch-office-2:6", {**line, "TMUX": "x"}), "switch-office-2:6")
        done = self.service.roster(
            "port", "off", "switch-office-2", "6", "--look", SSH_CONNECTION="fd00:44::7 1 fd00:44::1 22"
        )
        self.assertIn("it comes by IPv6", done.stdout)

    def test_credentials_that_do_not_encrypt_want_consent_and_who_may_only_read_is_told(self) -> None:
        port = self.port("switch-office-3", "20")
        with self.assertRaisesRegex(BadInput, "does not encrypt"):
            self.give(port, self.order(port, credential="rigging"))
        with self.assertRaisesRegex(BadInput, "not verified: .*it was read by SNMP version 2c"):
            self.give(port, self.order(port, credential="larkspur", weak=True))
        consents = self.roster.port_switching(port.id, by="rigging").unverified
        self.assertTrue(any("what switch-office-3 tells" in one for one in consents), consents)
        known = self.roster.port_switching(port.id, by="larkspur").unverified
        failed = self.give(port, self.order(port, credential="larkspur", weak=True, consents=known))
        self.assertEqual(failed.state, "failed")
        self.assertIn("does not let this credential set it", failed.said)
        consents = self.roster.port_switching(port.id, by="rigging").unverified
        done = self.give(
            port, self.order(port, credential="rigging", weak=True, consents=[*consents, "something else"])
        )
        self.assertEqual((done.state, done.consents, done.stands), ("done", consents, "off"))
        self.assertEqual(
            self.roster.port_switching(port.id, by="machinist").unverified, [], "it is read with more certainty"
        )
        self.assertEqual(self.give(port, self.order(port, "on")).state, "done")

    def test_an_agent_that_says_yes_and_does_nothing_is_found_out(self) -> None:
        port = self.port("switch-attic", "3")
        failed = self.give(port, self.order(port, for_seconds=60))
        self.assertEqual(failed.state, "failed")
        self.assertIn("said yes and did nothing", failed.said)

    def test_two_orders_at_once_are_one_after_the_other(self) -> None:
        port = self.port("switch-stage-3", "20")
        words = ("port", "off", "switch-stage-3", "20", "--by", "machinist", "--name", "switch-stage-3 port 20")
        command = [
            sys.executable,
            "-m",
            "even_roster.cli.main",
            "--home",
            str(self.service.home),
            *words,
            "--for",
            "60s",
        ]
        both = [
            subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, env=environment())
            for _ in range(2)
        ]
        said = sorted((one.communicate(timeout=PATIENCE)[0], one.returncode) for one in both)
        self.assertEqual(sorted(code for _, code in said)[0], 0, said)
        self.assertEqual(sum(code == 0 for _, code in said), 1, said)
        self.assertTrue(any("switched off already" in text for text, _ in said), said)
        self.assertEqual(self.give(port, self.order(port, "on")).state, "done")
        self.assertEqual([one.state for one in self.roster.port_orders(port.id)][:2], ["done", "back"])

    def test_power_over_ethernet(self) -> None:
        fed = next(one for one in self.roster.ports("switch-office-3") if one.power.startswith("power"))
        known = self.roster.port_switching(fed.id, by="machinist")
        self.assertEqual((known.unverified, len(known.power_unverified)), ([], 1))
        order = self.order(fed, what="power", name=known.ask_for)
        with self.assertRaisesRegex(BadInput, f"is that of port {fed.name}: only the numbers say so"):
            self.give(fed, order)
        done = self.give(fed, order.model_copy(update={"consents": known.power_unverified}))
        self.assertEqual(done.state, "done", done.said)
        self.assertEqual(self.port("switch-office-3", fed.name).power, "")
        self.assertEqual(self.give(fed, self.order(fed, "on", what="power")).state, "done")
        shown = self.roster.port_switching(fed.id, by="machinist")
        self.assertEqual(shown.power_unverified, [], "it was seen that link and power went and came together")
        unfed = next(one for one in self.roster.ports("switch-office-3") if one.name == "20")
        with self.assertRaisesRegex(BadInput, "feeds nothing"):
            self.give(unfed, self.order(unfed, what="power"))

    def test_on_the_command_line(self) -> None:
        looked = self.typed("port", "off", "switch-office-1", "17", "--look", ends=1)
        self.assertIn("it stays on: it is on the way from this service", looked)
        asked = self.typed("port", "off", "switch-stage-2", "20", "--by", "machinist", ends=2)
        self.assertIn("type the name of what is connected", asked)
        self.typed("port", "off", "switch-stage-2", "20", "--by", "machinist", "--name", "switch-stage-2 port 20")
        self.typed("port", "on", "switch-stage-2", "20", "--by", "machinist")
        self.assertIn("switch-stage-2 20", self.typed("port", "orders"))
        self.assertIn(
            "no time", self.typed("port", "off", "switch-stage-2", "20", "--by", "x", "--for", "soon", ends=2)
        )


class Chased(Wired):
    def test_six_cables_are_chased_and_become_notes(self) -> None:
        names = [f"cable {number}" for number in range(1, 7)]
        one = self.roster.begin_chase(ChaseNew(switches=["switch-office-1", "switch-foyer-1"], cables=names))
        until(
            lambda: all(watched.asked_at is not None for watched in self.roster.chase(one.id).switches),
            "nobody is asked",
        )
        sockets = [
            (lead.switch, lead.port) for lead in self.roster.cables()
            if not lead.to_switch and lead.switch in ("switch-office-1", "switch-foyer-1") and lead.port not in (1, 17)
        ]  # fmt: skip
        waits = []
        known = [one for one in sorted(set(sockets)) if self.port(str(one[0]), str(one[1])).behind_count]
        for number, (switch, port) in enumerate(known[-6:]):
            assert switch is not None and port is not None
            self.roster.pull_cable(LeadPull(switch=switch, port=port))
            begun = time.monotonic()
            until(
                lambda at=(switch, port): any(  # type: ignore[misc]
                    turn.switch
                    and turn.port
                    and (turn.switch.name, turn.port.name) == (at[0], str(at[1]))
                    and not turn.up
                    for turn in self.roster.chase(one.id).turns
                ),
                f"{switch} {port} is not told",
            )
            waits.append(time.monotonic() - begun)
            turn = self.roster.chase(one.id).turns[0]
            assert turn.port is not None
            self.assertIn(f"port {port} of {switch} lost its link: ", turn.said)
            self.roster.cable_found(one.id, ChaseFound(cable=number, port=turn.port.id))
            self.assertEqual(self.port(switch, str(port)).notes, names[number])
        self.assertEqual(len(waits), 6)
        found = self.roster.chase(one.id)
        self.assertEqual(sum(cable.port is not None for cable in found.cables), len(waits))
        self.assertIn("lost its link", self.typed("chase", "show", str(one.id)))
        self.assertFalse(self.roster.edit_chase(one.id, ChaseEdit(on=False)).on)
        self.roster.remove_chase(one.id)
        with self.assertRaises(NotFound):
            self.roster.chase(one.id)

    def test_devices_of_the_own_link_are_asked_and_nothing_to_watch_is_refused(self) -> None:
        with self.assertRaisesRegex(BadInput, "say which switches"):
            self.roster.begin_chase(ChaseNew())
        with self.assertRaises(NotFound):
            self.roster.begin_chase(ChaseNew(switches=["no such switch"]))
        lead = next(one for one in self.roster.cables() if one.called == "printer-3")
        assert lead.switch is not None and lead.port is not None
        one = self.roster.begin_chase(ChaseNew(devices=["printer-3"]))
        until(lambda: self.roster.chase(one.id).devices[0].answers is True, "it is not heard")
        self.roster.pull_cable(LeadPull(switch=lead.switch, port=lead.port))

        def said() -> list[str]:
            return [turn.said for turn in self.roster.chase(one.id).turns]

        until(lambda: said() == ["printer-3 does not answer any more"], "that it fell silent is not told")
        self.roster.plug_cable(LeadPlug(switch=lead.switch, port=lead.port, called="printer-3"))
        until(lambda: said()[0] == "printer-3 answers again", "that it is back is not told")
        self.roster.edit_chase(one.id, ChaseEdit(on=False))


class Unknown(unittest.IsolatedAsyncioTestCase):
    """What nobody can tell: a switch that falls silent after it was told, a gateway that hangs nowhere."""

    def setUp(self) -> None:
        home = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.context = open_context(Settings(home=home), StandinMachine(larkspur.build()))
        self.addCleanup(lambda: self.context.close())
        self.orders = PortOrders(self.context, cast(Watcher, None), cast(SwitchReader, None))
        self.values = {
            "switch": 1, "port": 1, "what": "link", "to": "off", "who": "x", "at": now_ms(), "credential": 1, "state": "given",
            "said": "",
        }  # fmt: skip
        self.target = cast(Target, SimpleNamespace(switch=SimpleNamespace(row=SimpleNamespace(id=1))))

    def kept(self, until: int | None) -> OrderRow:
        """An order as it is written down before it is sent."""
        with self.context.database.write() as connection:
            identity = order_records.add(connection, {**self.values, "until": until})
        return self.row(identity)

    def row(self, identity: int) -> OrderRow:
        with self.context.database.read() as connection:
            found = order_records.one(connection, identity)
        assert found is not None
        return found

    async def given(self, until: int | None, *tries: Exception | None) -> tuple[OrderRow, int]:
        """An order of which each try to set the port ends so; the order after it, and how many wait for their time."""
        order, waits = await asyncio.to_thread(self.kept, until), mock.Mock()
        setting = mock.AsyncMock(side_effect=list(tries))
        with (
            mock.patch.object(port_orders, "set_and_read_back", setting),
            mock.patch.object(self.orders.returning, "later", waits),
        ):
            first = asyncio.ensure_future(setting())
            await self.orders._follow(order, first, self.target, cast(Agent, None), "switch-attic port 3")
        return await asyncio.to_thread(self.row, order.id), waits.call_count

    async def test_a_port_of_which_it_is_not_known_whether_it_is_off_comes_back_at_its_time_in_any_case(self) -> None:
        silent = Unsure("10.44.10.131 does not answer")
        row, waits = await self.given(now_ms() + 30_000, silent, silent)
        self.assertEqual((row.state, waits), ("off for now", 1))
        self.assertIn("is not known", row.said)
        row, waits = await self.given(now_ms() + 30_000, silent, None)
        self.assertEqual((row.state, waits, "is on" in row.said), ("failed", 0, True))
        row, waits = await self.given(None, silent, silent)
        self.assertEqual((row.state, waits, "is not known" in row.said), ("not known", 0, True))
        row, waits = await self.given(now_ms() + 30_000, Refused("it may not"))
        self.assertEqual((row.state, waits, "is as it was" in row.said), ("failed", 0, True))

    def test_whoever_must_stay_and_hangs_nowhere_is_told_to_the_guard(self) -> None:
        with self.context.database.read() as connection:
            kept = Kept({MacNumber(1): GATEWAY}, {MacNumber(1): GATEWAY}, set())
            sight = guard_facts._sight(self.context, connection, Wiring(self.context, connection), Desk(None), kept)
        self.assertEqual(sight.nowhere, {GATEWAY})


class OwnCable(unittest.IsolatedAsyncioTestCase):
    def setUp(self) -> None:
        home = Path(self.enterContext(tempfile.TemporaryDirectory()))
        context = open_context(Settings(home=home), StandinMachine(larkspur.build()))
        self.addCleanup(lambda: context.close())
        self.beside = {"office0": "switch-office-1, port 17"}
        self.chaser = Chaser(context, cast(Watcher, None), cast(SwitchReader, None), lambda: self.beside)
        values = {"name": "", "switches": [], "devices": [], "cables": [], "begun": now_ms(), "on": True}
        self.row = self.chaser.keep({**values, "until": now_ms() + 600_000})

    async def test_what_announces_itself_at_the_own_adapter_is_told_once_when_the_cable_was_moved(self) -> None:
        self.chaser.start(self.row)
        await asyncio.sleep(0)  # it has seen where the cable was
        turns = self.chaser.running[self.row.id].turns
        for where in ("switch-office-1, port 18", "switch-office-1, port 17", "switch-office-1, port 18"):
            self.beside["office0"] = where
            await asyncio.to_thread(until, lambda: bool(turns), "that the cable was moved is not told")
        told = [turn.said for turn in turns]
        self.assertEqual(told, ["office0 of this machine is plugged into switch-office-1, port 18"])
        await self.chaser.close()


if __name__ == "__main__":
    unittest.main()
