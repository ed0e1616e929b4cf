"""What the engine promises whatever the rules are, on made-up rules that see what a test tells them."""

from __future__ import annotations

import unittest
from dataclasses import dataclass, field
from unittest.mock import patch

from even_roster.core.findings import engine as engines
from even_roster.core.findings.engine import Acceptance, Engine, Finding, Turn, Turned
from even_roster.core.findings.model import AWAY, About, Away, Evidence, Found, Severity, State, Subject
from even_roster.core.findings.rule import Rule
from even_roster.core.findings.world import World
from even_roster.core.plan.model import Plan, Site
from tests.support.drawing import given, settings, st

BESIDE = "anything"

PATIENCE, LINGERS, KEEPS = 5_000, 10_000, 60_000
KEY = 0x0A2C0A14
Sight = Found | Away | None


def found(word: str) -> Found:
    return Found(Severity.WRONG, (Subject("address", "10.44.10.20"),), (Evidence(word),), f"mend {word}")


@dataclass
class Bench:
    """An engine with one made-up rule about one address, and a truth that the test sets."""

    patience: int = 0
    lingers: int = 0
    keeps: int = 0
    truth: dict[int, Sight] = field(default_factory=dict)
    turns: list[tuple[int, Turn, Finding]] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.rule = Rule(
            "made-up", "Made up", About.ADDRESS, "Nothing", lambda world, key: self.truth.get(key),
            self.patience, self.lingers, self.keeps,
        )  # fmt: skip
        self.world = World(Plan([Site(1, "Hall", True)]), 1, lambda mac: False)
        self.engine = Engine()

    def at(self, now: int, sight: Sight | str, key: int = KEY, most: int | None = None) -> list[Turned]:
        """Set the truth, touch the key and settle."""
        self.truth[key] = found(sight) if isinstance(sight, str) else sight
        self.world.dirty[About.ADDRESS].add(key)
        return self.settle(now, most)

    def settle(self, now: int, most: int | None = None) -> list[Turned]:
        with (
            patch.dict(engines.BY_KIND, {"made-up": self.rule}),
            patch.object(engines, "_BY_ABOUT", {About.ADDRESS: (self.rule,)}),
        ):
            taken, more = self.engine.settle(self.world, now, most)
            while more:
                further, more = self.engine.settle(self.world, now, most)
                taken += further
        self.turns += [(now, one.turn, one.finding) for one in taken]
        return taken

    def restart(self) -> None:
        """A new engine from what the old one would have stored."""
        kept = [*self.engine.standing.values(), *self.engine.memory.values()]
        self.engine = Engine(kept, self.engine.exceptions)

    @property
    def stands(self) -> Finding | None:
        return self.engine.standing.get(("made-up", str(KEY)))


class Times(unittest.TestCase):
    def test_it_opens_when_its_cause_has_stood_without_a_gap(self) -> None:
        bench = Bench(patience=PATIENCE)
        self.assertEqual(bench.at(0, "a"), [])
        self.assertEqual(bench.at(4_000, None), [])
        self.assertEqual(bench.at(4_500, "a"), [], "a gap begins the wait anew")
        self.assertEqual(bench.settle(9_400), [])
        (opened,) = bench.settle(9_500)
        self.assertEqual((opened.turn, opened.finding.since), (Turn.OPENED, 9_500))

    def test_it_closes_when_its_cause_has_been_gone_without_a_gap(self) -> None:
        bench = Bench(lingers=LINGERS)
        bench.at(0, "a")
        bench.at(1_000, None)
        bench.at(9_000, "a")
        self.assertEqual(bench.at(10_000, None), [])
        self.assertEqual(bench.settle(19_999), [])
        (closed,) = bench.settle(20_000)
        self.assertEqual((closed.turn, closed.finding.closed, bench.stands), (Turn.CLOSED, 20_000, None))

    def test_a_device_that_is_away_neither_opens_nor_closes_anything_for_long(self) -> None:
        bench = Bench(lingers=LINGERS, keeps=KEEPS)
        self.assertEqual(bench.at(0, AWAY), [])
        bench.at(1_000, "a")
        self.assertEqual(bench.at(2_000, AWAY), [])
        self.assertEqual(bench.settle(30_000), [], "longer than it would linger")
        (closed,) = bench.settle(62_000)
        self.assertIs(closed.turn, Turn.CLOSED)

    def test_back_from_away_without_the_cause_it_closes_as_usual(self) -> None:
        bench = Bench(lingers=LINGERS, keeps=KEEPS)
        bench.at(0, "a")
        bench.at(1_000, AWAY)
        self.assertEqual(len(bench.at(20_000, None)), 1, "it has been gone for longer than it lingers")

    def test_only_what_is_told_makes_a_change(self) -> None:
        bench = Bench()
        bench.at(0, "a")
        first = found("b")
        later = Found(first.severity, first.subjects, (Evidence("b", 77),), first.remedy)
        self.assertEqual([t.turn for t in bench.at(1, first)], [Turn.UPDATED])
        self.assertEqual(bench.at(2, later), [], "a moment alone is no news")
        assert bench.stands is not None
        self.assertEqual((bench.stands.evidence[0].at, bench.stands.updated), (77, 1), "but it is kept")

    def test_it_remembers_how_often_it_was_there(self) -> None:
        bench = Bench()
        for number in range(4):
            bench.at(number * 10, "a")
            bench.at(number * 10 + 5, None)
        bench.restart()
        (again,) = bench.at(100, "a")
        self.assertEqual((again.turn, again.finding.times, again.finding.first), (Turn.REOPENED, 5, 0))


