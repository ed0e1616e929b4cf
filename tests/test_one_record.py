"""A device is one record: planned, seen, leased or all three; every edit of it is one change that is taken back whole."""

from __future__ import annotations

import contextlib
import random
import tempfile
import threading
import unittest
from collections.abc import Callable
from ipaddress import IPv4Network
from pathlib import Path
from typing import Any

from sqlalchemy import select

from even_roster.api.plan import AssignmentEdit, AssignmentNew
from even_roster.core.address import Address
from even_roster.core.mac import Mac, MacNumber
from even_roster.core.names import Name, NameSource
from even_roster.core.plan.model import Assignment, Subnet
from even_roster.core.roster import Device
from even_roster.core.stays import Sighting, Source
from even_roster.service.devices import device_edits, device_views
from even_roster.service.devices.device_edits import Making
from even_roster.service.knowing.plan_book import Edit, PlanBook, PlanRefused
from even_roster.service.plan import planning
from even_roster.store import change_queries, device_queries, plan_records, scan_records
from even_roster.store.database import Database
from even_roster.store.edits import AddressTaken, EditError, Missing, StaleEdit
from even_roster.store.intake import NameHeard, TakenIn, take_in
from even_roster.store.plan_edits import PlanConflict, Saved
from even_roster.store.scan_records import SegmentSeen
from even_roster.store.tables import change_devices, devices

BESIDE = "anything"

OFFICE = IPv4Network("10.44.10.0/24")
BASE = int(OFFICE.network_address)
A, B, C = MacNumber(0x02C044000001), MacNumber(0x02C044000002), MacNumber(0x02C044000003)
WHO = "keeper"
SEEDS, STEPS = 6, 90


class OneRecord(unittest.TestCase):
    def setUp(self) -> None:
        folder = self.enterContext(tempfile.TemporaryDirectory())
        self.path = Path(folder) / "roster.db"
        self.database = Database(self.path)
        self.addCleanup(self.database.close)
        self.clock = 1_000_000
        self.plan = PlanBook(self.database, lambda event: None, lambda: self.clock, lambda mac: "")
        self.site = self.plan.site_here
        self.plan.edit(WHO, lambda plan: Edit("add", "subnet", "x", (), (Subnet(0, self.site, "Office", OFFICE),)))
        with self.database.write() as connection:
            self.segment = scan_records.segment_id(connection, SegmentSeen("office0", str(OFFICE), None), 1)

    def see(self, *pairs: tuple[int, int], name: str = "") -> TakenIn:
        """Sightings of (last octet, MAC) pairs, a minute after the last."""
        self.clock += 60_000
        seen = [Sighting(Address(BASE + octet), MacNumber(mac), self.clock, Source.ARP) for octet, mac in pairs]
        names = [
            NameHeard(Address(BASE + o), MacNumber(mac), Name(name, NameSource.MDNS), self.clock)
            for o, mac in pairs
            if name
        ]
        with self.database.write() as connection:
            return take_in(connection, self.segment, seen, names, {}, lambda mac: "")

    def do(self, make: Making) -> Saved:
        return self.plan.edit_records(WHO, make, anyway=True)

    def set(self, identity: int, version: int | None = None, with_hostname: bool = False, **fields: str) -> Saved:
        return self.do(
            device_edits.set_fields([(identity, None if version is None else (version,))], fields, with_hostname)
        )

    def assign(self, octet: int, mac: MacNumber | None = None, name: str = "", **more: Any) -> Assignment:
        text = str(Mac(mac)) if mac is not None else None
        request = AssignmentNew.model_validate({"address": f"10.44.10.{octet}", "mac": text, "name": name, **more})
        saved = self.plan.edit(WHO, planning.assign(request, self.site, Address(BASE + octet), mac), anyway=True)
        return next(one for one in saved.after if isinstance(one, Assignment))

    def change(self, octet: int, **values: Any) -> Saved:
        item = self.at(octet)
        return self.plan.edit(
            WHO, planning.edit_assignment(item.id, None, AssignmentEdit.model_validate(values)), anyway=True
        )

    def release(self, octet: int) -> Saved:
        return self.plan.edit(WHO, planning.release(self.at(octet).id))

    def at(self, octet: int) -> Assignment:
        item = self.plan.plan.at(self.site, Address(BASE + octet))
        if item is None:
            raise Missing(f"nobody has .{octet}")
        return item

    def row(self, identity: int) -> Any:
        with self.database.read() as connection:
            return device_queries.one(connection, identity)

    def device_of(self, mac: MacNumber) -> int:
        with self.database.read() as connection:
            found = device_queries.device_of_mac(connection, mac)
        assert found is not None
        return found

    def changes(self, device: int | None = None) -> list[tuple[str, Any, Any]]:
        with self.database.read() as connection:
            return [(c.action, c.before, c.after) for c in change_queries.latest(connection, 50, None, device)]

    def last_change(self) -> int:
        with self.database.read() as connection:
            return int(change_queries.latest(connection, 1, None, None)[0].id)

    def everything(self) -> dict[str, list[tuple[Any, ...]]]:
        """All that people entered, versions left out, for comparing whole documents."""
        found: dict[str, list[tuple[Any, ...]]] = {}
        with self.database.read() as connection:
            for kind, table in plan_records.TABLES.items():
                rows = connection.execute(table.select().order_by(table.c.id)).mappings()
                items = (plan_records.from_values(kind, {"role": "", **row}) for row in rows)
                values = (plan_records.to_values(item) for item in items)
                found[kind] = [tuple(v for k, v in one.items() if k != "version") for one in values]
        plan = self.plan.plan
        found["roles"] = [(item.id, item.role) for item in sorted(plan.assignments.values(), key=lambda a: a.id)]
        return found

    def reviews(self, device: int | None = None) -> list[tuple[str, str]]:
        with self.database.read() as connection:
            return [(c.kind, c.said) for c in device_views.cases(connection, self.site, self.clock, device)]


