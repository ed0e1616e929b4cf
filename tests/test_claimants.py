"""Who claims an address and what that comes to: every case has a reading, and what is contradicted is told as exactly one finding."""

from __future__ import annotations

import itertools
import unittest
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from ipaddress import IPv4Network

from even_roster.core.address import Address
from even_roster.core.findings import hearing, rounds
from even_roster.core.findings.claimants import How, Reading, claimants, read
from even_roster.core.findings.engine import Engine
from even_roster.core.findings.facts import KnownDevice, Link
from even_roster.core.findings.model import HOUR, MINUTE, SECOND
from even_roster.core.findings.world import World
from even_roster.core.mac import MacNumber
from even_roster.core.plan.following import Lease
from even_roster.core.plan.model import Assignment, AssignmentKind, Band, BandKind, Plan, Site, Subnet
from even_roster.core.stays import Source

BESIDE = "anything"

NOW = 1_800_000_000_000
BASE = 0x0A2C0A00  # 10.44.10.0
OWN_MAC, OWNER, JOINED, STRANGER, OTHER = (MacNumber(0x02C09F400000 + n) for n in range(1, 6))
HERE = Address(BASE + 20)
CLAIMS = {
    "duplicate-address", "address-taken-over", "assignment-not-in-effect", "gateway-changed", "address-claimed", "hopping-address",
}  # fmt: skip
TOLD = {
    Reading.DUPLICATE: "duplicate-address", Reading.TAKEN_OVER: "address-taken-over",
    Reading.NOT_IN_EFFECT: "assignment-not-in-effect", Reading.GATEWAY_CHANGED: "gateway-changed",
}  # fmt: skip


@dataclass(frozen=True)
class Case:
    """Whose the address is, who answered there before, who answers in the last round, who was heard since and does not answer."""

    whose: str
    before: tuple[MacNumber, ...]
    answers: tuple[MacNumber, ...]
    heard: tuple[MacNumber, ...]

    def world(self) -> World:
        """The world in which that happened."""
        subnet = Subnet(
            1, 1, "Office", IPv4Network("10.44.10.0/24"), HERE if self.whose.startswith("gateway") else None
        )
        records: list[Site | Subnet | Band | Assignment] = [Site(1, "Hall", True), subnet]
        kind = AssignmentKind.RESERVED if self.whose == "reserved" else AssignmentKind.STATIC
        if self.whose in ("planned", "reserved", "planned without a MAC", "gateway"):
            mac = None if self.whose == "planned without a MAC" else OWNER
            records.append(Assignment(1, 1, 1, HERE, kind, mac, "desk", ""))
        if self.whose in ("leased", "pool"):
            records.append(Band(1, 1, BandKind.POOL, HERE, HERE + 9, server=9))
        made = World(Plan(records), 1, lambda mac: False)
        made.links = {"office0": Link("office0", (IPv4Network("10.44.10.0/24"),), None, None)}
        made.own_macs = {OWN_MAC}
        made.own_addresses = {HERE} if self.whose == "own" else {Address(BASE + 5)}
        made.devices = {mac: KnownDevice(n, "", "") for n, mac in enumerate((OWNER, STRANGER, OTHER), 1)}
        made.devices[JOINED] = made.devices[OWNER]
        made.passed(NOW - HOUR)
        if self.whose == "leased":
            made.leased.told(9, [Lease(HERE, OWNER, "desk", NOW + HOUR)], NOW - HOUR)
        for mac in self.before:
            hearing.saw(made, HERE, mac, NOW - HOUR + mac % 16, Source.ARP, "office0")
        for mac in self.heard:
            hearing.saw(made, HERE, mac, NOW - 2 * SECOND, Source.OVERHEARD, "office0")
        made.passed(NOW)
        rounds.over(made, HERE, self.answers, NOW, "office0", controlled=True, began=NOW - SECOND)
        for mac in self.heard:  # it insists
            hearing.saw(made, HERE, mac, NOW + SECOND, Source.OVERHEARD, "office0")
        return made


def cases() -> Iterator[Case]:
    """Every case there is."""
    whose = (
        "own", "gateway", "gateway not in the plan", "planned", "planned without a MAC", "reserved", "leased", "pool", "nobody's",
    )  # fmt: skip
    before = ((), (OWNER,), (STRANGER,), (OWNER, STRANGER))
    answers = ((), (OWNER,), (OWNER, JOINED), (STRANGER,), (OWNER, STRANGER), (STRANGER, OTHER))
    heard = ((), (OWNER,), (STRANGER,), (OTHER,))
    for parts in itertools.product(whose, before, answers, heard):
        yield Case(*parts)


def told(made: World) -> Counter[str]:
    """The findings about claims on the address that stand once they have stood long enough."""
    engine = Engine()
    for at in (made.now, made.now + 4 * SECOND):
        engine.begin_full(made)
        engine.settle(made, at)
    return Counter(kind for kind, _ in engine.standing if kind in CLAIMS)


