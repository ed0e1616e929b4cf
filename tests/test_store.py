"""The records: migrations, intake of sightings, edits with versions and changes, lists."""

from __future__ import annotations

import contextlib
import random
import sqlite3
import tempfile
import unittest
from collections.abc import Sequence
from ipaddress import IPv6Address
from pathlib import Path
from typing import Any

from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, Engine, create_engine, insert, inspect, select, true, update

from even_roster.core.address import LAST_IPV4, Address, address_of
from even_roster.core.findings.engine import Finding, Turn, Turned
from even_roster.core.findings.model import About, Severity, State, Subject
from even_roster.core.mac import Mac, MacNumber
from even_roster.core.names import Name, NameSource
from even_roster.core.stays import Sighting, Source
from even_roster.store import (
    change_queries,
    device_queries,
    finding_records,
    history_queries,
    plan_records,
    review_records,
    router_records,
    scan_records,
)
from even_roster.store.address_column import NO_ADDRESS, stored
from even_roster.store.database import Database, StoreError
from even_roster.store.device_queries import DeviceFilter
from even_roster.store.intake import NameHeard, TakenIn, take_in
from even_roster.store.listing import CursorError, in_list
from even_roster.store.past_tables import heard_only, silences
from even_roster.store.scan_records import ResultRow, SegmentSeen
from even_roster.store.summaries import complete
from even_roster.store.tables import NO_MAC, changes, devices, metadata, stays
from even_roster.store.watch_records import Watch

BESIDE = "anything"

BASE, HERE = 0x0A2C0A00, 1
SEGMENT = SegmentSeen("office0", "10.44.10.0/24", Address(BASE + 1))


def vendor_of(mac: Mac) -> str:
    return "Quillmark Printing" if mac.value >> 24 == 0x02C044 else ""


class StoreCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "roster.db"
        self.database = Database(self.path)
        self.addCleanup(lambda: self.database.close())
        with self.database.write() as connection:
            self.segment = scan_records.segment_id(connection, SEGMENT, 1)

    def see(self, *pairs: tuple[int, int], at: int = 1000, names: dict[int, str] | None = None) -> TakenIn:
        """Sightings of (last octet, MAC) pairs; `names` by MAC."""
        sightings = [Sighting(Address(BASE + octet), MacNumber(mac), at, Source.ARP) for octet, mac in pairs]
        heard = [
            NameHeard(Address(BASE + o), MacNumber(mac), Name((names or {})[mac], NameSource.DNS), at)
            for o, mac in pairs
            if mac in (names or {})
        ]
        with self.database.write() as connection:
            return take_in(connection, self.segment, sightings, heard, {}, vendor_of)

    def row(self, identity: int) -> Any:
        with self.database.read() as connection:
            return device_queries.one(connection, identity)

    def addresses(self, wanted: DeviceFilter | None = None, sort: str = "address") -> list[int]:
        with self.database.read() as connection:
            return [
                row.address - BASE
                for row in device_queries.page(connection, wanted or DeviceFilter(), sort, False, None, 100).rows
            ]


