"""What was true when, asked of thousands of random stays and compared with a plain walk over all of them."""

from __future__ import annotations

import random
import tempfile
import unittest
from collections import defaultdict
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import insert, select

from even_roster.core.address import Address
from even_roster.core.mac import MacNumber
from even_roster.core.stays import Source
from even_roster.store import history_queries, scan_records
from even_roster.store.database import Database
from even_roster.store.scan_records import SegmentSeen
from even_roster.store.tables import stays

BESIDE = "anything"

HOUR = 3_600_000
DAY = 24 * HOUR
BASE = 0x0A2C0A00
HERE = 1
MACS = [MacNumber(0x02C010000000 + n) for n in range(12)]
SOURCES = [int(Source.ARP), int(Source.OVERHEARD), int(Source.LEASE), int(Source.ARP | Source.ECHO)]


@dataclass(frozen=True)
class Stay:
    address: int
    mac: MacNumber | None
    first: int
    last: int
    sightings: int
    sources: int


class Truth(unittest.TestCase):
    def setUp(self) -> None:
        folder = self.enterContext(tempfile.TemporaryDirectory())
        self.database = Database(Path(folder) / "roster.db")
        self.addCleanup(self.database.close)
        self.chance = random.Random(1964)
        self.all = [self.stay() for _ in range(3000)]
        with self.database.write() as connection:
            segment = scan_records.segment_id(connection, SegmentSeen("office0", "10.44.10.0/24", Address(BASE + 1)), 1)
            connection.execute(insert(stays), [{"segment_id": segment, **vars(one)} for one in self.all])

    def stay(self) -> Stay:
        first = self.chance.randrange(400 * DAY)
        mac = self.chance.choice([*MACS, None])
        return Stay(
            BASE + self.chance.randrange(1, 41), mac, first, first + self.chance.randrange(1, 6 * HOUR),
            self.chance.randrange(1, 50), self.chance.choice(SOURCES),
        )  # fmt: skip

    def moments(self) -> list[int]:
        """Random moments, and the very edges of some stays."""
        edges = [edge for one in self.chance.sample(self.all, 40) for edge in (one.first, one.last, one.last + 1)]
        return [*edges, *(self.chance.randrange(410 * DAY) for _ in range(60))]

    def test_the_stays_around_a_moment(self) -> None:
        with self.database.read() as connection:
            for moment in self.moments():
                address = Address(BASE + self.chance.randrange(1, 41))
                rows = history_queries.near(connection, history_queries.of_span(HERE, address, address), moment, 500)
                self.assertCountEqual(
                    [(r.mac, r.first) for r in rows], [(o.mac, o.first) for o in self.all if o.address == address]
                )
                (next_one, *_) = [*(r.first for r in rows if r.first > moment), None]
                self.assertEqual(
                    next_one,
                    min((o.first for o in self.all if o.address == address and o.first > moment), default=None),
                )
                macs = self.chance.sample(MACS, 3)
                found = history_queries.near(connection, history_queries.of_any(macs), moment, 5000)
                self.assertCountEqual(
                    [(r.address, r.mac, r.first) for r in found],
                    [(o.address, o.mac, o.first) for o in self.all if o.mac in macs],
                )

    def test_everybody_of_a_span_around_a_moment(self) -> None:
        reach = 2 * HOUR
        with self.database.read() as connection:
            for moment in self.moments():
                first, last = BASE + self.chance.randrange(1, 20), BASE + self.chance.randrange(20, 41)
                there = [
                    o for o in self.all
                    if first <= o.address <= last and o.first - reach <= moment <= o.last + reach
                ]  # fmt: skip
                rows = history_queries.around(connection, HERE, first, last, moment, reach)
                self.assertCountEqual(
                    [(r.address, r.mac, r.first) for r in rows], [(o.address, o.mac, o.first) for o in there]
                )

    def test_the_nearest_before_and_after(self) -> None:
        with self.database.read() as connection:
            for moment in self.moments():
                address = BASE + self.chance.randrange(1, 41)
                mine = [o for o in self.all if o.address == address]
                before, after = history_queries.beside(
                    connection, history_queries.of_span(HERE, address, address), moment
                )
                self.assertEqual(
                    before.last if before else None, max((o.last for o in mine if o.last < moment), default=None)
                )
                self.assertEqual(
                    after.first if after else None, min((o.first for o in mine if o.first > moment), default=None)
                )

    def test_a_stretch_of_time_touches_what_it_touches_the_latest_first(self) -> None:
        with self.database.read() as connection:
            for moment in self.moments()[:40]:
                until = moment + self.chance.randrange(30 * DAY)
                rows = history_queries.of_addresses(connection, HERE, BASE + 5, BASE + 9, moment, until, 10_000)
                wanted = [
                    o for o in self.all if BASE + 5 <= o.address <= BASE + 9 and o.last >= moment and o.first <= until
                ]
                self.assertEqual([r.last for r in rows], sorted((o.last for o in wanted), reverse=True))
                few = history_queries.of_addresses(connection, HERE, BASE + 5, BASE + 9, moment, until, 3)
                self.assertEqual([r.id for r in few], [r.id for r in rows][:3], "a limit leaves out the oldest")

    def test_how_far_records_reach_and_when_stays_began(self) -> None:
        with self.database.read() as connection:
            where = history_queries.of_span(HERE, BASE + 1, BASE + 40)
            began, begun = history_queries.span(connection, where, 50, 410 * DAY)
        self.assertEqual(began, min(o.first for o in self.all))
        self.assertEqual(sum(begun), len(self.all), "every stay is in one of the parts")
        size = (410 * DAY - began) // 50
        for part in self.chance.sample(range(50), 10):
            inside = sum(1 for o in self.all if min((o.first - began) // size, 49) == part)
            self.assertEqual(begun[part], inside)

    def test_compaction_loses_no_pair_no_first_no_last_no_sighting_no_source_and_nothing_young(self) -> None:
        before = 200 * DAY
        dropped, slices, more = 0, 0, True
        while more:
            with self.database.write() as connection:
                gone, more = history_queries.compact(connection, before, 37)
            dropped, slices = dropped + gone, slices + 1
        self.assertGreater(slices, 10)
        with self.database.read() as connection:
            rows = list(connection.execute(select(stays)))
        self.assertEqual(len(rows), len(self.all) - dropped)
        self.assertGreater(dropped, 500)
        old, kept = defaultdict(list), defaultdict(list)
        for one in self.all:
            if one.last < before:
                old[one.address, one.mac].append(one)
        for row in rows:
            if row.last < before:
                kept[row.address, row.mac].append(row)
        self.assertEqual(old.keys(), kept.keys())
        for pair, were in old.items():
            (row,) = kept[pair]
            self.assertEqual((row.first, row.last), (min(o.first for o in were), max(o.last for o in were)))
            self.assertEqual(row.sightings, sum(o.sightings for o in were))
            sources = 0
            for one in were:
                sources |= one.sources
            folded = int(Source.FOLDED) if len(were) > 1 else 0
            self.assertEqual(row.sources, sources | folded, "by what it was ever seen, and that it was folded")
        young = {(o.address, o.mac, o.first, o.last, o.sightings, o.sources) for o in self.all if o.last >= before}
        self.assertEqual(
            {(r.address, r.mac, r.first, r.last, r.sightings, r.sources) for r in rows if r.last >= before}, young
        )


if __name__ == "__main__":
    unittest.main()
