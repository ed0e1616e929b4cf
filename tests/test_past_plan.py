"""The plan of any past moment is exactly what it was then, whatever was edited and taken back since."""

from __future__ import annotations

import random
import tempfile
import unittest
from dataclasses import replace
from ipaddress import IPv4Address, IPv4Network
from pathlib import Path

from sqlalchemy import select

from even_roster.core.address import Address
from even_roster.core.mac import MacNumber
from even_roster.core.plan.model import Assignment, AssignmentKind, Band, BandKind, Item, Plan, Subnet
from even_roster.store import past_plan_queries, plan_records
from even_roster.store.database import Database
from even_roster.store.edits import EditError
from even_roster.store.tables import devices
from tests.support import editing
from tests.support.effort import effort

BESIDE = "anything"
PART = "test and endure"

EDITS, MANY = effort(60, 220, 500), effort(5_000, 20_000, 20_000)

OFFICE, STAGE = IPv4Network("10.44.10.0/24"), IPv4Network("10.44.20.0/24")
FIRST, LAST = int(OFFICE.network_address), int(OFFICE.broadcast_address)
Contents = tuple[frozenset[Item], frozenset[Item], frozenset[Item]]


def contents(plan: Plan, first: int = FIRST, last: int = LAST) -> Contents:
    """What a plan holds: subnets, bands, and the assignments within first..last."""
    return (
        frozenset(plan.subnets.values()),
        frozenset(plan.bands.values()),
        frozenset(a for a in plan.assignments.values() if first <= a.address <= last),
    )


