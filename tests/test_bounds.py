"""What holds memory, traffic and repeating within bounds, each piece on its own: questions, repeats, newcomers, door work."""

from __future__ import annotations

import asyncio
import itertools
import threading
import unittest
from collections import Counter

from even_roster.core.address import Address, dotted
from even_roster.core.findings import asking, rounds
from even_roster.core.findings.answering import KEPT, Answering
from even_roster.core.findings.engine import MOST_AGAIN, Engine, Finding
from even_roster.core.findings.model import Severity, State, Subject
from even_roster.core.findings.questions import AGAIN, BUDGETS, CURIOUS, MOST_WAITING, OPEN, STANDS, Questions, Rank
from even_roster.core.findings.world import World
from even_roster.core.mac import MacNumber
from even_roster.core.plan.model import Plan, Site
from even_roster.core.schedule import SELDOM, WATCHFUL_FOR, Repeats
from even_roster.core.stays import Sighting, Source
from even_roster.probe.door_work import work_on
from even_roster.service.aids.supervising import Supervisor
from even_roster.service.knowing.newcomers import HOUR, MOST_KEPT, Newcomers
from tests.support.patience import PATIENCE, until

BESIDE = "anything"

NOW, HERE = 1_000_000, 0x0A2C0A00
A, B = MacNumber(0x02C0_9F40_0001), MacNumber(0x02C0_9F40_0002)