OLDER = (
    "INSERT INTO segments (id, fingerprint, adapter, subnet, first_seen, last_seen, site_id) VALUES (1, 'x', 'a0', '10.44.10.0/24', 1, 2, 1)",
    *(
        f"INSERT INTO devices (id, version, name, role, owner, place, notes, retired, created_at, seen_name, address, mac, macs, vendor, local, ports, "
        f"first_seen, last_seen, sort_name, search) VALUES ({n}, 1, '{name}', '', '', '', '', 0, 1, '{seen}', 1, 1, 1, '', 0, '[]', 1, 2, 'x', 'x')"
        for n, name, seen in ((1, "Gate", "gate"), (2, "", "printer-1"), (3, "", "till"))
    ),
    *(
        f"INSERT INTO adapters (device_id, mac, first_seen, last_seen) VALUES ({device}, {mac}, 1, 2)"
        for device, mac in ((1, 0x02C03E000002), (2, 0x02C044000001), (3, 0x02C07D000001))
    ),
    f"INSERT INTO subnets (id, version, site, name, first, prefix, dns, domain, ntp, supernet, notes) VALUES (1, 1, 1, 'Office', {BASE}, 24, '[]', '', '[]', 0, '')",
    "INSERT INTO assignments (id, version, site, subnet, address, kind, mac, name, role, note, \"on\") "
    f"VALUES (1, 1, 1, 1, {BASE + 30}, 'static', {0x02C044000001}, 'printer-1', 'printer', '', 1), "
    f"(2, 1, 1, 1, {BASE + 2}, 'static', {0x02C03E000002}, 'gate-a', 'network', '', 1), "
    f"(3, 1, 1, 1, {BASE + 3}, 'static', {0x02C03E000002}, 'gate-b', 'plotter', '', 0), "
    f"(4, 1, 1, 1, {BASE + 60}, 'reserved', {0x02C09F000060}, 'desk', 'kiosk', '', 1), "
    f"(5, 1, 1, 1, {BASE + 61}, 'reserved', {0x02C09F000060}, 'desk-b', 'kiosk', '', 1), "
    f"(6, 1, 1, 1, {BASE + 70}, 'static', NULL, 'till-2', '', '', 1)",
    "UPDATE devices SET role = 'server', notes = 'in the attic' WHERE id = 1",
    "INSERT INTO changes (id, at, who, action, kind, item, before, after) VALUES (1, 5, 'keeper', 'set', 'device', '2', "
    """'{"name": "", "owner": ""}', '{"name": "", "owner": "Wardrobe"}')""",
    "UPDATE devices SET owner = 'Wardrobe' WHERE id = 2",
    *(
        f"INSERT INTO stays (segment_id, address, mac, first, last, sightings, sources) VALUES (1, {BASE + last}, {mac}, 1000, 2000, 7, 1)"
        for last, mac in ((254, 0x00005E000107), (254, 0x02C03E000002), (30, 0x02C044000001), (31, 0x02C07D000001))
    ),
    "INSERT INTO findings (kind, key, severity, subjects, evidence, remedy, steps, state, since, first, times, updated) VALUES ('duplicate-address', '5', 'urgent', "
    "'[[\"address\", \"10.44.10.9\"], [\"mac\", \"02:c0:3e:00:00:02\"], [\"mac\", \"02:c0:3e:00:00:03\"]]', '[]', 'x', '[]', 'accepted', 1, 1, 1, 1)",
    "INSERT INTO acceptances (kind, key, reason, who, at) VALUES ('duplicate-address', '5', 'a pair', 'keeper', 1)",
)  # fmt: skip


OVERHEARD = (
    "INSERT INTO segments (id, fingerprint, adapter, subnet, first_seen, last_seen) VALUES (1, 'x', 'office0', '10.44.10.0/24', 1, 1)",
    "INSERT INTO devices (id, version, name, role, owner, place, notes, retired, created_at, seen_name, address, mac, macs, vendor, local, "
    "ports, first_seen, last_seen, sort_name, search) VALUES "
    f"(1, 4, 'ledger', 'storage', '', 'attic', 'two lines', 0, 1, '', {BASE + 12}, 10, 1, '', 0, '[]', 1, 9000, 'ledger', 'ledger'), "
    f"(2, 1, '', '', '', '', '', 0, 1, '', {BASE + 99}, 11, 1, '', 0, '[]', 1, 9000, '', 'x')",
    "INSERT INTO adapters (device_id, mac, first_seen, last_seen) VALUES (1, 10, 1000, 9000), (2, 11, 2000, 9000)",
    "INSERT INTO stays (id, segment_id, address, mac, first, last, sightings, sources, widest, silent_count, silent_first, silent_last, "
    f"reason) VALUES (1, 1, {BASE + 12}, 10, 1000, 5000, 7, 1, 60, 0, 0, 0, 0), (2, 1, {BASE + 13}, 10, 1000, 6000, 7, 33, 60, 0, 0, 0, 0), "
    f"(3, 1, {BASE + 66}, 10, 7000, 7000, 1, 32, 0, 0, 0, 0, 0), (4, 1, {BASE + 99}, 11, 2000, 9000, 3, 32, 0, 0, 0, 0, 0), "
    f"(5, 1, {BASE + 14}, 10, 1000, 3000, 7, 1, 60, 3, 4000, 4500, 1), "
    f"(6, 1, {BASE + 15}, 10, 1000, 3000, 7, 65, 60, 0, 0, 0, 0), (7, 1, {BASE + 16}, 10, 1000, 3000, 7, 64, 60, 0, 0, 0, 0)",
)  # fmt: skip


