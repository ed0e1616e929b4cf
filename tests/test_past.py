"""What was true when: looks in series, deaf times, the rule for moments, its sentences, and what was only heard."""

from __future__ import annotations

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace
from unittest.mock import patch

from even_roster.core.address import Address, hostable, ipv4
from even_roster.core.findings.hearsay import KEPT, MOST_ADDRESSES, MOST_MACS, Hearsay
from even_roster.core.findings.model import HOUR
from even_roster.core.mac import MacNumber
from even_roster.core.past import looks, words
from even_roster.core.past.deaf import Deafness, DeafTime, unasked
from even_roster.core.past.looks import LEAST_BREAK, LIGHT_REACHES, Kind, Look, begun, goes_on
from even_roster.core.past.rule import BETWEEN, CLOSE, PROBABLE, Against, Known, Run, Then, judge
from even_roster.core.span import SpanSet
from even_roster.core.stays import Source, Stay
from even_roster.service import context as contexts
from even_roster.service.context import now_ms
from even_roster.service.watching.deafness import DeafTimes
from even_roster.store import look_records
from even_roster.store.database import Database
from tests.support.days import days, hall
from tests.support.drawing import given, st

BESIDE = "anything"

MINUTE = 60_000
PLACE, MAC, OTHER = ipv4("10.44.10.30"), MacNumber(0x02C044000026), MacNumber(0x02C02A000036)
OFFICE = SpanSet(((ipv4("10.44.10.1"), ipv4("10.44.10.254")),))
T = 1_800_000_000_000


def stay(first: int, last: int, widest: int | None = 0, sources: Source = Source.ARP) -> Stay:
    return Stay(1, PLACE, MAC, T + first, T + last, 2, sources, widest)


def scan(at: int, took: int = 5_000, kind: Kind = Kind.SCAN, controlled: bool = True) -> Look:
    return Look(kind, Source.ARP, "office0", OFFICE, T + at, T + at + took, controlled)


