"""Deaf times: when nothing could be learnt, and why. Pure; times are UTC milliseconds."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import IntEnum


class Deafness(IntEnum):
    """Why nothing could be learnt. The numbers are stored."""

    STOPPED = 1
    KILLED = 2
    LINK_DOWN = 3
    NOT_LISTENING = 4
    FRAMES_LOST = 5
    CLOCK_BACK = 6
    CLOCK_FORWARD = 7


_WORDS = {
    Deafness.STOPPED: "Even Roster did not run",
    Deafness.KILLED: "Even Roster did not run, and was not stopped in order",
    Deafness.LINK_DOWN: "the link of {adapter} was down",
    Deafness.NOT_LISTENING: "nothing was listened to on {adapter}",
    Deafness.FRAMES_LOST: "more frames came on {adapter} than could be read",
    Deafness.CLOCK_BACK: "the clock of this machine was set back: these times passed twice",
    Deafness.CLOCK_FORWARD: "this machine slept, or its clock was set forward",
}
UNASKED = (
    Deafness.STOPPED, Deafness.KILLED, Deafness.LINK_DOWN, Deafness.CLOCK_BACK, Deafness.CLOCK_FORWARD
)  # fmt: skip
"""Those in which nobody can be asked; in the others only nothing is overheard."""


@dataclass(frozen=True, slots=True)
class DeafTime:
    """A stretch of time in which nothing could be learnt, on an adapter (empty: on all). `last` is 0 while it goes on. Both ends
    are as certain as what bounds them: a service that was killed is known to have lived at `first`."""

    why: Deafness
    adapter: str
    first: int
    last: int

    @property
    def said(self) -> str:
        """Why, for a sentence."""
        return _WORDS[self.why].format(adapter=self.adapter or "this machine")

    def meets(self, first: int, last: int) -> bool:
        """True when it lies within a stretch of time, or reaches into it."""
        return self.first <= last and (not self.last or self.last >= first)


def unasked(times: Iterable[DeafTime], first: int, last: int) -> list[DeafTime]:
    """The times within a stretch in which nobody could be asked, the longest first."""
    found = [one for one in times if one.why in UNASKED and one.meets(first, last)]
    return sorted(found, key=lambda one: one.first - (one.last or last))