class Files(StoreCase):
    def of_revision(self, revision: str, statements: Sequence[str]) -> Path:
        """A file as an older version left it."""
        path = self.path.with_name(f"of-{revision}.db")
        config = Config()
        config.set_main_option("script_location", "src/even_roster/store/migrations")
        engine = create_engine(f"sqlite:///{path}")
        with engine.connect() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, revision)
            for statement in statements:
                connection.exec_driver_sql(statement)
            connection.commit()
        engine.dispose()
        return path

    def test_migrations_lead_to_the_tables_of_the_code(self) -> None:
        config = Config()
        config.set_main_option("script_location", "src/even_roster/store/migrations")
        script = ScriptDirectory.from_config(config)
        migrated = create_engine(f"sqlite:///{self.path.with_name('migrated.db')}")
        self.addCleanup(migrated.dispose)
        with migrated.connect() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
            connection.commit()
        fresh = Path(self.enterContext(tempfile.TemporaryDirectory())) / "roster.db"
        Database(fresh).close()
        created = create_engine(f"sqlite:///{fresh}")
        self.addCleanup(created.dispose)
        self.assertEqual(*(self.whole(engine) for engine in (created, migrated)))
        with migrated.connect() as connection:
            context = MigrationContext.configure(connection, opts={"render_as_batch": True})
            self.assertEqual(compare_metadata(context, metadata), [])
            self.assertEqual(context.get_current_revision(), script.get_current_head())
        # What is current is told by the files' names, without loading what migrates.
        names = [Path(one.path).name.partition("_")[0] for one in script.walk_revisions()]
        self.assertEqual(names, [one.revision for one in script.walk_revisions()])
        self.assertEqual(sorted(names, reverse=True), names)

    @staticmethod
    def whole(engine: Engine) -> dict[str, object]:
        """A file: every table with its columns, keys, indexes and rows, in no order."""
        found: dict[str, object] = {}
        looking = inspect(engine)
        with engine.connect() as connection:
            made: dict[str, str] = dict(
                connection.exec_driver_sql("SELECT name, sql FROM sqlite_master").tuples().all()
            )
            for table in looking.get_table_names():
                columns = {(c["name"], str(c["type"]), c["nullable"], c["default"]) for c in looking.get_columns(table)}
                keys = {
                    (tuple(k["constrained_columns"]), k["referred_table"], str(k["options"]))
                    for k in looking.get_foreign_keys(table)
                }
                indexes = {(i["name"], tuple(i["column_names"]), i["unique"]) for i in looking.get_indexes(table)}
                rows = [sorted(row.items()) for row in connection.exec_driver_sql(f"SELECT * FROM {table}").mappings()]
                unique = {tuple(u["column_names"]) for u in looking.get_unique_constraints(table)}
                key = looking.get_pk_constraint(table)["constrained_columns"]
                found[table] = columns, keys, indexes, unique, key, "WITHOUT ROWID" in made[table], rows
        return found

    def test_an_older_roster_keeps_everything_and_learns_what_was_licensed_before(self) -> None:
        """A file of revision 0003: stays, names, acceptances stay; sharers of a virtual router's address become known members."""
        older = Database(self.of_revision("0003", OLDER))
        self.addCleanup(older.close)
        with older.read() as connection:
            kept = [
                tuple(r)
                for r in connection.exec_driver_sql(
                    "SELECT address, mac, first, last, sightings, sources, widest, heard, reason FROM stays ORDER BY id"
                )
            ]
            self.assertEqual(
                kept[0],
                (BASE + 254, 0x00005E000107, 1000, 2000, 7, 1, None, 0, 0),
                "nothing is claimed of the time before",
            )
            self.assertEqual(len(kept), 4)
            self.assertEqual(router_records.members(connection, 1), {BASE + 254: {0x00005E000107, 0x02C03E000002}})
            (accepted,) = finding_records.exceptions(connection).values()
            self.assertEqual(accepted.macs, frozenset({"02:c0:3e:00:00:02", "02:c0:3e:00:00:03"}))
            called = {
                r.id: (r.called, r.called_because, bool(r.vouched))
                for r in connection.exec_driver_sql("SELECT id, called, called_because, vouched FROM devices")
            }
            self.assertEqual(
                called,
                {
                    1: ("Gate", "given by hand", True),
                    2: ("printer-1", "planned hostname", True),
                    3: ("till", "heard", False),
                    4: ("desk", "planned hostname", True),
                    5: ("till-2", "planned hostname", True),
                },
            )
            self.assertEqual(len(list((self.path.parent / "backups").glob("before-migration-0003-*.db"))), 1)
            self.one_record_each(connection)

    def one_record_each(self, connection: Connection) -> None:
        """Every assignment has its device; of two roles the plan's is the device's; what was said otherwise is listed."""
        plan = plan_records.load(connection)
        told = {a.name: (a.device, a.role) for a in plan.assignments.values()}
        self.assertEqual(told, {
            "printer-1": (2, "printer"), "gate-a": (1, "network"), "gate-b": (1, "network"), "desk": (4, "kiosk"),
            "desk-b": (4, "kiosk"), "till-2": (5, ""),
        })  # fmt: skip
        self.assertIn("kiosk", plan.rules, "a role that was in use is one of the site's own")
        gate = device_queries.one(connection, 1)
        assert gate is not None
        self.assertEqual(gate.notes, "in the attic\nrole before it was planned: server\nrole at 10.44.10.3: plotter")
        self.assertEqual(
            [(one.device, one.kind) for one in reversed(review_records.listed(connection))],
            [(1, "role"), (1, "role"), (1, "name"), (1, "name")],
        )
        expected = {row.called: (row.last_seen, row.mac) for row in device_queries.several(connection, [4, 5])}
        self.assertEqual(expected, {"desk": (0, 0x02C09F000060), "till-2": (0, NO_MAC)})

    def test_what_was_overheard_and_silences_of_an_older_roster_become_what_they_are(self) -> None:
        database = Database(self.of_revision("0017", OVERHEARD))
        self.addCleanup(database.close)
        with database.write() as connection:
            complete(connection, vendor_of)
        with database.read() as connection:
            kept = {row.id: row for row in connection.execute(select(stays))}
            self.assertEqual(set(kept), {1, 2, 5, 6, 7}, "stays that were only overheard are none")
            self.assertEqual((kept[1].sources, kept[1].heard), (1, 0), "what answered is as it was")
            self.assertEqual(
                (Source(kept[2].sources), kept[2].heard), (Source.ARP | Source.FOLDED, 6000), "known in outline"
            )
            leased = [Source(kept[number].sources) for number in (6, 7)]
            self.assertEqual(
                leased, [Source.ARP | Source.LEASE | Source.FOLDED, Source.LEASE], "and what leases lengthened"
            )
            heard = {
                (row.mac, row.address - BASE, row.first, row.last) for row in connection.execute(select(heard_only))
            }
            self.assertEqual(heard, {(10, 66, 7000, 7000), (11, 99, 2000, 9000)})
            (silence,) = connection.execute(select(silences)).all()
            self.assertEqual(tuple(silence), (5, 4000, 4500, 3, 3000, 0, 1))
            first, second = device_queries.several(connection, [1, 2])
            self.assertEqual(
                (first.version, first.name, first.role, first.place, first.notes),
                (4, "ledger", "storage", "attic", "two lines"),
            )
            self.assertEqual(
                first.address - BASE, 12, "of those held together the lowest, and none that was only heard"
            )
            self.assertEqual((second.address, second.heard), (NO_ADDRESS, 9000), "it never answered")

    def test_a_file_that_is_no_roster_is_refused_and_left_alone(self) -> None:
        path = self.path.with_name("other.db")
        path.write_bytes(b"this is a text, not a database" * 100)
        with self.assertRaisesRegex(StoreError, "other.db"):
            Database(path)
        self.assertTrue(path.read_bytes().startswith(b"this is a text"))

    def test_a_migration_that_is_cut_off_leaves_the_file_as_it_was_and_is_done_again(self) -> None:
        path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "roster.db"
        Database(path).close()
        with contextlib.closing(sqlite3.connect(path)) as older:
            older.execute("ALTER TABLE leases DROP COLUMN since")
            older.execute("DROP INDEX ix_changes_undoes")
            for table in (
                "roll_calls", "fitting_notes", "fitted", "fittings", "kinds", "roll_standings", "reply_hours", "wake_passwords",
                "switches", "credentials", "switch_ports", "port_words", "port_states", "port_stays", "port_counters", "port_days",
                "told_pairs", "hand_pairs", "link_stays", "hand_links", "map_places", "port_orders", "chases", "heard_only",
                "silences", "looks", "deaf_times", "heartbeat",
            ):  # fmt: skip
                older.execute(f"DROP TABLE {table}")
            for table in ("stays", "adapters", "devices", "findings"):
                older.execute(f"ALTER TABLE {table} DROP COLUMN heard")
            for column in ("count", "first", "last"):
                older.execute(f"ALTER TABLE stays ADD COLUMN silent_{column} BIGINT DEFAULT '0' NOT NULL")
            for column in ("begun", "sheet"):  # and "shown", which is added after them, stands in the way
                older.execute(f"ALTER TABLE dhcp_servers DROP COLUMN {column}")
            older.execute("UPDATE alembic_version SET version_num = '0009'")
            older.commit()
            with self.assertRaisesRegex(StoreError, "shown"):
                Database(path)
            columns = {row[1] for row in older.execute("PRAGMA table_info(dhcp_servers)")}
            self.assertEqual(columns & {"begun", "sheet"}, set(), "nothing of it is left")
            older.execute("ALTER TABLE dhcp_servers DROP COLUMN shown")
            older.commit()
        Database(path).close()

    def test_a_file_of_a_newer_version_is_refused(self) -> None:
        self.database.close()
        with sqlite3.connect(self.path) as connection:
            connection.execute("UPDATE alembic_version SET version_num = '9999'")
        with self.assertRaisesRegex(StoreError, "newer version"):
            Database(self.path)

    def test_a_failed_write_leaves_nothing(self) -> None:
        with self.assertRaises(ZeroDivisionError), self.database.write() as connection:
            take_in(
                connection, self.segment, [Sighting(Address(BASE + 5), MacNumber(5), 1, Source.ARP)], [], {}, vendor_of
            )
            raise ZeroDivisionError
        self.assertEqual(self.addresses(), [])