class Meeting(OneRecord):
    def test_what_is_planned_is_expected_and_is_that_device_when_it_is_seen(self) -> None:
        item = self.assign(30, A, "printer-3", role="printer")
        row = self.row(item.device)
        self.assertEqual((row.called, row.called_because, row.role), ("printer-3", "planned hostname", "printer"))
        self.assertEqual((row.last_seen, row.address - BASE, row.mac, bool(row.vouched)), (0, 30, A, True))
        taken = self.see((77, A), name="quillmark-9")
        self.assertEqual((taken.devices, taken.new), ([item.device], []), "no second record, nobody new")
        row = self.row(item.device)
        self.assertEqual(
            (row.called, row.address - BASE, row.first_seen, row.last_seen), ("printer-3", 77, self.clock, self.clock)
        )

    def test_planning_what_is_known_makes_no_second_record_and_the_role_is_the_devices(self) -> None:
        (device,) = self.see((30, A)).new
        self.set(device, name="Front printer", role="printer")
        item = self.assign(30, A, "printer-3")
        self.assertEqual((item.device, item.role), (device, "printer"))
        self.assertEqual(self.row(device).called, "Front printer", "the hand's name is shown")
        self.assertEqual(self.at(30).name, "printer-3", "the planned hostname stays with the assignment")
        second = self.assign(31, A, "printer-3b", role="server")
        self.assertEqual((second.device, self.row(device).role, self.at(30).role), (device, "server", "server"))
        self.set(device, role="camera")
        self.assertEqual((self.at(30).role, self.at(31).role), ("camera", "camera"))
        self.assertEqual([i.address - BASE for i in self.plan.plan.of_device(device)], [30, 31])
        self.assertEqual(
            list(self.plan.plan.of_role(self.site, "camera").within(BASE, BASE + 255)), [(BASE + 30, BASE + 31)]
        )

    def test_an_expected_device_without_a_mac_is_offered_who_sits_at_its_address_and_never_takes_it_silently(
        self,
    ) -> None:
        item = self.assign(40, None, "till-2", role="control")
        (seen,) = self.see((40, B), name="posbox").new
        self.assertNotEqual(seen, item.device)
        self.assertEqual(self.at(40).mac, None)
        self.assertEqual(
            self.reviews(), [("is-it", f"Planned at 10.44.10.40 without a MAC; {Mac(B)} was seen there. Is this it?")]
        )
        self.assertEqual(self.reviews(seen), self.reviews(item.device))
        before = self.everything()
        self.do(device_edits.join(item.device, [seen]))
        self.assertEqual((self.at(40).mac, self.at(40).device, self.device_of(B)), (B, item.device, item.device))
        self.assertEqual((self.row(item.device).called, self.row(item.device).role), ("till-2", "control"))
        self.assertTrue(self.row(seen).retired)
        self.assertEqual(self.reviews(), [])
        self.plan.undo(WHO, [self.last_change()])
        self.assertEqual(self.everything(), before)

    def test_writing_the_mac_into_an_expected_assignment_says_the_same(self) -> None:
        item = self.assign(40, None, "till-2", role="control")
        self.set(item.device, owner="Box office")
        (seen,) = self.see((40, B)).new
        self.set(seen, notes="came in May", role="other")
        before = self.everything()
        self.change(40, mac=str(Mac(B)))
        row = self.row(seen)
        self.assertEqual((self.at(40).device, row.owner, row.role), (seen, "Box office", "control"))
        self.assertEqual(row.notes, "came in May\nrole before it was planned: other")
        self.assertIsNone(self.row(item.device), "the expected record has become the seen one")
        self.plan.undo(WHO, [self.last_change()])
        self.assertEqual(self.everything(), before)

    def test_a_mistyped_mac_is_corrected_and_another_device_at_the_address_is_another_record(self) -> None:
        item = self.assign(50, A, "desk", role="workstation")
        self.set(item.device, name="Reception")
        self.change(50, mac=str(Mac(B)))
        self.assertEqual((self.at(50).device, self.device_of(B)), (item.device, item.device))
        with self.database.read() as connection:
            self.assertIsNone(device_queries.device_of_mac(connection, A), "nothing was ever seen of it")
        self.see((50, B))
        self.change(50, mac=str(Mac(C)))
        self.assertNotEqual(self.at(50).device, item.device)
        self.assertEqual((self.row(item.device).name, self.row(item.device).mac), ("Reception", B))

    def test_what_is_released_and_was_never_seen_is_expected_no_more(self) -> None:
        item = self.assign(60, A, "spare")
        named = self.assign(61, B, "kept")
        self.set(named.device, name="Somebody's")
        both = self.everything()
        self.release(60)
        self.assertIsNone(self.row(item.device))
        self.plan.undo(WHO, [self.last_change()])
        self.assertEqual(self.everything(), both)
        self.release(61)
        self.assertEqual(self.row(named.device).name, "Somebody's", "a hand wrote into it")
        self.assertEqual([c[0] for c in self.changes(named.device)[:2]], ["release", "set"], "also what it has no more")
        self.see((60, A))
        self.release(60)
        self.assertIsNotNone(self.row(item.device), "it was seen")

    def test_taking_back_an_assignment_leaves_what_was_seen_and_written_since(self) -> None:
        item = self.assign(70, A, "scanner")
        change = self.last_change()
        self.see((70, A))
        self.plan.undo(WHO, [change])
        self.assertIsNone(self.plan.plan.at(self.site, Address(BASE + 70)))
        self.assertEqual((self.device_of(A), self.row(item.device).called), (item.device, ""))
        other = self.assign(71, B, "lamp")
        change = self.last_change()
        self.set(other.device, notes="by hand")
        self.plan.undo(WHO, [change])
        self.assertEqual((self.row(other.device).notes, self.device_of(B)), ("by hand", other.device))

    def test_two_that_are_joined_say_what_they_said_differently(self) -> None:
        self.see((10, A), (11, B))
        one, two = self.device_of(A), self.device_of(B)
        self.set(one, name="Laptop", role="portable")
        self.set(two, name="Notebook", role="workstation", owner="Wardrobe", notes="dock")
        self.assign(11, B, "wardrobe-nb")
        before = self.everything()
        self.do(device_edits.join(one, [two]))
        row = self.row(one)
        self.assertEqual((row.name, row.owner, row.macs, row.role), ("Laptop", "Wardrobe", 2, "workstation"))
        self.assertEqual(row.notes, "dock\nname before the join: Notebook\nrole before it was planned: portable")
        self.assertEqual(self.at(11).device, one)
        self.assertEqual(sorted(kind for kind, _ in self.reviews(one)), ["name", "name", "role"])
        self.plan.undo(WHO, [self.last_change()])
        self.assertEqual(self.everything(), before, "adapters, assignments, texts: all as before")

    def test_new_hardware_inherits_everything_in_one_step_and_the_old_keeps_its_history(self) -> None:
        self.see((20, A))
        device = self.device_of(A)
        self.set(device, name="Ledger", role="server", place="Rack 2")
        self.assign(20, A, "ledger", kind="reserved")
        self.see((99, B))
        fresh = self.device_of(B)
        before = self.everything()
        self.do(device_edits.swap_hardware(device, B, None))
        self.assertEqual((self.at(20).mac, self.at(20).device, self.device_of(B)), (B, device, device))
        old = self.row(self.device_of(A))
        self.assertEqual((old.name, bool(old.retired), old.address - BASE), ("Ledger (replaced)", True, 20))
        self.assertTrue(self.row(fresh).retired)
        self.assertEqual(self.changes(device)[0][0], "replace")
        self.plan.undo(WHO, [self.last_change()])
        self.assertEqual(self.everything(), before)
        self.do(device_edits.swap_hardware(device, C, None))
        self.assertEqual((self.at(20).mac, self.row(self.device_of(C)).name), (C, "Ledger"), "one nobody has seen yet")
        with self.assertRaisesRegex(EditError, "already"):
            self.do(device_edits.swap_hardware(device, C, None))

    def test_a_new_name_leaves_the_planned_hostname_unless_told_otherwise(self) -> None:
        item = self.assign(30, A, "printer-3")
        self.set(item.device, name="Box office printer")
        self.assertEqual(self.at(30).name, "printer-3")
        self.set(item.device, name="Foyer printer", with_hostname=True)
        self.assertEqual((self.at(30).name, self.row(item.device).called), ("foyer-printer", "Foyer printer"))
        told = {"name": "Foyer printer", "hostname": "foyer-printer"}
        self.assertEqual(
            self.changes(item.device)[0], ("set", {"name": "Box office printer", "hostname": "printer-3"}, told)
        )
        self.plan.undo(WHO, [self.last_change()])
        self.assertEqual((self.at(30).name, self.row(item.device).called), ("printer-3", "Box office printer"))

    def test_a_device_entered_by_hand_is_found_when_it_is_seen(self) -> None:
        saved = self.do(device_edits.add({"name": "Beamer", "role": "other"}, A))
        (device,) = [one for one in saved.after if isinstance(one, Device)]
        self.assertEqual(self.see((44, A)).devices, [device.id])
        self.assertEqual(self.row(device.id).called, "Beamer")
        for fields, mac, said in (({}, None, "a name or a MAC"), ({"name": "x"}, A, "belongs to device")):
            with self.subTest(said), self.assertRaisesRegex(EditError, said):
                self.do(device_edits.add(fields, mac))

    def test_a_planned_device_is_retired_with_its_address_or_not_at_all(self) -> None:
        item = self.assign(30, A, "printer-3")
        with self.assertRaisesRegex(EditError, "still has 10.44.10.30"):
            self.do(device_edits.retire(item.device, None, True))
        before = self.everything()
        self.see((30, A))
        self.do(device_edits.retire(item.device, None, True, release=True))
        self.assertEqual(
            (self.plan.plan.at(self.site, Address(BASE + 30)), bool(self.row(item.device).retired)), (None, True)
        )
        self.plan.undo(WHO, [self.last_change()])
        self.assertEqual(self.everything(), before)