class PastPlan(unittest.TestCase):
    def setUp(self) -> None:
        folder = self.enterContext(tempfile.TemporaryDirectory())
        self.database = Database(Path(folder) / "roster.db")
        self.addCleanup(self.database.close)
        self.clock = 1_000_000

    def now(self) -> Plan:
        with self.database.read() as connection:
            return plan_records.load(connection)

    def edit(self, before: list[Item], after: list[Item]) -> int:
        """One edit a minute after the last; gives its change."""
        self.clock += 60_000
        with self.database.write() as connection:
            return editing.save(connection, self.clock, before, after).change

    def then(self, moment: int, first: int = FIRST, last: int = LAST) -> Contents:
        with self.database.read() as connection:
            return contents(past_plan_queries.around(connection, moment, first, last), first, last)

    def site(self) -> int:
        return next(iter(self.now().sites))

    def begin(self) -> tuple[Subnet, Subnet]:
        """Two subnets in one edit."""
        site = self.site()
        self.edit([], [Subnet(-1, site, "Office", OFFICE, Address(FIRST + 1)), Subnet(-2, site, "Stage", STAGE)])
        office, stage = self.now().subnets_of(site)
        return office, stage

    def test_before_the_first_edit_nothing_was_planned(self) -> None:
        self.begin()
        self.assertEqual(self.then(self.clock - 1), (frozenset(), frozenset(), frozenset()))
        self.assertEqual(len(self.then(self.clock)[0]), 2, "an edit counts from its own moment on")
        with self.database.read() as connection:
            self.assertEqual(list(past_plan_queries.around(connection, 0, FIRST, LAST).sites), [self.site()])

    def test_a_moved_address_was_where_it_was(self) -> None:
        office, stage = self.begin()
        self.edit(
            [],
            [
                Assignment(
                    -1,
                    office.site,
                    office.id,
                    Address(FIRST + 20),
                    AssignmentKind.RESERVED,
                    MacNumber(0x02C010000001),
                    "desk-1",
                )
            ],
        )
        at_desk = self.clock
        (item,) = self.now().assignments.values()
        moved = replace(item, subnet=stage.id, address=Address(int(STAGE.network_address) + 9))
        self.edit([item], [moved])
        self.assertEqual([a.address for a in self.then(at_desk)[2]], [FIRST + 20])  # type: ignore[union-attr]
        self.assertEqual(self.then(self.clock)[2], frozenset())
        stage_first, stage_last = stage.first, stage.last
        self.assertEqual(self.then(at_desk, stage_first, stage_last)[2], frozenset())
        self.assertEqual(len(self.then(self.clock, stage_first, stage_last)[2]), 1)
        with self.database.read() as connection:
            for moment, address in ((at_desk, FIRST + 20), (self.clock, stage_first + 9)):
                plan = past_plan_queries.of_macs(connection, moment, [MacNumber(0x02C010000001)])
                self.assertEqual([a.address for a in plan.of_mac(MacNumber(0x02C010000001))], [address])
            self.assertEqual(
                past_plan_queries.of_macs(connection, at_desk - 1, [MacNumber(0x02C010000001)]).assignments, {}
            )
            self.assertEqual(
                past_plan_queries.of_macs(connection, self.clock, [MacNumber(0x02C010000002)]).assignments, {}
            )

    def test_after_hundreds_of_random_edits_and_undos_every_moment_is_as_it_was(self) -> None:
        chance = random.Random(44)
        office, stage = self.begin()
        was: list[tuple[int, Contents, int]] = []
        made: list[int] = []
        for _ in range(EDITS):
            self.random_edit(chance, office, stage, made)
            self.one_record_each()
            plan = self.now()
            on = sum(1 for a in plan.assigned_in(office.site, FIRST, LAST) if a.on)
            was.append((self.clock, contents(plan), on))
        self.assertGreater(len({held for _, held, _ in was}), EDITS // 3)
        with self.database.read() as connection:
            for moment, held, on in was:
                for instant in (moment, moment + 59_999):
                    self.assertEqual(contents(past_plan_queries.around(connection, instant, FIRST, LAST)), held)
                self.assertEqual(past_plan_queries.count_on(connection, moment, office.site, FIRST, LAST), on)

    def mac_for(self, chance: random.Random, address: int, n: int) -> MacNumber | None:
        """None, a MAC of its own, or one of a few that several assignments share; in one edit never the same twice."""
        own, shared = 0x02C09F000000 | address & 0xFFFF, 0x02C09F770000 | n << 4 | chance.randrange(3)
        return chance.choice((None, MacNumber(own), MacNumber(shared)))

    def changed(self, chance: random.Random, item: Assignment) -> Assignment:
        new = replace(item, name=f"n{chance.randrange(1000)}", on=not item.on)
        if chance.random() < 0.4:
            new = replace(new, mac=self.mac_for(chance, item.address, 7))
        return replace(new, role=chance.choice((item.role, item.role, "server", ""))) if chance.random() < 0.5 else new

    def one_record_each(self) -> None:
        """Every assignment has its device, every planned MAC is an adapter of it, all have its role, and none is left over."""
        with self.database.read() as connection:
            plan = plan_records.load(connection)
            macs = [a.mac for a in plan.assignments.values() if a.mac is not None]
            known = plan_records.known(connection, macs, [a.device for a in plan.assignments.values()])
            everybody = plan_records.known(connection, [], connection.execute(select(devices.c.id)).scalars())
        for item in plan.assignments.values():
            self.assertEqual(item.role, known.devices[item.device].role, item)
            if item.mac is not None:
                self.assertEqual(known.adapters[item.mac].device, item.device, item)
        self.assertEqual(set(everybody.devices), {a.device for a in plan.assignments.values()}, "nobody is left over")

    def random_edit(self, chance: random.Random, office: Subnet, stage: Subnet, made: list[int]) -> None:
        """Add, change, move, switch, remove, draw a band, or take a change back."""
        plan = self.now()
        subnet = plan.subnets[chance.choice((office.id, stage.id))]
        free = [a for a in range(subnet.first + 10, subnet.first + 60) if plan.at(subnet.site, Address(a)) is None]
        items = list(plan.assignments.values())
        what = chance.randrange(7)
        if what == 0 or not items:
            many = [
                Assignment(
                    -n - 1,
                    subnet.site,
                    subnet.id,
                    Address(address),
                    chance.choice(list(AssignmentKind)),
                    self.mac_for(chance, address, n),
                    f"h{address & 255}",
                    chance.choice(("", "", "printer", "camera")),
                )
                for n, address in enumerate(chance.sample(free, 3))
            ]
            made.append(self.edit([], list(many)))
        elif what == 1:
            item = chance.choice(items)
            made.append(self.edit([item], [self.changed(chance, item)]))
        elif what == 2:
            item = chance.choice(items)
            made.append(self.edit([item], [replace(item, subnet=subnet.id, address=Address(chance.choice(free)))]))
        elif what == 3:
            made.append(self.edit([chance.choice(items)], []))
        elif what == 4:
            bands: list[Item] = list(plan.bands_of(subnet.id))
            first = subnet.first + 100 + chance.randrange(100)
            kind = chance.choice(list(BandKind))
            drawn = Band(-1, subnet.id, kind, first, first + 9)
            made.append(self.edit(bands[:1], [drawn] if len(bands) < 2 else []))
        elif what == 5:
            made.append(
                self.edit(
                    [subnet], [replace(subnet, name=f"name {chance.randrange(99)}", vlan=chance.randrange(1, 99))]
                )
            )
        elif made:
            self.clock += 60_000
            try:
                with self.database.write() as connection:
                    made.append(editing.undo(connection, self.clock, chance.choice(made[-6:])).change)
            except EditError:
                pass  # it was changed again since: undo refuses, and nothing has changed

    def test_thousands_of_assignments_edited_at_once_are_taken_back_quickly(self) -> None:
        """An import of thousands, then all of them edited: a question about one address still reads what it needs."""
        office, _ = self.begin()
        wide = IPv4Network("10.64.0.0/17")
        self.edit([], [Subnet(-1, office.site, "Wide", wide)])
        subnet = max(self.now().subnets.values(), key=lambda one: one.id)
        many: list[Item] = [
            Assignment(
                -n - 1, subnet.site, subnet.id, Address(subnet.first + 10 + n), AssignmentKind.STATIC, None, f"h{n}"
            )
            for n in range(MANY)
        ]
        self.edit([], many)
        imported = self.clock
        items = sorted(self.now().assignments.values(), key=lambda a: a.address)
        self.edit([*items], [replace(a, notes="seen") for a in items])
        with self.database.read() as connection:
            self.assertEqual(
                past_plan_queries.count_on(connection, imported, subnet.site, subnet.first, subnet.last), MANY
            )
            self.assertEqual(
                past_plan_queries.count_on(connection, imported - 1, subnet.site, subnet.first, subnet.last), 0
            )
            plan = past_plan_queries.around(connection, imported, subnet.first + 12, subnet.first + 12)
            self.assertEqual([(a.name, a.notes) for a in plan.assignments.values()], [("h2", "")])
            self.assertEqual(str(IPv4Address(next(iter(plan.assignments.values())).address)), "10.64.0.12")