class Intake(StoreCase):
    def test_new_macs_become_devices_and_known_ones_stay(self) -> None:
        self.assertEqual(len(self.see((10, 0xA), (11, 0xB)).new), 2)
        again = self.see((10, 0xA), (12, 0xC), at=5000)
        self.assertEqual((len(again.devices), len(again.new)), (2, 1))
        self.assertEqual(self.addresses(), [10, 11, 12])

    def test_a_device_shows_where_it_is_now_and_keeps_where_it_was(self) -> None:
        (device,) = self.see((10, 0xA), at=1000).new
        self.see((20, 0xA), at=200_000)
        self.assertEqual(self.row(device).address, BASE + 20)
        with self.database.read() as connection:
            held = [stay.address - BASE for stay in device_queries.stays_of(connection, [MacNumber(0xA)])]
        self.assertEqual(held, [20, 10])

    def test_a_device_with_two_addresses_does_not_flicker_between_them(self) -> None:
        (device,) = self.see((254, 0xA), (2, 0xA), at=1000).new
        self.see((254, 0xA), at=31_000)
        self.assertEqual(self.row(device).address, BASE + 2)

    def test_names_and_vendor_are_heard_but_never_overwrite_what_people_said(self) -> None:
        mac = 0x02C044000001
        (device,) = self.see((10, mac), names={mac: "printer-1.larkspur.example"}).new
        with self.database.write() as connection:
            connection.execute(update(devices).where(devices.c.id == device).values(name="Box office printer"))
        self.see((10, mac), at=9000, names={mac: "other.larkspur.example"})
        row = self.row(device)
        self.assertEqual(
            (row.name, row.vendor, row.seen_name),
            ("Box office printer", "Quillmark Printing", "other.larkspur.example"),
        )

    def test_a_device_without_an_address_is_a_device_all_the_same(self) -> None:
        with self.database.write() as connection:
            taken = take_in(
                connection, self.segment, [Sighting(Address(0), MacNumber(0xF), 1, Source.ARP)], [], {}, vendor_of
            )
            self.assertEqual(device_queries.stays_of(connection, [MacNumber(0xF)]), [])
        self.assertEqual(len(taken.new), 1)

    def test_what_was_only_overheard_makes_no_device_no_stay_and_moves_nobody(self) -> None:
        mac, stranger, at = 0x02C044000001, MacNumber(0x02C066000066), 1_000_000
        (device,) = self.see((10, mac), at=at).new

        def heard(*pairs: tuple[int, int]) -> list[int]:
            sightings = [
                Sighting(Address(BASE + last), MacNumber(one), at + 60_000, Source.OVERHEARD) for last, one in pairs
            ]
            with self.database.write() as connection:
                return take_in(connection, self.segment, sightings, [], {}, vendor_of).new

        self.assertEqual(heard((10, mac), (66, mac), (10, stranger), (67, stranger)), [])
        with self.database.read() as connection:
            (stay,) = device_queries.stays_of(connection, [MacNumber(mac), stranger])
        self.assertEqual(
            (stay.address, stay.first, stay.last, stay.heard),
            (BASE + 10, at, at, at + 60_000),
            "it is no longer for that, and when it was heard stands beside",
        )
        self.assertEqual(
            (self.row(device).address, self.row(device).last_seen, self.row(device).heard), (BASE + 10, at, at + 60_000)
        )
        self.see((66, mac), at=at + 120_000)
        with self.database.read() as connection:
            places = {one.address for one in device_queries.stays_of(connection, [MacNumber(mac)])}
        self.assertEqual(places, {BASE + 10, BASE + 66}, "an answer is another thing")