class Rule(unittest.TestCase):
    def known(self, moment: int, *stays: Stay, **more: object) -> Known | None:
        then = judge(T + moment, stays, more.pop("run", None), **more)  # type: ignore[arg-type]
        return then.known if then is not None else None

    def test_between_two_answers(self) -> None:
        long = stay(0, 600 * MINUTE, widest=5 * MINUTE)
        self.assertEqual(self.known(30, stay(0, CLOSE, widest=CLOSE)), Known.HELD, "close together")
        self.assertEqual(self.known(60 * MINUTE, long), Known.PROBABLY, "it may have been off and back")
        self.assertEqual(
            self.known(60 * MINUTE, long, apart=CLOSE), Known.HELD, "looks were closer than the widest gap"
        )
        self.assertEqual(self.known(0, long), Known.HELD, "at its very answer")
        self.assertEqual(self.known(-1, long), None, "before its first answer nothing is said of it")
        self.assertEqual(self.known(60 * MINUTE, stay(0, 600 * MINUTE, widest=None)), Known.PROBABLY, "old records")
        folded = judge(T + MINUTE, [stay(0, 600 * MINUTE, sources=Source.ARP | Source.FOLDED)], None)
        self.assertTrue(folded is not None and folded.outline and folded.known is Known.UNKNOWN)
        for moment in (0, 600 * MINUTE, 601 * MINUTE):
            then = judge(T + moment, [stay(0, 600 * MINUTE, sources=Source.ARP | Source.FOLDED)], None)
            self.assertTrue(then is not None and then.outline, "not even its ends need be answers")
            then = judge(T + moment, [stay(0, 600 * MINUTE, sources=Source.LEASE)], None)
            self.assertTrue(then is not None and then.leased and not then.known.there, "a lease is no answer")
        leased = judge(T + MINUTE, [stay(0, 600 * MINUTE, sources=Source.LEASE)], None)
        self.assertTrue(leased is not None and leased.leased and leased.known is Known.UNKNOWN)

    def test_after_its_last_answer(self) -> None:
        one, again = stay(0, MINUTE), stay(100 * MINUTE, 101 * MINUTE)
        self.assertEqual(self.known(MINUTE + PROBABLE, one), Known.PROBABLY)
        self.assertEqual(self.known(MINUTE + PROBABLE + 1, one), Known.UNKNOWN, "nobody asked since")
        self.assertEqual(
            self.known(50 * MINUTE, one, again), Known.PROBABLY, "it answered again, and nothing is against it"
        )
        self.assertEqual(self.known(BETWEEN, one, stay(BETWEEN + 2 * MINUTE, BETWEEN + 3 * MINUTE)), Known.UNKNOWN)
        rival = Against(T + 40 * MINUTE, mac=OTHER)
        for moment in (20 * MINUTE, 45 * MINUTE):  # whoever came after: when it left is not known
            self.assertEqual(self.known(moment, one, again, against=[rival]), Known.UNKNOWN, moment)
        beside = Against(T + 100 * MINUTE, mac=OTHER)
        self.assertEqual(
            self.known(50 * MINUTE, one, again, against=[beside]), Known.PROBABLY, "both answer from then on"
        )

    def test_around_looks_in_vain(self) -> None:
        one = stay(0, 200 * MINUTE, widest=60 * MINUTE)
        run = Run(T + 20 * MINUTE, T + 40 * MINUTE, 5, T + 10 * MINUTE, T + 60 * MINUTE)
        told = {at: self.known(at * MINUTE, one, run=run) for at in (10, 15, 20, 30, 40, 50)}
        self.assertEqual(
            told,
            {
                10: Known.PROBABLY,
                15: Known.UNKNOWN,
                20: Known.SILENT,
                30: Known.SILENT,
                40: Known.SILENT,
                50: Known.UNKNOWN,
            },
        )
        self.assertEqual(self.known(61 * MINUTE, one, run=run), Known.PROBABLY, "it answered again")
        self.assertEqual(self.known(50 * MINUTE, one, run=run, looked=(None, T + 55 * MINUTE)), Known.SILENT)
        self.assertEqual(
            self.known(50 * MINUTE, one, run=run, looked=(None, T + 60 * MINUTE)),
            Known.UNKNOWN,
            "in that look it answered",
        )

    def test_every_verdict_is_told_in_a_sentence_that_says_how_it_is_known(self) -> None:
        run = Run(T - 20 * MINUTE, T - 5 * MINUTE, 4, T - 30 * MINUTE)
        cases = (
            (Then(Known.HELD, T, T, 0), "printer-1 held it: it answered then."),
            (Then(Known.HELD, apart=MINUTE), "printer-1 held it: it answered before and after, 1 minute apart at most."),
            (Then(Known.PROBABLY, T - MINUTE), "it answered 1 minute before, and no look since was without an answer"),
            (Then(Known.PROBABLY, T - MINUTE, T + MINUTE), "it answered 1 minute before and 1 minute after, and no look tells"),
            (Then(Known.PROBABLY, apart=5 * MINUTE), "5 minutes apart at most, and no look in between was without an answer"),
            (Then(Known.PROBABLY), "how far apart is not kept"),
            (Then(Known.UNKNOWN, T - 30 * MINUTE, run=run), "silent when it was asked last, 5 minutes before, after it had"),
            (Then(Known.UNKNOWN, T - MINUTE, asked=T + MINUTE, run=run), "and was silent when it was asked 1 minute after"),
            (Then(Known.UNKNOWN, T - MINUTE, T + MINUTE), "and again 1 minute after, and no look tells of the time between"),
            (Then(Known.UNKNOWN, T - MINUTE, against=Against(T + MINUTE, mac=OTHER)), "but desk answered there 1 minute after"),
            (Then(Known.UNKNOWN, outline=True), "records that old are folded"),
            (Then(Known.UNKNOWN, leased=True), "as its DHCP server told"),
            (Then(Known.SILENT, T - 30 * MINUTE, run=run, asked=T + MINUTE), "asked (4 times, from 20 minutes before to 1 minute after)"),
        )  # fmt: skip
        for then, said in cases:
            self.assertIn(said, words.told("printer-1", then, T, rival="desk answered there"))
        deaf = [DeafTime(Deafness.KILLED, "", T - MINUTE, T + MINUTE)]
        self.assertIn("in between Even Roster did not run", words.told("x", cases[2][0], T, deaf))
        self.assertNotIn("did not run", words.told("x", cases[0][0], T, deaf), "it answered all the same")