class QuestionsTest(unittest.TestCase):
    def setUp(self) -> None:
        self.line = Questions()

    def want(self, *numbers: int, rank: Rank = Rank.REST, now: int = NOW, stands: int = 0, news: bool = True) -> None:
        for number in numbers:
            self.line.want(Address(HERE + number), rank, now, stands=stands, news=news)

    def taken(self, now: int) -> list[int]:
        return [address - HERE for address in self.line.take(now)]

    def test_a_storm_has_its_budget_and_no_more(self) -> None:
        rate, most = BUDGETS[Rank.REST]
        self.want(*range(MOST_WAITING + 10))
        self.assertEqual((self.line.held_back, len(self.line)), (10, MOST_WAITING))
        self.assertEqual(len(self.taken(NOW)), most)
        self.assertEqual(self.taken(NOW), [], "the budget is spent")
        self.assertEqual(len(self.taken(NOW + 1000)), rate)
        self.assertEqual(len(self.taken(NOW + 3_600_000)), most, "an hour of quiet saves up one burst")

    def test_a_flood_of_one_rank_takes_nothing_from_another(self) -> None:
        self.want(*range(MOST_WAITING))
        for number in range(MOST_WAITING):
            self.line.wonder(Address(HERE + 5000 + number), NOW)
        self.taken(NOW)
        self.want(9000, rank=Rank.PLANNED)
        self.want(9001, rank=Rank.OWN)
        self.want(9002, rank=Rank.KNOWN)
        self.assertEqual(self.taken(NOW), [9001, 9000, 9002], "whose it is decides, not who came first")
        rate, _ = BUDGETS[Rank.PLANNED]
        self.assertGreaterEqual(rate, 128)

    def test_addresses_of_one_rank_take_turns(self) -> None:
        rate, most = BUDGETS[Rank.KNOWN]
        self.want(*range(300), rank=Rank.KNOWN, stands=60_000)
        seen = self.taken(NOW)
        for second in range(1, 6):
            self.want(*range(300), rank=Rank.KNOWN, now=NOW + second * 1000, stands=60_000)
            seen += self.taken(NOW + second * 1000)
        self.assertEqual(len(seen), most + 5 * rate)
        counts = Counter(seen)
        self.assertEqual((len(counts), max(counts.values()) - min(counts.values())), (300, 1))

    def test_contradictions_come_before_newcomers(self) -> None:
        for number in range(CURIOUS[1] + 1):
            self.line.wonder(Address(HERE + number), NOW)
        self.want(500)
        asked = self.taken(NOW)
        self.assertEqual((asked[0], len(asked)), (500, CURIOUS[1] + 1))
        self.assertEqual(len(self.line), 1)

    def test_one_address_is_not_asked_twice_at_once_and_not_forgotten(self) -> None:
        self.want(0)
        self.assertEqual(self.taken(NOW), [0])
        self.want(0)
        self.assertEqual(self.taken(NOW + AGAIN - 1), [])
        self.assertIn(HERE, self.line)
        self.assertTrue(self.line.due(NOW + AGAIN))
        self.assertEqual(self.taken(NOW + AGAIN), [0])
        self.assertNotIn(HERE, self.line)
        self.assertFalse(self.line.due(NOW + 10 * AGAIN))

    def test_a_newcomer_that_contradicts_moves_to_the_front_and_stands_in_one_line(self) -> None:
        self.line.wonder(Address(HERE), NOW)
        self.want(0)
        self.line.wonder(Address(HERE), NOW)
        self.assertEqual(len(self.line), 1)
        self.want(0, rank=Rank.PLANNED)
        self.assertEqual((len(self.line), self.taken(NOW)), (1, [0]), "it was put into the plan meanwhile")

    def test_what_stands_is_asked_again_more_and_more_seldom_and_ends(self) -> None:
        self.want(0, stands=STANDS)
        asked = [at for at in range(0, 40_000, 250) if self.taken(NOW + at)]
        self.assertEqual(asked, [0, 1000, 3000, 7000, 13_000])
        self.want(0, now=NOW + 40_000, stands=STANDS)
        asked = []
        for at in range(40_000, 80_000, 250):
            if at < 60_000:  # it goes on being heard
                self.want(0, now=NOW + at, stands=STANDS, news=False)
            asked += [at] if self.taken(NOW + at) else []
        self.assertEqual(asked, [40_000, 41_000, 43_000, 47_000, 53_000, 59_000, 65_000, 71_000])
        self.want(0, now=NOW + 90_000, stands=STANDS)
        self.taken(NOW + 90_000)
        self.taken(NOW + 91_000)
        self.want(0, now=NOW + 91_500, stands=STANDS)
        self.assertEqual(self.taken(NOW + 92_000), [0], "what is new is not left to wait")

    def test_a_question_is_open_for_three_seconds(self) -> None:
        self.want(0)
        self.taken(NOW)
        answers = [self.line.is_open(Address(HERE), NOW + at) for at in (-1, 0, OPEN, OPEN + 1)]
        self.assertEqual(answers, [False, True, True, False])
        self.assertFalse(self.line.is_open(Address(HERE + 1), NOW))