class History(StoreCase):
    DAY = 24 * 3600 * 1000

    def test_compaction_keeps_first_and_last_of_every_pair_and_says_that_it_folded(self) -> None:
        for month in range(6):
            self.see((20, 0x02C044000001), at=month * 30 * self.DAY + 1)
        self.see((21, 0x02C044000002), at=5)
        with self.database.write() as connection:
            before = connection.execute(select(stays)).all()
            dropped, _ = history_queries.compact(connection, 4 * 30 * self.DAY)
            after = connection.execute(select(stays).order_by(stays.c.address, stays.c.first)).all()
        self.assertEqual((len(before), dropped, len(after)), (7, 3, 4))
        self.assertEqual([(s.first, s.last) for s in after[:3]], [
            (1, 3 * 30 * self.DAY + 1), (4 * 30 * self.DAY + 1,) * 2, (5 * 30 * self.DAY + 1,) * 2,
        ])  # fmt: skip
        self.assertEqual(sum(s.sightings for s in after), 7, "no sighting is lost")
        self.assertEqual([bool(Source(s.sources) & Source.FOLDED) for s in after], [True, False, False, False])
        with self.database.write() as connection:
            self.assertEqual(history_queries.compact(connection, 4 * 30 * self.DAY)[0], 0, "twice is once")

    def test_moments_and_what_lies_beside_them(self) -> None:
        self.see((20, 0x02C044000001), at=1000)
        self.see((20, 0x02C044000001), at=5000)
        self.see((20, 0x02C044000002), at=40 * self.DAY)
        with self.database.read() as connection:
            place = history_queries.of_span(HERE, BASE + 20, BASE + 20)
            before, after = history_queries.beside(connection, place, 20 * self.DAY)
            assert before is not None and after is not None
            self.assertEqual((before.mac, after.mac), (0x02C044000001, 0x02C044000002))
            where = history_queries.of_span(HERE, BASE, BASE + 255)
            self.assertEqual(history_queries.span(connection, where, 4, 80 * self.DAY), (1000, [1, 1, 0, 0]))

    def test_quiet_hours_may_run_over_midnight(self) -> None:
        night = Watch(1, quiet_first=22 * 60, quiet_last=6 * 60)
        self.assertEqual([night.quiet(h * 60) for h in (21, 22, 0, 5, 6, 12)], [False, True, True, True, False, False])
        noon = Watch(1, quiet_first=12 * 60, quiet_last=13 * 60)
        self.assertEqual([noon.quiet(h * 60) for h in (11, 12, 13)], [False, True, False])
        self.assertFalse(Watch(1).quiet(0))