class Looks(unittest.TestCase):
    def test_a_year_of_scans_is_one_series_and_a_pause_begins_another(self) -> None:
        series = begun(scan(0))
        for number in range(1, 2_000):
            series = goes_on(series, scan(number * 4 * HOUR))
        self.assertEqual((series.count, series.every), (2_000, 4 * HOUR + 5_000))
        later = goes_on(series, scan(2_000 * 4 * HOUR + 10 * HOUR))
        self.assertEqual((later.count, later.first), (1, T + 2_000 * 4 * HOUR + 10 * HOUR), "the service did not run")
        self.assertEqual(goes_on(series, scan(2_000 * 4 * HOUR, kind=Kind.LIGHT)).count, 1, "another kind")
        self.assertEqual(goes_on(series, scan(2_000 * 4 * HOUR, controlled=False)).count, 1, "one without a control")
        quick = goes_on(goes_on(begun(scan(0)), scan(5_000)), scan(10_000))
        self.assertEqual(goes_on(quick, scan(10_000 + LEAST_BREAK)).count, 4)
        self.assertEqual(goes_on(quick, scan(10_001 + LEAST_BREAK)).count, 1)

    def test_a_light_check_asks_for_those_that_were_there_within_a_week(self) -> None:
        light = begun(scan(0, kind=Kind.LIGHT))
        self.assertTrue(light.asks(PLACE, T, T - LIGHT_REACHES))
        self.assertFalse(light.asks(PLACE, T, T - LIGHT_REACHES - 1))
        long = replace(light, began=T + 90 * 24 * HOUR, count=9_000)
        self.assertTrue(long.asks(PLACE, T + HOUR, T), "its looks of then, not its latest")
        self.assertFalse(light.asks(PLACE, T), "nobody was ever there")
        self.assertTrue(begun(scan(0)).asks(PLACE, T), "a full scan asks for all")
        self.assertFalse(begun(scan(0)).asks(ipv4("10.44.20.1"), T))

    def test_how_far_apart_looks_lie_and_which_were_next(self) -> None:
        hourly = goes_on(goes_on(begun(scan(0)), scan(HOUR)), scan(2 * HOUR))
        later = begun(scan(9 * HOUR))
        both = [hourly, later]
        self.assertEqual(looks.apart(both, PLACE, T + 90 * MINUTE, None, Source.ARP), HOUR + 5_000)
        self.assertIsNone(looks.apart(both, PLACE, T + 3 * HOUR, None, Source.ARP), "between two series nobody looked")
        self.assertIsNone(
            looks.apart(both, PLACE, T + 90 * MINUTE, None, Source.ECHO), "by a means that it never answered"
        )
        self.assertEqual(looks.beside(both, PLACE, T + 5 * HOUR), (hourly, later))
        self.assertEqual(looks.beside(both, PLACE, T - 1), (None, hourly))
        self.assertEqual(
            hourly.next_by(T + 10 * MINUTE), T + 70 * MINUTE + 5_000, "within an hour, not at that very moment"
        )
        self.assertIn("no device answered", words.nobody(hourly, later, T + 5 * HOUR, answered=False))
        self.assertIn(
            "2 hours before (by a full scan) and 4 hours after",
            words.nobody(hourly, later, T + 5 * HOUR, answered=False),
        )
        self.assertIn("at least every 1 hour", words.nobody(hourly, hourly, T + HOUR, answered=True))
        self.assertEqual(
            words.nobody(later, None, T + 9 * HOUR, answered=False),
            "It was asked a moment before (by a full scan): no device answered.",
        )
        self.assertTrue(hourly.controlled and begun(scan(0)).controlled)
        self.assertIsNone(looks.apart([later], PLACE, T + 9 * HOUR, None, Source.ARP), "one look is no cadence")
        self.assertIn("No look at it", words.nobody(None, None, T, answered=False))

    def test_series_come_back_from_the_records_as_they_were(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            database = Database(Path(folder) / "roster.db")
            self.addCleanup(database.close)
            some = SpanSet(((1, 1), (5, 9), (PLACE, PLACE), (1 << 31, (1 << 31) + 7)))
            made = [begun(scan(0)), begun(scan(0).of(some)), begun(scan(0).of(SpanSet()))]
            with database.write() as connection:
                ids = look_records.keep(connection, 1, made)
                look_records.keep(connection, 1, [goes_on(made[0].stored(ids[0]), scan(HOUR))])
            with database.read() as connection:
                found = {one.spans: one for one in look_records.going_on(connection, 1, T + 2 * HOUR)}
                self.assertEqual(set(found), {OFFICE, some}, "what asked for nobody is not kept")
                self.assertEqual((found[OFFICE].count, found[OFFICE].every), (2, HOUR + 5_000))
                near = look_records.near(connection, 1, PLACE, T + 30 * MINUTE)
                self.assertCountEqual([one.spans for one in near], [OFFICE, some])
                self.assertEqual(look_records.near(connection, 1, Address(4), T), [], "between its spans")
                self.assertEqual(look_records.near(connection, 2, PLACE, T), [], "at another site")

    def test_rounds_are_bounded_in_the_records(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            database = Database(Path(folder) / "roster.db")
            self.addCleanup(database.close)
            one = SpanSet(((PLACE, PLACE),))
            with database.write() as connection:
                for hours in range(5):
                    look_records.keep(connection, 1, [begun(scan(hours * HOUR, kind=Kind.ROUND).of(one))])
                look_records.keep(connection, 1, [begun(scan(0))])
                self.assertEqual(look_records.forget(connection, T + 2 * HOUR), 2, "scans stay")

    def test_deaf_times_say_who_could_not_be_asked(self) -> None:
        times = [
            DeafTime(Deafness.LINK_DOWN, "office0", T, T + MINUTE), DeafTime(Deafness.STOPPED, "", T, T + HOUR),
            DeafTime(Deafness.FRAMES_LOST, "office0", T, T + HOUR), DeafTime(Deafness.KILLED, "", T + 2 * HOUR, 0),
        ]  # fmt: skip
        found = unasked(times, T + 1, T + MINUTE)
        self.assertEqual([one.why for one in found], [Deafness.STOPPED, Deafness.LINK_DOWN], "the longest first")
        self.assertEqual(
            unasked(times, T + 9 * HOUR, T + 10 * HOUR)[0].said, "Even Roster did not run, and was not stopped in order"
        )


class Beats(unittest.TestCase):
    """What the service learns of its own deafness, beat by beat, with time and adapters in the hand of the test."""

    def setUp(self) -> None:
        self.site = self.enterContext(days(hall, lambda *_: None))
        self.context = self.site.context
        self.adapters = list(self.context.machine.adapters())
        self.enterContext(patch.object(self.context.machine, "adapters", lambda: self.adapters))
        self.names = ["office0"]
        self.ears = SimpleNamespace(heard={}, listening=lambda: self.names)
        self.deaf = DeafTimes(self.context, self.ears)  # type: ignore[arg-type]

    def told(self) -> list[tuple[Deafness, str, bool]]:
        with self.context.database.read() as connection:
            found = look_records.deaf(connection, 0, 1 << 60)
        return [(one.why, one.adapter, one.last == 0) for one in found]

    def pass_by(self, seconds: float = 5.0) -> None:
        self.site.sleep(seconds)
        self.deaf.beat()

    def test_a_link_that_goes_down_and_an_ear_that_is_gone_are_kept_until_they_are_back(self) -> None:
        self.deaf.beat()
        whole = list(self.adapters)
        self.adapters[:] = [replace(one, up=one.name != "office0") for one in whole]
        self.names = []
        self.pass_by()
        open_ones = [(Deafness.LINK_DOWN, "office0", True), (Deafness.NOT_LISTENING, "office0", True)]
        self.assertCountEqual(self.told(), open_ones)
        self.pass_by()
        self.assertCountEqual(self.told(), open_ones, "one that goes on is one")
        self.adapters[:], self.names = whole, ["office0"]
        self.ears.heard = {"office0": SimpleNamespace(storm_at=now_ms())}
        self.pass_by()
        self.assertCountEqual(
            self.told(),
            [
                (Deafness.LINK_DOWN, "office0", False), (Deafness.NOT_LISTENING, "office0", False),
                (Deafness.FRAMES_LOST, "office0", True),
            ],
        )  # fmt: skip
        self.pass_by()
        self.assertNotIn(True, [lasts for _, _, lasts in self.told()], "no frame was lost since")

    def test_a_clock_that_is_set_is_told_with_the_times_that_did_not_pass_or_passed_twice(self) -> None:
        self.deaf.beat()
        wall = contexts.wall_ns
        for step, why in ((3_600, Deafness.CLOCK_FORWARD), (1_800, Deafness.CLOCK_BACK)):
            with patch.object(contexts, "wall_ns", lambda step=step: wall() + step * 1_000_000_000):
                self.pass_by()
            self.assertEqual(self.told()[-1 if why is Deafness.CLOCK_FORWARD else 0][0], Deafness.CLOCK_FORWARD)
        self.assertEqual({why for why, _, _ in self.told()}, {Deafness.CLOCK_FORWARD, Deafness.CLOCK_BACK})

    def test_how_long_the_service_did_not_run_is_known_to_the_last_beat(self) -> None:
        self.deaf._woke()
        self.assertEqual(self.told(), [], "it never ran before")
        self.pass_by()
        killed = now_ms()
        self.site.sleep(600)
        again = DeafTimes(self.context, self.ears)  # type: ignore[arg-type]
        again._woke()
        with self.context.database.read() as connection:
            (one,) = look_records.deaf(connection, 0, 1 << 60)
        self.assertEqual((one.why, one.first, one.last), (Deafness.KILLED, killed, now_ms()))
        again._stopped()
        self.site.sleep(60)
        DeafTimes(self.context, self.ears)._woke()  # type: ignore[arg-type]
        self.assertEqual([why for why, _, _ in self.told()], [Deafness.KILLED, Deafness.STOPPED])


class OnlyHeard(unittest.TestCase):
    def test_addresses_that_no_host_can_have(self) -> None:
        for text, may in (
            ("0.0.0.1", False), ("127.0.0.1", False), ("224.0.0.251", False), ("255.255.255.255", False), ("240.0.0.1", False),
            ("169.254.7.7", True), ("10.44.10.30", True), ("223.255.255.254", True),
        ):  # fmt: skip
            self.assertEqual(hostable(ipv4(text)), may, text)

    def test_its_memory_is_bounded_and_says_what_was_left_out(self) -> None:
        heard = Hearsay()
        for number in range(3 * MOST_ADDRESSES):
            heard.heard(Address(PLACE + number), MAC, T + number, "office0")
        self.assertEqual(len(heard.of(MAC, T)), MOST_ADDRESSES)
        self.assertEqual(heard.left_out[MAC], 2 * MOST_ADDRESSES)
        for number in range(2 * MOST_MACS):
            heard.heard(PLACE, MacNumber(number + 1), T, "office0")
        self.assertEqual(len(heard), MOST_MACS)
        self.assertNotIn(MAC, heard, "it was heard longest ago")
        self.assertEqual(len(heard.at(PLACE, T)), MOST_MACS)
        heard.forget(T + KEPT)
        self.assertEqual(len(heard), MOST_MACS, "a day is kept to its end")
        heard.forget(T + KEPT + 1)
        self.assertEqual((len(heard), heard.at(PLACE, T), heard.left_out), (0, {}, {}))

    def test_it_is_news_the_first_time_and_after_an_hour(self) -> None:
        heard = Hearsay()
        told = [heard.heard(PLACE, MAC, T + at, "office0") for at in (0, 1, HOUR, 2 * HOUR + 1)]
        self.assertEqual(told, [True, False, False, True])
        heard.answered(PLACE, MAC)
        self.assertEqual((len(heard), heard.link(PLACE)), (0, None))

    @given(st.lists(st.tuples(st.integers(0, 40), st.integers(1, 3), st.booleans()), max_size=120))
    def test_both_sides_of_it_agree_after_anything(self, steps: list[tuple[int, int, bool]]) -> None:
        heard = Hearsay()
        for at, (place, mac, answers) in enumerate(steps):
            if answers:
                heard.answered(Address(PLACE + place), MacNumber(mac))
            else:
                heard.heard(Address(PLACE + place), MacNumber(mac), T + at, "office0")
        pairs = {(address, mac) for mac in heard for address in heard.of(mac, T)}
        self.assertEqual(
            pairs, {(Address(PLACE + n), mac) for n in range(41) for mac in heard.at(Address(PLACE + n), T)}
        )


if __name__ == "__main__":
    unittest.main()
