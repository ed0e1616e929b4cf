"""What is known of addresses and MACs by having seen them, read from rows that are put there one by one."""

from __future__ import annotations

import tempfile
import unittest
from ipaddress import IPv4Address
from pathlib import Path

from sqlalchemy import insert

from even_roster.core.address import Address
from even_roster.core.mac import MacNumber
from even_roster.store import seen_records
from even_roster.store.database import Database
from even_roster.store.tables import adapters, devices, name_stays, segments, sites, stays

BESIDE = "anything"

A, B = MacNumber(0x02C010000001), MacNumber(0x02C010000002)
HERE, ANNEX = 1, 2
DAY = 86_400_000
DESK = Address(int(IPv4Address("10.44.10.20")))
TILL = Address(int(IPv4Address("10.44.10.21")))


class Seen(unittest.TestCase):
    """Two sites with the same addresses; the segment of the one here was told no site."""

    def setUp(self) -> None:
        self.database = Database(Path(self.enterContext(tempfile.TemporaryDirectory())) / "roster.db")
        self.addCleanup(self.database.close)
        with self.database.write() as connection:
            connection.execute(insert(sites).values(id=ANNEX, version=1, name="Annex", here=False, notes=""))
            for identity, site in ((1, None), (2, ANNEX)):
                connection.execute(insert(segments).values(
                    id=identity, fingerprint=str(identity), adapter="office0", subnet="10.44.10.0/24", first_seen=1, last_seen=1,
                    site_id=site,
                ))  # fmt: skip

    def stay(self, segment: int, address: Address, mac: MacNumber | None, last: int) -> None:
        with self.database.write() as connection:
            connection.execute(insert(stays).values(
                segment_id=segment, address=address, mac=mac, first=1, last=last, sightings=1, sources=1,
            ))  # fmt: skip

    def device(
        self, identity: int, mac: MacNumber, called: str, address: Address, last: int, role: str = "printer"
    ) -> None:
        with self.database.write() as connection:
            connection.execute(insert(devices).values(
                id=identity, created_at=1, called=called, role=role, address=address, mac=mac, first_seen=1, last_seen=last,
            ))  # fmt: skip
            connection.execute(insert(adapters).values(device_id=identity, mac=mac, first_seen=1, last_seen=last))

    def test_the_last_of_several_stays_counts_at_each_site_of_its_own(self) -> None:
        for segment, mac, last in ((1, A, 5 * DAY), (1, B, 3 * DAY), (2, A, 9 * DAY)):
            self.stay(segment, DESK, mac, last)
        self.stay(1, TILL, None, 2 * DAY)
        with self.database.read() as connection:
            found = seen_records.last_seen_by_site(connection)
        self.assertEqual(found, {HERE: {DESK: 5 * DAY, TILL: 2 * DAY}, ANNEX: {DESK: 9 * DAY}})

    def test_who_held_an_address_last_is_who_was_seen_there_last(self) -> None:
        self.device(7, B, "desk-7", DESK, 6 * DAY)
        for segment, mac, last in ((1, B, 6 * DAY), (1, A, 4 * DAY), (2, A, 9 * DAY)):
            self.stay(segment, DESK, mac, last)
        with self.database.read() as connection:
            here = seen_records.last_holders(connection, HERE, [DESK, TILL])
            there = seen_records.last_holders(connection, ANNEX, [DESK])
        self.assertEqual({a: (one.at, one.mac, one.name) for a, one in here.items()}, {DESK: (6 * DAY, B, "desk-7")})
        self.assertEqual({a: (one.at, one.mac, one.name) for a, one in there.items()}, {DESK: (9 * DAY, A, "")})

    def test_places_of_a_mac_come_with_the_latest_first(self) -> None:
        for address, last in ((DESK, 4 * DAY), (TILL, 8 * DAY), (DESK, 6 * DAY)):
            self.stay(1, address, A, last)
        with self.database.read() as connection:
            found = seen_records.places_of(connection, [A, B])
        self.assertEqual(
            {mac: [(a, one.at) for a, one in places] for mac, places in found.items()},
            {A: [(TILL, 8 * DAY), (DESK, 6 * DAY)]},
        )

    def test_names_are_those_that_dns_gave_since_a_time(self) -> None:
        rows = (("desk", "dns", 4 * DAY), ("old", "dns", 4 * DAY - 1), ("desk-7.local", "mdns", 9 * DAY))
        with self.database.write() as connection:
            for name, source, last in rows:
                connection.execute(insert(name_stays).values(
                    address=DESK, mac=A, name=name, key=name, source=source, first=1, last=last,
                ))  # fmt: skip
        with self.database.read() as connection:
            self.assertEqual(seen_records.names_for(connection, [DESK, TILL], 4 * DAY), {DESK: ["desk"]})

    def test_what_is_known_of_a_mac_says_when_it_was_seen_and_where_only_if_it_was(self) -> None:
        self.device(7, A, "desk-7", DESK, 6 * DAY)
        self.device(8, B, "entered", TILL, 0)
        with self.database.read() as connection:
            found = seen_records.known_macs(connection, [A, B, MacNumber(0x02C010000009)])
            self.assertEqual(seen_records.known_macs(connection, []), {})
        self.assertEqual(found[A], seen_records.KnownAs(7, "desk-7", "printer", 6 * DAY, DESK))
        self.assertEqual(found[B], seen_records.KnownAs(8, "entered", "printer", 0, None))
        self.assertEqual(len(found), 2)

    def test_devices_in_pools_are_those_of_the_roles_that_were_seen(self) -> None:
        self.device(7, A, "printer-7", DESK, 6 * DAY)
        self.device(8, B, "never seen", TILL, 0)
        with self.database.read() as connection:
            for spans, roles, ids in (
                ([(DESK, DESK)], ["printer"], [7]), ([(DESK, TILL)], ["printer", "phone"], [7]), ([(TILL, TILL)], ["printer"], []),
                ([(DESK, TILL)], ["phone"], []), ([], ["printer"], []), ([(DESK, TILL)], [], []),
            ):  # fmt: skip
                found = seen_records.in_pools(connection, [(int(a), int(b)) for a, b in spans], roles)
                self.assertEqual([one.device for one in found], ids, (spans, roles))


if __name__ == "__main__":
    unittest.main()