class Rounds(unittest.TestCase):
    def setUp(self) -> None:
        self.world = World(Plan([Site(1, "Hall", True)]), 1, lambda mac: False)

    def test_a_word_during_a_round_is_asked_about_after_it(self) -> None:
        questions = self.world.questions
        self.world.passed(NOW)
        asking.want(self.world, Address(HERE), stands=0)
        self.assertEqual(questions.take(NOW), [HERE])
        asking.want(self.world, Address(HERE), stands=0)  # while the round is on its way
        rounds.over(self.world, Address(HERE), [A], NOW + 400, "eth0", controlled=True)
        self.assertEqual(questions.take(NOW + 400 + AGAIN), [HERE])

    def test_two_that_go_on_answering_do_not_have_themselves_asked_for_ever(self) -> None:
        for turn in range(3):
            rounds.over(self.world, Address(HERE), [A, B], NOW + turn * 5_000, "eth0", controlled=True)
            self.assertNotIn(HERE, self.world.questions)

    def test_a_late_answer_counts_with_those_of_the_round_that_it_causes(self) -> None:
        here = Address(HERE)
        rounds.over(self.world, here, [A], NOW, "eth0", controlled=True, began=NOW - 1000)
        self.world.passed(NOW + 800)
        rounds.late(self.world, here, B, NOW + 800, "eth0")
        self.assertEqual(self.world.confirmed[here], (NOW, (A,)), "A may have left meanwhile")
        self.assertEqual(self.world.questions.take(NOW + 1000), [here], "so both are asked again")
        rounds.over(self.world, here, [A], NOW + 2000, "eth0", controlled=True, began=NOW + 1000)
        self.assertEqual(self.world.confirmed[here], (NOW + 2000, (A, B)))
        rounds.over(self.world, here, [A], NOW + 7000, "eth0", controlled=True, began=NOW + 6000)
        self.assertEqual(self.world.confirmed[here][1], (A,), "it was late for another one")

    def test_who_took_over_at_once_is_no_second_one(self) -> None:
        here = Address(HERE)
        rounds.over(self.world, here, [A], NOW, "eth0", controlled=True, began=NOW - 1000)
        rounds.late(self.world, here, A, NOW + 100, "eth0")  # a further reply of the round
        rounds.late(self.world, here, B, NOW + 500, "eth0")  # A's cable was pulled, and B put in its place
        rounds.over(self.world, here, [B], NOW + 2000, "eth0", controlled=True, began=NOW + 1000)
        self.assertEqual(self.world.confirmed[here][1], (B,))

    def test_standing_findings_take_turns(self) -> None:
        count = 2 * MOST_AGAIN + 10
        engine = Engine([
            Finding("assignment-not-in-effect", str(n), Severity.WRONG, (Subject("address", dotted(HERE + n)),), (), "", (),
                    State.OPEN, NOW, NOW)
            for n in range(count)
        ])  # fmt: skip
        turns = [engine.watching(lambda address: True) for _ in range(3)]
        self.assertEqual([len(one) for one in turns], [MOST_AGAIN] * 3)
        self.assertEqual({a for one in turns for a in one}, {HERE + n for n in range(count)})

    def test_only_findings_that_a_round_decides_are_asked_about(self) -> None:
        known = [("wrong-mask", HERE + 1), ("duplicate-address", HERE + 2)]
        engine = Engine([
            Finding(kind, str(a), Severity.WRONG, (Subject("address", dotted(a)), Subject("mac", "02:c0:9f:40:00:01")), (), "",
                    (), State.OPEN, NOW, NOW)
            for kind, a in known
        ])  # fmt: skip
        self.assertEqual(engine.watching(lambda address: True), [HERE + 2])
        self.assertEqual(engine.watching(lambda address: False), [], "a round decides nothing behind a gateway")

    def test_controls_are_those_that_answered_last(self) -> None:
        there = Answering()
        self.assertEqual(KEPT, 16, "a link of any size costs sixteen questions at most")
        for number in range(KEPT + 5):
            there.answered("eth0", Address(HERE + number))
        there.answered("eth0", Address(HERE + 10))
        latest = there.latest("eth0", {HERE + KEPT + 4})
        self.assertEqual(latest[0], HERE + 10)
        self.assertEqual(len(latest), KEPT - 1)
        self.assertEqual(there.latest("eth1", ()), [])


class RepeatsTest(unittest.TestCase):
    def test_soon_then_steadily_then_seldom_and_anew_after_a_pause(self) -> None:
        repeats, asked, now = Repeats(), [], 0.0
        while now < 1_000:
            if repeats.take([7], now):
                asked.append(now)
            now += 1
        self.assertEqual(asked[:4], [0, 5, 15, 25])
        self.assertTrue(all(b - a <= 10 for a, b in itertools.pairwise(asked) if b <= WATCHFUL_FOR))
        self.assertLessEqual(len(asked), 20)
        self.assertGreater(repeats.due, 1_000)
        self.assertLessEqual(repeats.due - asked[-1], SELDOM)
        self.assertEqual(repeats.take([], now), [])
        self.assertEqual(repeats.due, float("inf"))
        self.assertEqual(repeats.take([7], now), [7], "in question anew: at once")