class BothFamilies(StoreCase):
    """IPv6 is not asked for yet, but nothing in the records stands in its way."""

    SIX = tuple(address_of(IPv6Address(text)) for text in ("2001:db8::1", "2001:db8::ff", "fe80::1", "ffff::"))

    def setUp(self) -> None:
        super().setUp()
        self.four = [Address(BASE + 1), Address(BASE + 9), Address(0xFFFFFFFF)]
        seen = [
            Sighting(address, MacNumber(0xA0 + n), 1000 + n, Source.ARP)
            for n, address in enumerate((*self.SIX, *self.four))
        ]
        with self.database.write() as connection:
            take_in(
                connection,
                self.segment,
                [*seen, Sighting(Address(0), MacNumber(0xFF), 1, Source.ARP)],
                [],
                {},
                vendor_of,
            )

    def held(self, condition: Any) -> list[int]:
        with self.database.read() as connection:
            return list(
                connection.execute(select(stays.c.address).where(condition).order_by(stays.c.address)).scalars()
            )

    def test_one_column_holds_sorts_and_ranges_over_both(self) -> None:
        self.assertEqual(self.held(true()), [*self.four, *self.SIX])
        first, last = (address_of(IPv6Address(text)) for text in ("2001:db8::", "2001:db8::ffff"))
        self.assertEqual(self.held(stays.c.address.between(first, last)), [*self.SIX[:2]])
        self.assertEqual(self.held(stays.c.address.between(BASE, BASE + 255)), self.four[:2])
        self.assertEqual(self.held(stays.c.address > LAST_IPV4), [*self.SIX])
        wanted = [self.SIX[2], self.four[1], address_of(IPv6Address("::1:0:0:9"))]
        self.assertEqual(self.held(in_list(stays.c.address, wanted)), [self.four[1], self.SIX[2]])
        self.assertEqual(self.held(in_list(stays.c.address, self.SIX)), [*self.SIX])

    def test_a_range_of_ipv6_is_read_from_the_index(self) -> None:
        query = select(stays.c.address).where(stays.c.address.between(self.SIX[0], self.SIX[1]))
        with self.database.read() as connection:
            compiled = query.compile(connection, compile_kwargs={"literal_binds": False})
            values = [stored(self.SIX[0]), stored(self.SIX[1])]
            plan = connection.exec_driver_sql(f"EXPLAIN QUERY PLAN {compiled}", tuple(values)).all()
        self.assertIn("INDEX ix_stays_address (address>? AND address<?)", str(plan))

    def test_lists_of_devices_go_on_over_both_and_end_with_those_without_an_address(self) -> None:
        shown: list[int] = []
        cursor = None
        while True:
            with self.database.read() as connection:
                page = device_queries.page(connection, DeviceFilter(), "address", False, cursor, 3)
            shown += [row.address for row in page.rows]
            if (cursor := page.next) is None:
                break
        self.assertEqual(shown, [*self.four, *self.SIX, NO_ADDRESS])


