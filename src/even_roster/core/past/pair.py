"""All that is known of one pair of address and MAC, at a moment and over a stretch of time, by the one rule. Pure; times are UTC
milliseconds."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

from ..address import Address
from ..stays import Source, Stay
from . import looks
from .looks import LIGHT_REACHES, Kind, Series
from .rule import PROBABLE, Against, Known, Run, Then, judge


@dataclass(frozen=True, slots=True)
class Piece:
    """A stretch of time over which the same is known of a pair or of a device."""

    first: int
    last: int
    known: Known


@dataclass(frozen=True, slots=True)
class Pair:
    """The facts of one pair: its stays, the looks without an answer of each by the id of its stay, what speaks against its having
    stayed, and the looks that asked for its address."""

    address: Address
    stays: Sequence[Stay]
    runs: Mapping[int, Sequence[Run]] = field(default_factory=dict)
    against: Sequence[Against] = ()
    asked: Sequence[Series] = ()

    def at(self, moment: int) -> Then | None:
        """What is known of it at a moment; None where it had not answered before and is not known to have been asked. Leases count
        only where it had not answered."""
        stays, earlier = self.stays, None
        if not all(one.answered for one in stays):
            answers = [one for one in stays if one.answered]
            stays = answers if any(one.first <= moment for one in answers) else stays
        for one in stays:
            if one.first <= moment and (earlier is None or one.last > earlier.last):
                earlier = one
        if earlier is None:
            return None
        around = (
            run for run in self.runs.get(earlier.id or 0, ()) if run.before < moment and not moment > run.after > 0
        )
        run = max(around, key=lambda one: one.first, default=None)
        if not self.asked:
            return judge(moment, stays, run, None, self.against)
        by = Source(0)
        for stay in stays:
            by |= stay.sources
        answered = min(earlier.last, moment)
        before, after = looks.beside(self.asked, self.address, moment, answered)
        looked = (
            min(before.last, moment) if before is not None else None,
            after.next_by(moment) if after is not None else None,
        )
        apart = looks.apart(self.asked, self.address, moment, answered, by)
        return judge(moment, stays, run, apart, self.against, looked)

    def course(self, begin: int, end: int) -> list[Piece]:
        """What is known of it from `begin` to `end`, in order and without a gap from where it had answered first. Between two marks
        the rule says the same at every moment, so that it is asked once for each."""
        found: list[Piece] = []
        for first, last in pairwise(sorted({begin, end, *(one for one in self._marks() if begin < one < end)})):
            then = self.at((first + last) // 2)
            if then is None:
                continue
            if found and found[-1].known is then.known:
                found[-1] = Piece(found[-1].first, last, then.known)
            else:
                found.append(Piece(first, last, then.known))
        return found

    def _marks(self) -> Iterator[int]:
        """The moments at which what is known of it may change."""
        ends = [one.first for one in self.stays]
        for stay in self.stays:
            yield from (stay.first, stay.last, stay.last + PROBABLE)
        for runs in self.runs.values():
            for run in runs:
                yield from (run.before, run.first, run.last, run.after)
                ends.append(run.after)
        for one in self.against:
            yield one.at
        for series in self.asked:
            yield from (series.first, series.began, series.last)
            yield from (end - series.every for end in ends)
            if series.kind is Kind.LIGHT:
                yield from (stay.last + LIGHT_REACHES for stay in self.stays)


def together(pairs: Iterable[Pair], begin: int, end: int) -> list[Piece]:
    """What is known of a device, or of an address, by its pairs: there while one of them is, else what is known of the one that had
    answered last."""
    courses = [(pair, pair.course(begin, end)) for pair in pairs]
    if len(courses) == 1:
        return courses[0][1]
    marks = sorted({mark for _, course in courses for piece in course for mark in (piece.first, piece.last)})
    at = [0] * len(courses)
    found: list[Piece] = []
    for first, last in pairwise(marks):
        known: Known | None = None
        latest = -1
        for number, (pair, course) in enumerate(courses):
            while at[number] < len(course) and course[at[number]].last <= first:
                at[number] += 1
            if at[number] == len(course) or course[at[number]].first > first:
                continue
            mine = course[at[number]].known
            answered = max((min(one.last, first) for one in pair.stays if one.first <= first), default=0)
            if known is None or (mine.there and not known.there) or (mine.there == known.there and answered > latest):
                known, latest = mine, answered
        if known is None:
            continue
        if found and found[-1].known is known and found[-1].last == first:
            found[-1] = Piece(found[-1].first, last, known)
        else:
            found.append(Piece(first, last, known))
    return found


@dataclass(frozen=True, slots=True)
class Presence:
    """How long a device or an address was there within a stretch of time, how long it was not, and how long that is in all (ms)."""

    there: int = 0
    silent: int = 0
    whole: int = 0

    @property
    def known(self) -> float:
        """Of which part of the time it is known, 0 to 1."""
        return (self.there + self.silent) / self.whole if self.whole else 0.0

    def share(self, least: int) -> float | None:
        """How much of what is known it was there, 0 to 1; None where less than `least` ms are known: that would say nothing."""
        known = self.there + self.silent
        return self.there / known if known and known >= least else None


def presence(course: Iterable[Piece], begin: int, end: int) -> Presence:
    """How long it was there from `begin`, or from where something is known of it first, to `end`."""
    there = silent = 0
    since = end
    for piece in course:
        first, last = max(piece.first, begin), min(piece.last, end)
        if last <= first:
            continue
        since = min(since, first)
        if piece.known.there:
            there += last - first
        elif piece.known is Known.SILENT:
            silent += last - first
    return Presence(there, silent, end - since)