class Accepting(unittest.TestCase):
    NAME = ("made-up", str(KEY))

    def test_accepted_while_it_stands_and_taken_back(self) -> None:
        bench = Bench()
        bench.at(0, "a")
        bench.engine.exceptions[self.NAME] = Acceptance("it is meant", "keeper", 1)
        (accepted,) = bench.settle(2)
        self.assertEqual((accepted.turn, accepted.finding.state), (Turn.ACCEPTED, State.ACCEPTED))
        self.assertEqual(bench.settle(3), [])
        del bench.engine.exceptions[self.NAME]
        (resumed,) = bench.settle(4)
        self.assertEqual((resumed.turn, resumed.finding.state), (Turn.RESUMED, State.OPEN))

    def test_accepted_ahead_it_opens_quietly_and_calls_after_its_end(self) -> None:
        bench = Bench()
        bench.engine.exceptions[self.NAME] = Acceptance("until the wing is open", "keeper", 0, 1_000)
        bench.at(10, "a")
        assert bench.stands is not None
        self.assertIs(bench.stands.state, State.ACCEPTED)
        bench.restart()
        self.assertEqual(bench.settle(999), [])
        (resumed,) = bench.settle(1_000)
        self.assertEqual((resumed.turn, resumed.finding.since), (Turn.RESUMED, 10))

    def test_an_accepted_one_still_closes_and_is_accepted_when_it_comes_back(self) -> None:
        bench = Bench()
        bench.engine.exceptions[self.NAME] = Acceptance("it is meant", "keeper", 0)
        bench.at(0, "a")
        self.assertEqual([t.turn for t in bench.at(1, None)], [Turn.CLOSED])
        (again,) = bench.at(2, "a")
        self.assertEqual((again.turn, again.finding.state), (Turn.REOPENED, State.ACCEPTED))


class Slices(unittest.TestCase):
    def test_slices_of_any_size_find_the_same(self) -> None:
        whole = Bench()
        for key in range(1, 41):
            whole.truth[key] = found(f"k{key}") if key % 3 else None
        results = []
        for most in (None, 1, 7, 40, 1000):
            bench = Bench(truth=dict(whole.truth))
            bench.world.dirty[About.ADDRESS].update(whole.truth)
            results.append(sorted(one.finding.key for one in bench.settle(0, most)))
        self.assertEqual(len(results[0]), 27)
        self.assertEqual(results, [results[0]] * 5)

    def test_what_was_not_touched_is_not_looked_at(self) -> None:
        bench = Bench()
        bench.at(0, "a")
        bench.truth[KEY] = None
        self.assertEqual(bench.settle(1), [])
        bench.world.dirty[About.ADDRESS].add(KEY)
        self.assertEqual([t.turn for t in bench.settle(2)], [Turn.CLOSED])


sights = st.one_of(st.none(), st.just(AWAY), st.sampled_from(["a", "b"]))
courses = st.lists(st.tuples(st.integers(1, 20_000), sights, st.booleans()), min_size=1, max_size=40)


class AnyCourse(unittest.TestCase):
    """Whatever happens in whatever rhythm, with restarts in between."""

    @settings(max_examples=150, deadline=None)
    @given(courses)
    def test_turns_follow_each_other_and_keep_their_times(self, course: list[tuple[int, Sight | str, bool]]) -> None:
        bench = Bench(patience=PATIENCE, lingers=LINGERS, keeps=KEEPS)
        now, seen = 0, []
        for after, sight, _ in course:
            now += after
            seen.append((now, sight))
            bench.at(now, sight)
        standing, opened_at = False, 0
        for at, turn, finding in bench.turns:
            self.assertEqual(standing, turn not in (Turn.OPENED, Turn.REOPENED), f"{turn} at {at}")
            if turn in (Turn.OPENED, Turn.REOPENED):
                standing, opened_at = True, at
                run = self.run_before(seen, at, lambda s: isinstance(s, str))
                self.assertGreaterEqual(run, PATIENCE, "its cause stood long enough")
            elif turn is Turn.CLOSED:
                standing = False
                run = self.run_before(seen, at, lambda s: not isinstance(s, str))
                last = next(s for t, s in reversed(seen) if t <= at)
                self.assertGreaterEqual(run, KEEPS if last is AWAY else LINGERS, "its cause was gone long enough")
            self.assertEqual(finding.since, opened_at)
        self.assertEqual(standing, bench.stands is not None)

    def run_before(self, seen: list[tuple[int, Sight | str]], at: int, kind: object) -> int:
        """How long the sights had been of a kind at a moment, without another between."""
        assert callable(kind)
        began = at
        for moment, sight in reversed([one for one in seen if one[0] <= at]):
            if not kind(sight):
                break
            began = moment
        return at - began

    @settings(max_examples=150, deadline=None)
    @given(courses, st.sampled_from(["a", "b", None]))
    def test_in_the_end_it_stands_exactly_when_its_cause_does(
        self, course: list[tuple[int, Sight | str, bool]], end: str | None
    ) -> None:  # fmt: skip
        bench = Bench(patience=PATIENCE, lingers=LINGERS, keeps=KEEPS)
        now = 0
        for after, sight, restarted in course:
            now += after
            if restarted:
                bench.restart()
            bench.at(now, sight)
        bench.at(now + 1, end)
        bench.world.dirty[About.ADDRESS].add(KEY)
        bench.settle(now + 1 + max(PATIENCE, KEEPS))
        stands = bench.stands
        self.assertEqual(stands is not None, end is not None)
        if stands is not None:
            self.assertEqual((stands.evidence[0].said, stands.closed), (end, None))
        opened = sum(1 for _, turn, _ in bench.turns if turn in (Turn.OPENED, Turn.REOPENED))
        known = stands or bench.engine.memory.get(("made-up", str(KEY)))
        self.assertEqual(known.times if known else 0, opened, "no time it was there is forgotten or told twice")


if __name__ == "__main__":
    unittest.main()
