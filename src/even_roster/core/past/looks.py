"""Looks are facts: which addresses were asked for, by which means, through which adapter, from when to when, and whether a control
answered. Looks of one kind follow each other in series, so that a year of them is a few rows.

Who answered in a look is told by the stays, and who did not by the silences of their pairs: a pair that was asked in a look and has
no silence there answered. Pure; times are UTC milliseconds.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import IntEnum

from ..address import Address
from ..span import SpanSet
from ..stays import Source

MINUTE = 60_000
DAY = 24 * 3600 * 1000
LEAST_BREAK = 10 * MINUTE
LONGEST_PAUSE = 26 * 3600 * 1000
STEADY = 3
LIGHT_REACHES = 7 * DAY
"""How long ago a pair may have answered last to be asked in a light check."""


class Kind(IntEnum):
    """A full scan asks for all of its addresses, a light check for those of its range that somebody held within LIGHT_REACHES, a
    round for certain ones. The numbers are stored."""

    SCAN = 1
    LIGHT = 2
    ROUND = 3

    @property
    def words(self) -> str:
        """For a sentence."""
        return {Kind.SCAN: "a full scan", Kind.LIGHT: "a light check", Kind.ROUND: "a question for it"}[self]


@dataclass(frozen=True, slots=True)
class Look:
    """One look that is over. `controlled`: a device that was known before answered in it; without one it says nothing."""

    kind: Kind
    by: Source
    adapter: str
    spans: SpanSet
    began: int
    ended: int
    controlled: bool = True

    def of(self, spans: SpanSet) -> Look:
        """The same look at some of its addresses."""
        return replace(self, spans=spans)


@dataclass(frozen=True, slots=True)
class Series:
    """Looks of one kind at the same addresses: from `first` to `last`, the latest begun at `began`, `count` in all; `every` is the
    longest time from the beginning of one to the end of the next. `id` is None until stored."""

    id: int | None
    kind: Kind
    by: Source
    adapter: str
    spans: SpanSet
    first: int
    began: int
    last: int
    count: int = 1
    every: int = 0
    controlled: bool = True

    @property
    def key(self) -> tuple[object, ...]:
        """What looks of one series have in common."""
        return self.kind, self.by, self.adapter, self.spans.pairs, self.controlled

    def stored(self, identity: int) -> Series:
        """The same with the id by which it is stored."""
        return self if self.id == identity else replace(self, id=identity)

    def next_by(self, moment: int) -> int:
        """By when its next look at a moment, or after it, had begun; one that goes on had one within `every`."""
        return self.first if self.first >= moment else min(moment + self.every, self.began)

    def asks(self, address: Address, moment: int, answered: int | None = None) -> bool:
        """True when its looks around a moment ask for an address; `answered` is when a device answered there last, before them."""
        if address not in self.spans:
            return False
        if self.kind is not Kind.LIGHT:
            return True
        return answered is not None and max(self.first, min(self.began, moment)) - answered <= LIGHT_REACHES


def begun(look: Look) -> Series:
    """A series of one look."""
    return Series(
        None, look.kind, look.by, look.adapter, look.spans, look.began, look.began, look.ended,
        controlled=look.controlled,
    )  # fmt: skip


def goes_on(series: Series | None, look: Look) -> Series:
    """The series with one more look; a new one where too long passed since the last, or nothing is of the same kind."""
    new = begun(look)
    if series is None or series.key != new.key or look.began < series.began:
        return new
    pause = look.began - series.began
    longest = LONGEST_PAUSE if series.count < STEADY else max(2 * series.every, LEAST_BREAK)
    if pause > min(longest, LONGEST_PAUSE):
        return new
    return replace(
        series, began=look.began, last=max(series.last, look.ended), count=series.count + 1,
        every=max(series.every, look.ended - series.began),
    )  # fmt: skip


def apart(series: Iterable[Series], address: Address, moment: int, answered: int | None, by: Source) -> int | None:
    """How far apart at most two looks lie that asked for a pair around a moment by a means that it answers; None where none did."""
    found = [
        one.every
        for one in series
        if one.controlled
        and one.count > 1
        and one.first <= moment <= one.began
        and one.by & by
        and one.asks(address, moment, answered)
    ]
    return min(found, default=None)


def beside(
    series: Iterable[Series], address: Address, moment: int, answered: int | None = None
) -> tuple[Series | None, Series | None]:
    """The series with the last look at an address that was over at a moment, and the one with the next after it."""
    asking = [one for one in series if one.controlled and one.asks(address, moment, answered)]
    before = max((one for one in asking if one.first <= moment), key=lambda one: min(one.last, moment), default=None)
    after = min((one for one in asking if one.began >= moment), key=lambda one: one.next_by(moment), default=None)
    return before, after