REFUSALS = (EditError, Missing, StaleEdit, AddressTaken, PlanConflict, PlanRefused)
MACS = [MacNumber(0x02C044000000 + n) for n in range(1, 13)]


class AnyOrder(OneRecord):
    """Sightings and every kind of edit in any order: what must always hold, holds after each."""

    def holds(self) -> None:
        with self.database.read() as connection:
            self.assertEqual(connection.exec_driver_sql("PRAGMA foreign_key_check").all(), [])
            stored = plan_records.load(connection)
            ids = list(connection.execute(select(devices.c.id)).scalars())
            known = plan_records.known(connection, MACS, ids)
        shown = self.plan.plan
        self.assertEqual(shown.assignments, stored.assignments, "the picture is what is recorded")
        self.assertEqual({a.device for a in shown.assignments.values()} - set(ids), set(), "nobody's assignment")
        for item in shown.assignments.values():
            owner = known.devices[item.device]
            self.assertEqual((item.role, owner.retired), (owner.role, False), item)
            if item.mac is not None:
                self.assertEqual(known.adapters[item.mac].device, item.device, item)
            self.assertIn(item, shown.of_device(item.device))
        for device in known.devices.values():
            alone = not shown.of_device(device.id) and not device.retired and device.bare
            theirs = {one.mac for one in known.adapters_of(device.id)}
            self.assertFalse(alone and not theirs, f"{device} is a record of nothing")

    def some(self, chance: random.Random) -> int:
        with self.database.read() as connection:
            return int(chance.choice(list(connection.execute(select(devices.c.id)).scalars()) or [1]))

    def act(self, chance: random.Random) -> str:
        """One random thing; gives what it was."""
        mac, other, octet = chance.choice(MACS), chance.choice(MACS), chance.randrange(10, 24)
        items = list(self.plan.plan.assignments.values())
        at = chance.choice(items).address - BASE if items else octet
        maybe: MacNumber | None = chance.choice((mac, mac, None))
        acts: dict[str, Callable[[], object]] = {
            "see": lambda: self.see((octet, mac)),
            "assign": lambda: self.assign(octet, maybe, f"h{octet}", role=chance.choice(("", "printer", "camera"))),
            "new mac": lambda: self.change(at, mac=str(Mac(mac))),
            "no mac": lambda: self.change(at, mac="", name="x"),
            "new role": lambda: self.change(at, role=chance.choice(("", "server", "phone"))),
            "release": lambda: self.release(at),
            "name": lambda: self.set(self.some(chance), name=chance.choice(("", "Desk", "Printer")), role="other"),
            "join": lambda: self.do(device_edits.join(self.some(chance), [self.some(chance), self.some(chance)])),
            "split": lambda: self.do(device_edits.split(self.some(chance), [mac])),
            "swap": lambda: self.do(device_edits.swap_hardware(self.some(chance), mac, chance.choice((None, other)))),
            "retire": lambda: self.do(
                device_edits.retire(self.some(chance), None, True, release=chance.random() < 0.7)
            ),
            "restore": lambda: self.do(device_edits.retire(self.some(chance), None, False)),
            "add": lambda: self.do(device_edits.add({"name": chance.choice(("Spare", ""))}, maybe)),
            "undo": lambda: self.plan.undo(WHO, [max(self.last_change() - chance.randrange(6), 1)]),
        }
        name = chance.choice([*acts, "undo", "undo", "see", "assign"])
        with contextlib.suppress(*REFUSALS):
            acts[name]()
        return name

    def test_what_must_hold_holds_after_anything_in_any_order(self) -> None:
        for seed in range(SEEDS):
            chance = random.Random(seed)
            if seed:
                self.doCleanups()
                self.setUp()
            done: list[str] = []
            for _ in range(STEPS):
                done.append(self.act(chance))
                with self.subTest(seed=seed, done=done[-8:]):
                    self.holds()
            noted = self.whose_changes()
            self.assertGreater(len(noted), STEPS // 6, "edits were noted for their devices")
            with self.database.write() as connection:  # as revision 0007 had it
                for table in (
                    "change_devices", "holdings", "dhcp_versions", "roll_calls", "fitting_notes", "fitted", "fittings", "kinds",
                    "roll_standings", "reply_hours", "wake_passwords",
                    "switches", "credentials", "switch_ports", "port_words", "port_states", "port_stays", "port_counters", "port_days",
                    "told_pairs", "hand_pairs", "link_stays", "hand_links", "map_places", "port_orders", "chases",
                    "heard_only", "silences", "looks", "deaf_times", "heartbeat",
                ):  # fmt: skip
                    connection.exec_driver_sql(f"DROP TABLE {table}")
                for table in ("stays", "adapters", "devices", "findings"):
                    connection.exec_driver_sql(f"ALTER TABLE {table} DROP COLUMN heard")
                for column in ("count", "first", "last"):
                    connection.exec_driver_sql(
                        f"ALTER TABLE stays ADD COLUMN silent_{column} BIGINT DEFAULT '0' NOT NULL"
                    )
                for column in ("holdings_at", "holdings_trouble", "drift", "begun", "sheet", "shown"):
                    connection.exec_driver_sql(f"ALTER TABLE dhcp_servers DROP COLUMN {column}")
                connection.exec_driver_sql("ALTER TABLE leases DROP COLUMN since")
                connection.exec_driver_sql("DROP INDEX ix_changes_undoes")
                connection.exec_driver_sql("UPDATE alembic_version SET version_num = '0007'")
            self.database.close()
            self.database = Database(self.path)
            self.addCleanup(self.database.close)
            self.assertEqual(self.whose_changes(), noted, "what an older roster kept says the same")

    def whose_changes(self) -> list[tuple[int, int]]:
        with self.database.read() as connection:
            return [tuple(row) for row in connection.execute(select(change_devices).order_by(*change_devices.c))]


class Edits(OneRecord):
    def setUp(self) -> None:
        super().setUp()
        self.first, self.second = self.see((10, A), (11, B)).new

    def test_an_edit_leaves_a_change_with_before_and_after(self) -> None:
        self.set(self.first, 1, name="Desk", role="Workstation")
        self.assertEqual(
            self.changes(self.first), [("set", {"name": "", "role": ""}, {"name": "Desk", "role": "workstation"})]
        )
        self.assertEqual(self.row(self.first).version, 2)

    def test_a_stale_edit_changes_nothing_and_shows_the_values_now(self) -> None:
        self.set(self.first, 1, name="Theirs")
        with self.assertRaises(StaleEdit) as caught:
            self.set(self.first, 1, name="Mine")
        self.assertEqual((caught.exception.version, caught.exception.current["name"]), (2, "Theirs"))
        self.assertEqual(self.row(self.first).name, "Theirs")

    def test_of_two_edits_at_once_one_wins_and_one_is_told(self) -> None:
        outcomes: list[str] = []

        def attempt(name: str) -> None:
            try:
                self.set(self.first, 1, name=name)
                outcomes.append("saved")
            except StaleEdit:
                outcomes.append("stale")

        threads = [threading.Thread(target=attempt, args=(f"n{i}",)) for i in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(sorted(outcomes), ["saved"] + ["stale"] * 7)
        self.assertEqual(len(self.changes(self.first)), 1)

    def test_undo_takes_an_edit_back_unless_somebody_built_on_it(self) -> None:
        self.set(self.first, name="One")
        first = self.last_change()
        self.set(self.first, name="Two")
        with self.assertRaisesRegex(EditError, "changed again"):
            self.plan.undo(WHO, [first])
        self.plan.undo(WHO, [self.last_change()])
        self.assertEqual(self.row(self.first).name, "One")
        self.assertEqual(self.changes(self.first)[0], ("undo", {"name": "Two"}, {"name": "One"}))

    def test_what_was_edited_in_bulk_is_taken_back_as_one(self) -> None:
        self.set(self.second, owner="Wardrobe", role="portable")
        before = self.everything()
        wanted = [(self.first, None), (self.second, None)]
        self.do(device_edits.set_fields(wanted, {"owner": "Box office", "role": "workstation"}))
        self.assertEqual([self.row(one).owner for one in (self.first, self.second)], ["Box office"] * 2)
        self.plan.undo(WHO, [self.last_change()])
        self.assertEqual(self.everything(), before)

    def test_join_moves_adapters_and_split_moves_them_back(self) -> None:
        self.set(self.second, owner="Wardrobe")
        self.assign(11, B, "nb")
        self.do(device_edits.join(self.first, [self.second]))
        self.assertEqual((self.row(self.first).macs, self.row(self.first).owner), (2, "Wardrobe"))
        self.assertTrue(self.row(self.second).retired)
        joined = self.everything()
        self.do(device_edits.split(self.first, [B]))
        new = self.device_of(B)
        self.assertEqual((self.row(self.first).macs, self.row(new).macs, self.at(11).device), (1, 1, new))
        self.plan.undo(WHO, [self.last_change()])
        self.assertEqual(self.everything(), joined)

    def test_impossible_edits_say_why(self) -> None:
        for make, error in (
            (device_edits.set_fields([(self.first, (1,))], {"colour": "red"}), "no field"),
            (device_edits.set_fields([(self.first, (1,))], {"name": "x" * 121}), "at most 120"),
            (device_edits.set_fields([(self.first, (1,))], {"role": "pritner"}), "perhaps 'printer'"),
            (device_edits.join(self.first, [self.first]), "two different"), (device_edits.split(self.first, [A]), "at least one"),
            (device_edits.split(self.first, [MacNumber(0xFF)]), "belong to this device"),
        ):  # fmt: skip
            with self.subTest(error), self.assertRaisesRegex(EditError, error):
                self.do(make)
        with self.assertRaises(Missing):
            self.set(999, 1, name="x")
        self.assertEqual(self.changes(self.first), [])


if __name__ == "__main__":
    unittest.main()
