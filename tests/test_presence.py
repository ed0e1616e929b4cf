"""What is known over a stretch of time: of a pair, of a device with several, and as a share of it."""

from __future__ import annotations

import random
import unittest
from ipaddress import IPv4Address, IPv4Network
from itertools import pairwise
from typing import cast

from even_roster.core.absence import Reason
from even_roster.core.address import Address, ipv4
from even_roster.core.findings import hearing, rounds
from even_roster.core.findings.facts import Link
from even_roster.core.findings.world import World
from even_roster.core.mac import MacNumber
from even_roster.core.past.looks import Kind, Series
from even_roster.core.past.pair import Pair, Piece, Presence, presence, together
from even_roster.core.past.rule import PROBABLE, Against, Known, Run
from even_roster.core.plan.model import Plan
from even_roster.core.plan.proof import Grade, Proof
from even_roster.core.span import SpanSet
from even_roster.core.stays import Source, Stay
from even_roster.service.context import now_ms
from even_roster.service.knowing import moments
from even_roster.service.plan import proving
from tests.support.days import days, hall, prepared
from tests.support.drawing import given, st

BESIDE = "anything"

MINUTE = 60_000
HOUR = 60 * MINUTE
PLACE, ELSEWHERE, MAC, OTHER = ipv4("10.44.10.30"), ipv4("10.44.10.31"), MacNumber(0x02C044000026), MacNumber(1)
SPAN = SpanSet(((PLACE, ELSEWHERE),))


def stay(identity: int, first: int, last: int, widest: int = 5 * MINUTE, sources: Source = Source.ARP) -> Stay:
    return Stay(identity, PLACE, MAC, first, last, 2, sources, widest)


def looked(first: int, began: int, every: int, kind: Kind = Kind.SCAN) -> Series:
    count = 1 + (began > first)
    return Series(1, kind, Source.ARP, "office0", SPAN, first, began, began + 1000, count, every if count > 1 else 0)