class EveryCase(unittest.TestCase):
    def test_each_has_a_reading_and_what_is_contradicted_is_told_once(self) -> None:
        readings: Counter[Reading] = Counter()
        for case in cases():
            with self.subTest(case):
                made = case.world()
                reading = read(made, HERE)
                readings[reading] += 1
                kind = TOLD.get(reading)
                if reading is Reading.CLAIMED:
                    kind = {"own": "duplicate-address", "gateway": "gateway-changed"}.get(
                        case.whose.split()[0], "address-claimed"
                    )
                self.assertEqual(told(made), Counter([kind] if kind else []), reading)
        self.assertEqual(set(readings), set(Reading) - {Reading.FOR_OTHERS, Reading.GONE}, readings)

    def test_whoever_answers_beside_another_is_told_whatever_else_is_known(self) -> None:
        for case in cases():
            rivals = set(case.answers) - ({JOINED} if OWNER in case.answers else set())
            own = case.whose == "own" and case.answers
            if len(rivals) > 1 or own:
                with self.subTest(case):
                    self.assertTrue(told(case.world()) & Counter(["duplicate-address", "gateway-changed"]))

    def test_who_may_hold_an_address_and_alone_answers_is_never_told_of(self) -> None:
        for case in cases():
            if case.whose not in ("gateway", "planned", "reserved", "leased") or case.heard not in ((), (OWNER,)):
                continue
            if case.answers in ((OWNER,), (OWNER, JOINED)):
                with self.subTest(case):
                    self.assertEqual(told(case.world()), Counter())

    def test_who_was_only_heard_never_counts_as_answering(self) -> None:
        for case in cases():
            made = case.world()
            for one in claimants(made, HERE):
                if one.mac in case.heard and one.mac not in (*case.answers, *case.before):
                    with self.subTest(case, mac=one.mac):
                        self.assertIs(one.how, How.HEARD)

    def test_a_claim_that_was_only_heard_lapses_and_one_that_comes_seldom_stays(self) -> None:
        made = Case("planned", (OWNER,), (OWNER,), (STRANGER,)).world()
        self.assertIs(read(made, HERE), Reading.CLAIMED)
        once = Case("planned", (OWNER,), (OWNER,), ()).world()
        hearing.saw(once, HERE, STRANGER, NOW + SECOND, Source.OVERHEARD, "office0")
        self.assertIs(read(once, HERE), Reading.HELD, "it has not been asked for yet")
        rounds.over(once, HERE, [OWNER], NOW + 2 * SECOND, "office0", controlled=True, began=NOW + SECOND)
        self.assertIs(read(once, HERE), Reading.HELD, "it spoke once, and is gone")
        for second in range(12):
            hearing.saw(once, Address(BASE + 21), STRANGER, NOW + second * SECOND, Source.OVERHEARD, "office0")
        hearing.saw(once, Address(BASE + 21), OWNER, NOW + 12 * SECOND, Source.ARP, "office0")
        self.assertIs(read(once, Address(BASE + 21)), Reading.CLAIMED, "where asking is off it is told as heard")
        made.passed(NOW + 15 * SECOND)
        self.assertIs(read(made, HERE), Reading.HELD)
        for at in range(30, 120, 30):
            hearing.saw(made, HERE, STRANGER, NOW + at * SECOND, Source.OVERHEARD, "office0")
        made.passed(NOW + 115 * SECOND)
        self.assertIs(read(made, HERE), Reading.CLAIMED, "it speaks every half minute")
        made.passed(NOW + 90 * SECOND + 2 * MINUTE)
        self.assertIs(read(made, HERE), Reading.HELD)

    def test_several_that_answered_and_were_not_asked_together_are_not_told_as_two(self) -> None:
        made = Case("nobody's", (OWNER, STRANGER), (), ()).world()
        made.confirmed.clear()
        for mac in (OWNER, STRANGER):
            hearing.saw(made, HERE, mac, NOW, Source.ARP, "office0")
        self.assertIs(read(made, HERE), Reading.LATELY)
        self.assertEqual(told(made), Counter())
        self.assertIn(HERE, made.questions, "whether both are there is asked")

    def test_who_was_silent_in_look_after_look_is_gone(self) -> None:
        made = Case("nobody's", (OWNER,), (), ()).world()
        for minute in range(10, 40, 10):
            at = NOW + minute * MINUTE
            rounds.over(made, HERE, [], at, "office0", controlled=True, began=at - SECOND)
        self.assertIs(read(made, HERE), Reading.GONE)
        self.assertEqual([one.how for one in claimants(made, HERE)], [How.SILENT])

    def test_a_device_proven_to_answer_for_others_takes_nothing_from_a_second_claimant(self) -> None:
        made = Case("nobody's", (OWNER,), (OWNER, STRANGER), ()).world()
        for last in range(30, 36):
            hearing.saw(made, Address(BASE + last), STRANGER, NOW, Source.ARP, "office0")
        made.proxy_answer(STRANGER, {BASE + 31: True}, NOW)
        self.assertTrue(made.stands_in(STRANGER))
        self.assertEqual(told(made), Counter(["duplicate-address"]))
        rounds.over(made, HERE, [STRANGER], NOW + SECOND, "office0", controlled=True, began=NOW + 100)
        self.assertIs(read(made, HERE), Reading.FOR_OTHERS)


if __name__ == "__main__":
    unittest.main()
