"""Each step that a finding offers, done as an edit: what it changes, that it can be taken back, and what it refuses."""

from __future__ import annotations

import unittest
from ipaddress import IPv4Address
from types import SimpleNamespace
from typing import Any

from even_roster.api.findings import StepDone
from even_roster.core.address import Address
from even_roster.core.findings.model import Action, Step
from even_roster.core.mac import MacNumber
from even_roster.core.names import as_hostname, is_hostname
from even_roster.core.plan.model import Assignment, AssignmentKind
from even_roster.service.devices import device_edits
from even_roster.service.findings import remedies
from even_roster.service.knowing.plan_book import PlanRefused
from even_roster.service.plan import planning
from even_roster.service.web.problems import Refusal
from even_roster.store import device_queries
from even_roster.store.edits import EditError, Missing
from tests.support.days import days, hall, prepared

BESIDE = "anything"

OFFICE = "10.44.10.0/24"
ROGUE, ATTIC, PORTABLE = "02:c0:3e:00:00:d9", "02:c0:3e:00:00:a0", "02:c0:9f:a0:00:17"


def ip(text: str) -> Address:
    return Address(int(IPv4Address(text)))


class Steps(unittest.TestCase):
    def setUp(self) -> None:
        self.site = self.enterContext(days(hall, prepared))
        self.context = self.site.context
        self.site.leases()
        self.site.scan(OFFICE)

    def press(self, action: Action, *, anyway: bool = False, **values: str) -> StepDone:
        """Do a step as the finding's record has it, named as it names itself."""
        step = Step(action, f"{action.value} it", tuple(values.items()))
        row: Any = SimpleNamespace(id=7, steps=[(step.action.value, step.label, step.values)])
        return remedies.do(self.context, remedies.chosen(row, step.key), "a hand", anyway)

    def at(self, address: str) -> Assignment | None:
        with self.context.plan.reading() as plan:
            return plan.at(self.context.plan.site_here, ip(address))

    def device(self, mac: str) -> int:
        with self.context.database.read() as connection:
            found = device_queries.device_of_mac(connection, MacNumber(int(mac.replace(":", ""), 16)))
        assert found is not None
        return found

    def name(self, mac: str, name: str) -> None:
        self.context.plan.edit_records("a hand", device_edits.set_fields([(self.device(mac), None)], {"name": name}))

    def test_assigning_what_is_seen_takes_the_name_the_roster_knows(self) -> None:
        self.name(ROGUE, "Router of the new wing, attic")
        done = self.press(Action.ASSIGN, address="10.44.10.225", mac=ROGUE, anyway=True)
        made = self.at("10.44.10.225")
        assert made is not None and made.mac is not None
        self.assertEqual((made.kind, made.name), (AssignmentKind.STATIC, "router-of-the-new-wing-attic"))
        self.assertEqual(done.said, "10.44.10.225 is planned as static for router-of-the-new-wing-attic")
        assert done.change_id is not None
        self.context.plan.undo("a hand", [done.change_id])
        self.assertIsNone(self.at("10.44.10.225"))

    def test_inside_a_pool_what_is_seen_is_reserved_and_somebody_without_a_name_gets_one(self) -> None:
        self.press(Action.ASSIGN, address="10.44.10.150", mac="02:c0:44:00:99:99")
        made = self.at("10.44.10.150")
        assert made is not None
        self.assertEqual((made.kind, made.name), (AssignmentKind.RESERVED, "device-009999"))

    def test_a_planned_address_gets_the_mac_that_is_there(self) -> None:
        done = self.press(Action.ASSIGN, anyway=True, address="10.44.10.30", mac="02:c0:44:00:99:98")
        there = self.at("10.44.10.30")
        assert there is not None
        self.assertEqual((there.mac, there.name), (0x02C044009998, "printer-1"))
        self.assertIn("belongs to 02:c0:44:00:99:98 now", done.said)

    def test_reserving_keeps_the_address_a_device_was_leased(self) -> None:
        self.press(Action.RESERVE, address="10.44.10.113", mac="02:c0:9f:a0:00:55", anyway=True)
        made = self.at("10.44.10.113")
        assert made is not None
        self.assertEqual((made.kind, made.name), (AssignmentKind.RESERVED, "portable-04"))

    def test_the_plan_is_moved_to_where_the_device_is(self) -> None:
        planned = self.at("10.44.10.9")
        assert planned is not None
        with self.assertRaises(PlanRefused) as refused:
            self.press(Action.MOVE_PLAN, assignment=str(planned.id), address="10.44.10.131")
        self.assertTrue(refused.exception.anyway, "it lies inside the pool: asked first, and possible")
        self.assertIsNotNone(self.at("10.44.10.9"), "what was refused changed nothing")
        done = self.press(Action.MOVE_PLAN, anyway=True, assignment=str(planned.id), address="10.44.10.131")
        self.assertEqual((self.at("10.44.10.9"), done.said), (None, "the plan has it at 10.44.10.131 now"))
        self.assertNotIn("assignment-not-in-effect", [kind for kind, _ in self.site.standing()])

    def test_an_address_is_freed(self) -> None:
        planned = self.at("10.44.10.33")
        assert planned is not None
        self.context.plan.edit("a hand", planning.move(planned.id, ip("10.44.10.34"), None))
        with self.assertRaisesRegex(Refusal, "was moved from 10.44.10.33 to 10.44.10.34 meanwhile"):
            self.press(Action.RELEASE, assignment=str(planned.id), address="10.44.10.33")
        said = self.press(Action.RELEASE, assignment=str(planned.id), address="10.44.10.34").said
        self.assertEqual((said, self.at("10.44.10.34")), ("10.44.10.34 is free again", None))
        with self.assertRaises(Missing):
            self.press(Action.RELEASE, assignment=str(planned.id), address="10.44.10.34")

    def test_two_devices_become_one(self) -> None:
        first, second = self.device(PORTABLE), self.device(ATTIC)
        said = self.press(Action.JOIN, devices=f"{first},{second}").said
        self.assertIn(f"2 devices are one now (device {first})", said)
        self.assertEqual(self.device(ATTIC), first)
        with self.assertRaises(EditError):
            self.press(Action.JOIN, devices=str(first))

    def test_what_wants_more_than_a_press_and_what_is_not_there_is_said(self) -> None:
        for action in (Action.CARD, Action.MOVE_POOL, Action.PUBLISH, Action.NAME, Action.ACCEPT):
            with self.subTest(action=action), self.assertRaisesRegex(EditError, "wants more than a press"):
                self.press(action)

    def test_a_step_is_named_by_what_it_does_and_to_what(self) -> None:
        """Findings change while somebody reads them: what was chosen is done, or nothing is, whatever stands in its place."""
        first, second = "02:c0:44:00:99:98", "02:c0:44:00:99:97"
        steps = [("member", "it", [["address", "10.44.10.1"], ["mac", mac]]) for mac in (second, first)]
        row: Any = SimpleNamespace(id=7, steps=[*steps, ("accept", "accept it", [])])
        chosen = remedies.chosen(row, f"member=10.44.10.1,{first}")
        self.assertEqual(dict(chosen.values)["mac"], first)
        with self.assertRaises(Refusal) as refused:
            remedies.chosen(row, "member=10.44.10.1,02:c0:44:00:99:96")
        self.assertEqual((refused.exception.problem.status, refused.exception.problem.code), (409, "stale"))
        self.assertIn(f"it offers member=10.44.10.1,{second} or member=10.44.10.1,{first}", str(refused.exception))
        for wrong in ("1", "", "member it", "=1"):
            with self.subTest(key=wrong), self.assertRaisesRegex(EditError, "are named by what they do"):
                remedies.chosen(row, wrong)

    def test_every_offered_step_of_the_hall_is_known_and_its_address_readable(self) -> None:
        self.site.ask()
        self.site.settle(everything=True)
        steps = [s for f in self.context.findings.engine.standing.values() for s in f.steps]
        self.assertGreater(len(steps), 5)
        for finding in self.context.findings.engine.standing.values():
            keys = [step.key for step in finding.steps]
            self.assertEqual(len(keys), len(set(keys)), finding)
            self.assertFalse([key for key in keys if " " in key])
        for step in steps:
            values = dict(step.values)
            self.assertIn(step.action, set(Action))
            if "address" in values:
                IPv4Address(values["address"])
            if "assignment" in values:
                with self.context.plan.reading() as plan:
                    self.assertIn(int(values["assignment"]), plan.assignments)


class Hostnames(unittest.TestCase):
    def test_what_people_call_a_thing_becomes_a_hostname(self) -> None:
        for called, made in (
            ("printer-1", "printer-1"), ("printer-1.larkspur.example", "printer-1.larkspur.example"),
            ("sound-desk.local", "sound-desk"), ("Box office printer", "box-office-printer"),
            ("  Königin's  till № 2 ", "konigin-s-till-no-2"), ("St. Anne", "st-anne"), ("---", ""), ("", ""), ("出口", ""),
        ):  # fmt: skip
            with self.subTest(called=called):
                self.assertEqual(as_hostname(called), made)
                self.assertTrue(made == "" or is_hostname(made))
        self.assertLessEqual(len(as_hostname("a very long name of a thing " * 8)), 63)


if __name__ == "__main__":
    unittest.main()
