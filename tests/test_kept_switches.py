"""Switches that are kept: through the service on the demo's site, its client and the command line."""

from __future__ import annotations

import json
import unittest
from typing import Any

from even_roster.api.switches import (
    CredentialEdit,
    CredentialNew,
    PortEdit,
    SwitchEdit,
    SwitchesAdded,
    SwitchNew,
    SwitchSearch,
)
from even_roster.client import BadInput, Conflict, NotFound, Roster
from tests.support.patience import until
from tests.support.service import Service, demo

BESIDE = "anything"

COMMUNITY = CredentialNew(name="larkspur", snmp="2c", community="larkspur")
USHER = CredentialNew(
    name="usher",
    user="usher",
    auth="sha256",
    auth_password="limelight-one",
    privacy="aes128",
    privacy_password="limelight-two",
)


class OnTheDemo(unittest.TestCase):
    service: Service
    roster: Roster
    added: SwitchesAdded

    @classmethod
    def setUpClass(cls) -> None:
        cls.service = cls.enterClassContext(demo(watch=False))
        cls.roster = cls.enterClassContext(cls.service.client())
        cls.service.roster("scan", "10.44.10.0/24", "10.44.20.0/24")
        cls.roster.add_credential(COMMUNITY)
        cls.roster.add_credential(USHER)
        cls.added = cls.roster.search_switches(SwitchSearch(within="10.44.0.0/16"))

    def port(self, switch: str, name: str) -> Any:
        """A port of a switch."""
        return next(port for port in self.roster.ports(switch) if port.name == name)

    def test_a_range_is_searched_once_and_each_agent_is_read_once(self) -> None:
        names = [one.name for one in self.roster.switches()]
        self.assertEqual(len(names), 10)
        self.assertTrue({"switch-office-1", "switch-stage-3", "switch-foyer-2", "switch-attic"} <= set(names))
        gates = [one for one in names if one.startswith("gate")]
        self.assertEqual(len(gates), 1, "a router with five addresses is one router")
        told = {one.address: one.why for one in self.added.refused}
        self.assertIn("which is read already by another of its addresses", told["10.44.20.1"])
        self.assertIn("does not answer", told["10.44.10.2"])

    def test_where_somebody_is_and_who_is_behind_the_router_too(self) -> None:
        for what, where, grade in (
            ("printer-1", "on port 6 of switch-office-2, 1 Gbit/s", "on"), ("10.44.30.40", "on port 5 of switch-foyer-1, 1 Gbit/s", "on"),
            ("card-terminal-1", "on port 5 of switch-foyer-1, 1 Gbit/s", "on"), ("access-point-1", "on port 13 of switch-foyer-1, 1 Gbit/s", "on"),
            ("switch-office-2", "on port 23 of switch-office-1, 10 Gbit/s", "on"),
        ):  # fmt: skip
            with self.subTest(what):
                found = self.roster.where(what).items[0]
                self.assertEqual((found.grade, found.said.partition("port")[0]), (grade, where.partition("port")[0]))
                assert found.port is not None and found.switch is not None
                behind = self.roster.port(found.port.id).port.behind
                self.assertIn(found.mac, [one.mac for one in behind])
        with self.assertRaises(NotFound):
            self.roster.where("nobody-at-all")

    def test_ports_read_as_sentences(self) -> None:
        said = {port.name: port.said for port in self.roster.ports("switch-office-1")}
        self.assertRegex(said["23"], r"^uplink to switch-office-2, \d+ MACs behind it, 10 Gbit/s$")
        self.assertTrue(said["17"].startswith("box-office"))
        ring = {port.name: port for port in self.roster.ports("switch-stage-3")}
        self.assertIn("blocked by the spanning tree", ring["24"].said)
        self.assertTrue(ring["24"].uplink)
        small = next(port for port in self.roster.ports("switch-stage-3") if port.together)
        self.assertEqual((small.behind_count, small.together), (3, "behind something small that is not read"))
        phones = [port for port in self.roster.ports() if port.together == "a phone and what hangs behind it"]
        self.assertEqual([port.behind_count for port in phones], [2, 2])
        point = self.port("switch-foyer-1", "13")
        self.assertRegex(point.said, r"^access-point-1, an access point, \d+ MACs behind it")
        self.assertEqual(
            [port.switch.name for port in self.roster.ports(text="uplink attic")], ["switch-attic", "switch-office-1"]
        )

    def test_what_agents_do_not_tell_is_told(self) -> None:
        missing = {one.name: {lack.what: lack.why for lack in one.missing} for one in self.roster.switches()}
        self.assertEqual(missing["switch-office-1"], {})
        self.assertIn("model and serial number", missing["switch-stage-3"])
        self.assertIn("circles", " ".join(missing["switch-office-2"].values()))

    def test_secrets_are_nowhere(self) -> None:
        everything = json.dumps(
            [one.model_dump(mode="json") for one in (*self.roster.credentials(), *self.roster.changes())]
        )
        kept = b"".join(path.read_bytes() for path in self.service.home.glob("roster.db*"))
        for secret in ("limelight-one", "limelight-two"):
            self.assertNotIn(secret, everything)
            self.assertNotIn(secret.encode(), kept)

    def test_a_credential_in_use_stays_and_a_changed_one_is_tried_at_once(self) -> None:
        made = self.roster.add_credential(CredentialNew(name="wrong", snmp="2c", community="open-sesame"))
        one = next(one for one in self.roster.switches() if one.name == "switch-stage-1")
        self.roster.edit_switch(one.id, SwitchEdit(credential="wrong"), one.version)
        with self.assertRaisesRegex(BadInput, "does not answer"):
            self.roster.read_switch_now(one.id)
        stands = self.roster.switch(one.id)
        self.assertEqual(
            (stands.port_count, stands.read_at, "does not answer" in stands.trouble),
            (one.port_count, one.read_at, True),
        )
        with self.assertRaisesRegex(BadInput, "is read by it"):
            self.roster.remove_credential(made.id)
        self.roster.edit_credential(made.id, CredentialEdit(community="larkspur"))
        self.assertEqual(self.roster.read_switch_now(one.id).trouble, "")
        self.roster.edit_switch(one.id, SwitchEdit(credential="any"))
        self.roster.remove_credential(made.id)

    def test_notes_marks_and_a_hands_word_are_edits_with_a_way_back(self) -> None:
        port = self.port("switch-office-1", "20")
        done = self.roster.edit_port(port.id, PortEdit(notes="dark fibre", mark="spare"), port.version)
        self.assertEqual((done.notes, done.mark, done.said), ("dark fibre", "spare", "spare: nothing"))
        with self.assertRaises(Conflict):
            self.roster.edit_port(port.id, PortEdit(notes="late"), port.version)
        described = self.port("switch-office-1", "17")
        self.assertTrue(self.roster.edit_port(described.id, PortEdit(notes="stage left")).disagrees)
        called = self.roster.edit_port(described.id, PortEdit(uplink="yes"))
        self.assertEqual((called.uplink, called.uplink_word), (True, True))
        self.assertEqual(self.roster.where("box-office").items[0].grade, "behind")
        last = next(iter(self.roster.changes(limit=1)))
        self.roster.undo(last.id)
        self.assertEqual(self.roster.where("box-office").items[0].grade, "on")

    def test_what_is_read_no_more_comes_back_whole_by_undo(self) -> None:
        one = next(one for one in self.roster.switches() if one.name == "switch-office-3")
        port = self.port("switch-office-3", "2")
        self.roster.edit_port(port.id, PortEdit(notes="by the window"))
        self.roster.remove_switch(one.id, one.version)
        with self.assertRaises(NotFound):
            list(self.roster.ports("switch-office-3"))
        self.roster.undo(next(iter(self.roster.changes(limit=1))).id)
        again = self.roster.read_switch_now(one.id)
        self.assertEqual((again.port_count, self.port("switch-office-3", "2").notes), (one.port_count, "by the window"))
        sheet = self.roster.port(port.id)
        self.assertEqual([who.first_seen for who in sheet.port.behind], [who.first_seen for who in port.behind])

    def test_any_moment_can_be_opened_and_two_compared(self) -> None:
        one = next(one for one in self.roster.switches() if one.name == "switch-foyer-1")
        assert one.read_at is not None
        then = {port.name: port.said for port in self.roster.ports("switch-foyer-1", one.read_at)}
        self.roster.read_switch_now(one.id)
        later = {port.name: port.said for port in self.roster.ports("switch-foyer-1")}
        self.assertEqual(then.keys(), later.keys())
        self.assertEqual(then["2"], later["2"])
        moments = self.roster.switch_moments(one.id)
        self.assertEqual((len(moments.counts), moments.since <= one.read_at), (100, True))
        before = list(self.roster.switch_turns(one.id, moments.since.replace(year=2020), one.read_at))
        self.assertEqual({turn.before for turn in before}, {"not known then"})

    def test_pairs_of_everybody_stand_in_one_table(self) -> None:
        by = {one.address: [said.source for said in one.sources] for one in self.roster.pairs(text="10.44.30.4")}
        self.assertEqual(by["10.44.30.41"], ["gate-10"])
        self.assertEqual(
            self.roster.enter_pairs(
                "10.44.30.250 02:c0:44:00:66:01 spare till # note\n02-c0-44-00-66-02, 10.44.30.251"
            ).count,
            2,
        )
        with self.assertRaisesRegex(BadInput, "line 2 has not a MAC"):
            self.roster.enter_pairs("10.44.30.250 02:c0:44:00:66:01\n10.44.30.252")
        self.assertGreater(self.roster.clear_pairs().count, 100)
        self.assertEqual([one.notes for one in self.roster.pairs(source="hand")], ["spare till", ""])
        self.assertEqual(list(self.roster.pairs(source="gate-10")), [])
        self.roster.remove_pair("10.44.30.251", "02:c0:44:00:66:02")
        gate = next(one for one in self.roster.switches() if one.name.startswith("gate"))
        self.roster.read_switch_now(gate.id)
        self.assertGreater(len(list(self.roster.pairs(source="gate-10"))), 100)

    def test_one_that_is_kept_already_or_that_no_credential_opens(self) -> None:
        with self.assertRaisesRegex(BadInput, "is read already"):
            self.roster.add_switch(SwitchNew(switch="switch-office-1"))
        with self.assertRaisesRegex(NotFound, "there is no credential 'nothing'"):
            self.roster.add_switch(SwitchNew(switch="10.44.10.30", credential="nothing"))

    def test_findings_name_ports(self) -> None:
        wanted = {"ends-disagree"}
        for one in self.roster.switches():
            if one.name in ("switch-office-1", "switch-attic"):  # both after the other one's link was read
                self.roster.read_switch_now(one.id)
        until(lambda: wanted <= {one.kind for one in self.roster.findings("standing")}, "what is wrong is not told")
        told = [one for one in self.roster.findings("standing") if one.kind == "ends-disagree"]
        said = " ".join(part.said for part in told[0].evidence)
        self.assertEqual((len(told), "half duplex" in said, "full duplex" in said), (1, True, True))
        self.assertTrue("port 25 of switch-attic" in said and "port 26 of switch-office-1" in said, said)

    def test_on_the_command_line(self) -> None:
        listed = self.typed("switch")
        self.assertRegex(listed, r"(?m)^switch-office-1 +10\.44\.10\.5 +TN-2400 +26 ")
        self.assertRegex(self.typed("port", "--of", "switch-office-1"), r"(?m)^17 +\+ +box-office, 1 Gbit/s")
        self.assertRegex(
            self.typed("where", "card-terminal-1"),
            r"card-terminal-1 \(10\.44\.30\.40\): on port \d+ of switch-foyer-\d, 1 Gbit/s, at least since",
        )
        self.assertIn("who", self.typed("port", "show", "switch-foyer-1", "13"))
        self.assertIn(
            "read every 300 s", self.typed("switch", "show", "switch-foyer-2").replace(", every", " read every")
        )
        self.assertIn("usher", self.typed("credential"))
        self.assertIn("no port '99'", self.typed("port", "note", "switch-office-1", "99", "x", ends=2))
        self.assertIn("those that are: gate-10, switch-attic", self.typed("switch", "show", "nothing", ends=2))

    def typed(self, *words: str, ends: int = 0) -> str:
        """A command, as a process; what it said."""
        done = self.service.roster(*words)
        self.assertEqual(done.returncode, ends, done.stderr)
        return done.stdout + done.stderr


if __name__ == "__main__":
    unittest.main()