def known(pieces: list[Piece]) -> list[tuple[int, int, Known]]:
    return [(piece.first // MINUTE, piece.last // MINUTE, piece.known) for piece in pieces]


class Course(unittest.TestCase):
    def test_there_silent_and_unknown_follow_each_other(self) -> None:
        off = Run(130 * MINUTE, 160 * MINUTE, 4, 120 * MINUTE, 200 * MINUTE)
        pair = Pair(PLACE, [stay(1, 10 * MINUTE, 300 * MINUTE)], {1: [off]})
        self.assertEqual(
            known(pair.course(0, 500 * MINUTE)),
            [
                (10, 120, Known.PROBABLY),
                (120, 130, Known.UNKNOWN),
                (130, 160, Known.SILENT),
                (160, 200, Known.UNKNOWN),
                (200, 300 + PROBABLE // MINUTE, Known.PROBABLY),
                (300 + PROBABLE // MINUTE, 500, Known.UNKNOWN),
            ],
        )

    def test_one_that_is_gone_is_silent_for_as_long_as_it_is_asked(self) -> None:
        gone = Run(130 * MINUTE, 160 * MINUTE, 4, 120 * MINUTE, reason=1)
        pair = Pair(PLACE, [stay(1, 0, 120 * MINUTE)], {1: [gone]}, asked=[looked(0, 4000 * MINUTE, 10 * MINUTE)])
        found = presence(pair.course(0, 5000 * MINUTE), 0, 5000 * MINUTE)
        self.assertEqual((found.there, found.silent // MINUTE), (120 * MINUTE, 4000 - 130))
        self.assertAlmostEqual(found.share(HOUR) or 0, 120 / (120 + 3870))
        self.assertAlmostEqual(found.known, (120 + 3870) / 5000)

    def test_a_device_that_moved_is_there_and_what_is_known_of_one_that_is_off_is_told_by_its_last_place(self) -> None:
        moved = Run(110 * MINUTE, 110 * MINUTE, 1, 100 * MINUTE, reason=3)
        before = Pair(PLACE, [stay(1, 0, 100 * MINUTE)], {1: [moved]})
        off = Run(160 * MINUTE, 240 * MINUTE, 9, 150 * MINUTE)
        after = Pair(ELSEWHERE, [stay(2, 105 * MINUTE, 150 * MINUTE)], {2: [off]})
        for order in ([before, after], [after, before]):
            self.assertEqual(
                known(together(order, 0, 240 * MINUTE)),
                [
                    (0, 100, Known.PROBABLY),
                    (100, 105, Known.UNKNOWN),
                    (105, 150, Known.PROBABLY),
                    (150, 160, Known.UNKNOWN),
                    (160, 240, Known.SILENT),
                ],
            )

    def test_a_share_is_of_what_is_known_since_it_answered_first(self) -> None:
        course = [Piece(10 * HOUR, 40 * HOUR, Known.PROBABLY), Piece(40 * HOUR, 50 * HOUR, Known.SILENT)]
        found = presence([*course, Piece(50 * HOUR, 90 * HOUR, Known.UNKNOWN)], 0, 90 * HOUR)
        self.assertEqual((found.share(HOUR), found.known), (0.75, 0.5))
        self.assertEqual(presence(course, 39 * HOUR, 50 * HOUR).share(HOUR), 1 / 11)
        self.assertIsNone(Presence(0, 0, HOUR).share(0), "nothing is known")
        self.assertIsNone(Presence(HOUR - 1, 0, HOUR).share(HOUR), "less than an hour says nothing")
        self.assertEqual(Presence(0, 2 * HOUR, 2 * HOUR).share(HOUR), 0.0)

    @given(
        st.lists(
            st.tuples(st.integers(1, 200), st.integers(0, 200), st.booleans(), st.booleans()), min_size=1, max_size=5
        ),
        st.lists(st.tuples(st.integers(0, 900), st.integers(0, 400), st.sampled_from(list(Kind))), max_size=4),
        st.lists(st.integers(0, 1200), max_size=2),
        st.lists(st.integers(0, 1400 * MINUTE), min_size=8, max_size=8),
    )
    def test_it_says_at_every_moment_what_the_rule_says(
        self, drawn: list[tuple[int, int, bool, bool]], series: list[tuple[int, int, Kind]], rivals: list[int],
        moments: list[int],
    ) -> None:  # fmt: skip
        at, stays, runs = 0, list[Stay](), dict[int, list[Run]]()
        for number, (gap, length, silent, back) in enumerate(drawn, start=1):
            first, last = (at + gap) * MINUTE, (at + gap + length) * MINUTE
            at += gap + length
            if silent:
                asked = last + (7 if not back else -length // 2) * MINUTE
                before = min(asked - MINUTE, last)
                run = Run(asked, asked + MINUTE, 2, max(before, first), last if back and asked + MINUTE < last else 0)
                if run.before < run.first and (run.after or asked > last):
                    runs[number] = [run]
            stays.append(stay(number, first, last, sources=Source.ARP | (Source.FOLDED if length == 13 else Source(0))))
        pair = Pair(
            PLACE, stays, runs, [Against(rival * MINUTE, mac=OTHER) for rival in rivals],
            [looked(first * MINUTE, (first + more) * MINUTE, 9 * MINUTE, kind) for first, more, kind in series],
        )  # fmt: skip
        course = pair.course(0, 1400 * MINUTE)
        for one, following in pairwise(course):
            self.assertEqual(one.last, following.first, "without a gap")
        ends = {end for piece in course for end in (piece.first, piece.last)} | {one.first for one in stays}
        for moment in moments:
            if any(abs(moment - end) <= 1 for end in ends | {one.last for one in stays}):
                continue
            then = pair.at(moment)
            told = next((piece.known for piece in course if piece.first < moment < piece.last), None)
            self.assertEqual(told, then.known if then is not None else None, moment)


class OneApiece(unittest.TestCase):
    def test_where_one_mac_of_an_address_is_told_the_other_was_not_silent(self) -> None:
        for one_apiece in (False, True):
            made = World(Plan(), 1, lambda mac: False)
            made.links["office0"] = Link("office0", (IPv4Network("10.44.10.0/24"),))
            for mac in (MAC, OTHER):
                made.saw(PLACE, mac, HOUR, Source.ARP, "office0")
            made.saw(PLACE, MAC, 2 * HOUR, Source.NEIGHBOUR, "office0")
            made.looked(SPAN, 2 * HOUR, one_apiece=one_apiece)
            silent = made.holders[PLACE][OTHER].silence
            self.assertEqual(silent.reason, Reason.NONE if one_apiece else Reason.GAVE_WAY)
            for macs in ((MAC,), ()):
                rounds.over(made, PLACE, macs, 3 * HOUR, "office0", controlled=True, by=Source.NEIGHBOUR)
                count = made.holders[PLACE][OTHER].silence.count
                self.assertEqual(count, 1 if not one_apiece or not macs else 0)


class SleepingPhones(unittest.TestCase):
    def test_two_thousand_that_wake_every_ten_minutes_are_asked_while_they_are_awake(self) -> None:
        """Each speaks when it wakes and answers for five seconds; light checks every five minutes find most of them silent."""
        second, count, cycle, awake = 1000, 2000, 600, 5
        network = IPv4Network("10.44.32.0/20")
        phones = [(Address(int(network[10]) + n), MacNumber(0x02C061000000 + n)) for n in range(count)]
        wakes = random.Random(28)
        phase = [wakes.randrange(cycle) for _ in phones]
        made = World(Plan(), 1, lambda mac: False)
        made.links["hall0"] = Link("hall0", (network,))
        for address, mac in phones:
            made.saw(address, mac, HOUR, Source.ARP, "hall0")
        asked, most, missed = 0, 0, 0
        for tick in range(3 * cycle):
            now = HOUR + tick * second
            up = [n for n, at in enumerate(phase) if (tick - at) % cycle < awake]
            for n in up:
                hearing.saw(made, *phones[n], now, Source.OVERHEARD, "hall0")
            if tick >= cycle:  # whoever falls asleep now has answered while it was awake, if it had been silent
                for n in (n for n, at in enumerate(phase) if (tick - at) % cycle == awake):
                    address, mac = phones[n]
                    missed += made.holders[address][mac].silence.count > 0
            if tick % 300 == 299:
                for n in up:
                    made.saw(*phones[n], now, Source.ARP, "hall0")
                made.looked(SpanSet.of([network]), now)
            taken = made.questions.take(now)
            asked, most = asked + len(taken), max(most, len(taken))
            up_at = {phones[n][0]: phones[n][1] for n in up}
            for address in taken:
                macs = (up_at[address],) if address in up_at else ()
                rounds.over(made, address, macs, now, "hall0", controlled=True)
        self.assertEqual(missed, 0, "each was asked while it was awake")
        self.assertLessEqual(most, 32)
        self.assertLess(asked / (3 * cycle), count / cycle + 1, "a second; no more than wake up")
        for address, mac in phones:
            held = made.holders[address][mac]
            self.assertGreater(held.heard, HOUR + 2 * cycle * second - second, "heard last")
            self.assertGreater(held.last, HOUR + 2 * (cycle - 300) * second, "and its last answer is of then")


class Proofs(unittest.TestCase):
    def test_a_proof_is_a_look_and_on_a_dead_link_nothing_is_clear(self) -> None:
        with days(hall, prepared) as site:
            context = site.context
            site.watcher.know_links()
            site.scan("10.44.10.0/24")
            printer, free = ipv4("10.44.10.30"), ipv4("10.44.10.240")

            def proof(address: Address) -> Proof:
                site.sleep(60)
                found = site.run(proving.prove_all(context, context.plan.site_here, [address], True))
                return cast(list[Proof], found)[0]

            def known(address: Address) -> list[Known]:
                with context.database.read() as connection:
                    return [
                        one.then.known
                        for one in moments.of_address(connection, context.plan.site_here, address, now_ms())
                    ]

            before = proof(free)
            self.assertEqual(known(printer), [Known.PROBABLY])
            hosts = [host for host in site.site.hosts if host.vlan == 10]
            mine = next(host for host in hosts if IPv4Address(printer) in host.addresses)
            site.site.unplug(mine)
            self.assertIn("may only be off", "; ".join(proof(printer).reasons))
            self.assertEqual(known(printer), [Known.SILENT], "it was asked, and others answered")
            for host in hosts:
                if host is not mine:
                    site.site.unplug(host)
            dead = proof(free)
            self.assertEqual(dead.grade, Grade.DOUBTFUL)
            self.assertRegex(
                "; ".join(dead.reasons),
                r"not even at 10\.44\.10\.[0-9]+ and 10\.44\.10\.[0-9]+, where one had answered",
            )
            self.assertNotIn("not even at", "; ".join(before.reasons))


if __name__ == "__main__":
    unittest.main()