class Lists(StoreCase):
    def setUp(self) -> None:
        super().setUp()
        self.count = 230
        source = random.Random(5)
        octets = list(range(1, self.count + 1))
        source.shuffle(octets)
        self.see(
            *((octet, 0x02C044000000 + i) for i, octet in enumerate(octets)),
            names={0x02C044000000 + 7: "Wardrobe-PC.larkspur.example"},
        )

    def test_pages_give_every_device_once_in_every_order(self) -> None:
        for sort in device_queries.SORTS:
            for descending in (False, True):
                with self.subTest(sort=sort, descending=descending), self.database.read() as connection:
                    seen, cursor = [], None
                    while True:
                        page = device_queries.page(connection, DeviceFilter(), sort, descending, cursor, 37)
                        seen += [row.id for row in page.rows]
                        if (cursor := page.next) is None:
                            break
                    self.assertEqual((len(seen), len(set(seen))), (self.count, self.count))
                    by_place = device_queries.at_position(connection, DeviceFilter(), sort, descending, 100, 20)
                    self.assertEqual([row.id for row in by_place], seen[100:120])

    def test_a_cursor_of_another_order_or_of_nobody_is_refused(self) -> None:
        with self.database.read() as connection:
            cursor = device_queries.page(connection, DeviceFilter(), "name", False, None, 5).next
            for wrong in (cursor, "nonsense", "", "eyJ4IjoxfQ"):
                with self.subTest(wrong), self.assertRaises(CursorError):
                    device_queries.page(connection, DeviceFilter(), "mac", False, wrong, 5)

    def test_search_finds_fragments_of_everything(self) -> None:
        for text, count in (
            ("wardrobe", 1),
            ("QUILLMARK", 230),
            ("02-C0-44-00-00-07", 1),
            ("10.44.10.77", 1),
            ("wardrobe quillmark", 1),
            ("100%", 0),
            ("_", 0),
        ):
            with self.subTest(text), self.database.read() as connection:
                self.assertEqual(device_queries.count(connection, DeviceFilter(text=text)), count)

    def test_filters_narrow(self) -> None:
        spans = ((BASE + 10, BASE + 19), (BASE + 50, BASE + 50))
        self.assertEqual(self.addresses(DeviceFilter(spans=spans)), [*range(10, 20), 50])
        self.assertEqual(self.addresses(DeviceFilter(unknown=False)), [])