class NewcomersTest(unittest.TestCase):
    def test_forged_macs_fill_no_memory_and_the_latest_are_listed_first(self) -> None:
        newcomers = Newcomers(lambda: 3)
        for number in range(MOST_KEPT + 50):
            newcomers.heard(
                "eth0", [Sighting(Address(HERE + number), MacNumber(A + number), NOW + number, Source.OVERHEARD)]
            )
        listed = newcomers.listed("eth0")
        self.assertEqual((len(listed), listed[0].mac), (MOST_KEPT, A + MOST_KEPT + 49))
        self.assertEqual(newcomers.listed("eth1"), [])

    def test_who_is_heard_again_keeps_its_first_time(self) -> None:
        newcomers = Newcomers(lambda: 3)
        for at in (NOW, NOW + 500):
            newcomers.heard("eth0", [Sighting(Address(HERE), A, at, Source.OVERHEARD)])
        (one,) = newcomers.listed("eth0")
        self.assertEqual((one.first, one.last), (NOW, NOW + 500))

    def test_so_many_an_hour_become_devices_and_the_others_are_counted(self) -> None:
        newcomers = Newcomers(lambda: 3)
        self.assertEqual(newcomers.admitted("eth0", [MacNumber(1), MacNumber(2)], NOW), {1, 2})
        self.assertEqual(newcomers.admitted("eth0", [MacNumber(3), MacNumber(4)], NOW + 1), {3})
        self.assertEqual(newcomers.held_back("eth0"), 1)
        self.assertEqual(newcomers.admitted("eth1", [MacNumber(5)], NOW + 1), {5}, "each link has its own bound")
        self.assertEqual(newcomers.admitted("eth0", [MacNumber(4)], NOW + HOUR), {4})


class SupervisorTest(unittest.TestCase):
    def test_work_that_ends_by_an_error_is_begun_again_and_told(self) -> None:
        supervisor, over, again = Supervisor(), threading.Event(), threading.Event()
        runs = []

        def work() -> None:
            runs.append(1)
            if len(runs) == 1:
                raise RuntimeError("a frame of a kind that nobody foresaw")
            again.set()

        with self.assertLogs("even_roster.service.aids.supervising", "ERROR"):
            thread = supervisor.start("listening on eth0", work, over)
            self.assertTrue(again.wait(PATIENCE))
            thread.join(PATIENCE)
        self.assertFalse(thread.is_alive())
        self.assertEqual(supervisor.ended["listening on eth0"].times, 1)
        self.assertIn("listening on eth0 ended by an error and was begun again", supervisor.trouble)


class DoorWork(unittest.IsolatedAsyncioTestCase):
    class Door:
        """Notes what was going on when it was closed."""

        def __init__(self, test: DoorWork) -> None:
            self.test, self.closed = test, False

        def close(self) -> None:
            self.test.assertFalse(self.test.working, "closed under the work's hands")
            self.closed = True

    async def test_the_door_is_closed_after_the_work_even_when_nobody_waits_any_more(self) -> None:
        self.working = False
        door, begun = self.Door(self), threading.Event()

        def work(stop: threading.Event) -> None:
            self.working = True
            begun.set()
            stop.wait(PATIENCE)
            self.working = False

        waiting = asyncio.create_task(work_on(door, work))  # type: ignore[arg-type]
        await asyncio.to_thread(until, begun.is_set, "the work does not begin")
        waiting.cancel()
        with self.assertRaises(asyncio.CancelledError):
            await waiting
        self.assertTrue(door.closed)

    async def test_what_the_work_gives_or_raises_is_given_or_raised(self) -> None:
        self.working = False
        door = self.Door(self)
        self.assertEqual(await work_on(door, lambda stop: 7), 7)  # type: ignore[arg-type]
        with self.assertRaises(ZeroDivisionError):
            await work_on(door, lambda stop: 1 // 0)  # type: ignore[arg-type]
        self.assertTrue(door.closed)