class Documents(StoreCase):
    def test_whatever_json_was_stored_is_read(self) -> None:
        for told in ({"name": "\ud800 half"}, [1 << 70, 1e300, None, True, "ü\u2028"], {}, [], "text"):
            with self.database.write() as connection:
                values = {"at": 1, "who": "x", "action": "set", "kind": "x", "item": "x", "before": told, "after": None}
                connection.execute(insert(changes), values)
                (last,) = change_queries.latest(connection, 1, None, None)
            self.assertEqual(last.before, told)


class Findings(StoreCase):
    def test_pages_give_every_finding_once_what_needs_attention_first(self) -> None:
        source = random.Random(7)
        turned = []
        for number in range(300):
            state = source.choice(list(State))
            finding = Finding(
                source.choice(["missing", "duplicate-address"]), str(number), source.choice(list(Severity)),
                (Subject(About.ADDRESS, f"10.44.10.{number % 9}"),), (), "", (), state, source.randrange(40), 1,
            )  # fmt: skip
            turned.append(Turned(Turn.OPENED, finding))
        with self.database.write() as connection:
            finding_records.save(connection, turned)
        order = [State.OPEN, State.ACCEPTED, State.CLOSED]
        for states, kind, subject in (
            (["open", "accepted", "closed"], None, None),
            (["closed"], "missing", None),
            (["open", "accepted"], None, "10.44.10.4"),
        ):
            wanted = [
                one.finding for one in turned
                if one.finding.state in states and kind in (None, one.finding.kind)
                and subject in (None, one.finding.subjects[0].value)
            ]  # fmt: skip
            wanted.sort(key=lambda one: (order.index(one.state), one.severity.rank, -one.since, int(one.key)))
            seen: list[str] = []
            place = None
            with self.subTest(states=states, kind=kind, subject=subject), self.database.read() as connection:
                while True:
                    rows, total = finding_records.listed(connection, states, kind, subject, place, 7)
                    self.assertEqual(total, len(wanted))
                    if not rows:
                        break
                    seen += [row.key for row in rows]
                    place = finding_records.place(rows[-1])
                self.assertEqual(seen, [one.key for one in wanted])
                self.assertGreater(len(seen), 14)


class Scans(StoreCase):
    def test_a_scan_that_was_running_at_a_crash_is_interrupted_and_keeps_its_results(self) -> None:
        with self.database.write() as connection:
            scan = scan_records.begin(
                connection, segment_id=self.segment, door="packet", adapter="office0", targets="10.44.10.0/24", total=254,
                options={}, started=5, who="test",
            )  # fmt: skip
            rows = [
                ResultRow(Address(BASE + n), 1, [MacNumber(n)], [Name("a", NameSource.DNS)], [80], 0.5, 0.6, n == 9)
                for n in range(1, 10)
            ]
            scan_records.add_results(connection, scan, rows)
            scan_records.add_results(connection, scan, rows[:3])
            self.assertEqual(scan_records.mark_interrupted(connection, 99), 1)
            record = scan_records.one(connection, scan)
            assert record is not None
            self.assertEqual((record.state, record.ended, record.answered), ("interrupted", 99, 8))
            self.assertEqual(len(scan_records.results(connection, scan, -1, 100)), 9)

    def test_ranges_are_remembered_once(self) -> None:
        with self.database.write() as connection:
            office = scan_records.remember(connection, self.segment, "10.44.10.0/24", 1)
            self.assertEqual(scan_records.remember(connection, self.segment, "10.44.10.0/24", 2), office)
            part = scan_records.remember(connection, self.segment, "10.44.10.20-60", 3)
        self.assertNotEqual(part, office)

    def test_expected_addresses_are_those_held_lately_on_this_segment(self) -> None:
        self.see((10, 0xA), at=1000)
        self.see((11, 0xB), at=9000)
        from even_roster.core.ranges import parse

        with self.database.read() as connection:
            found = list(scan_records.expected_addresses(connection, self.segment, parse("10.44.10.0/24"), 5000))
        self.assertEqual(found, [BASE + 11])


if __name__ == "__main__":
    unittest.main()
