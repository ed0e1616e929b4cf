"""When a device that does not answer is gone, and why. Silence is a fact only where it was asked for and a control answered.

A control is another device of the same link that answered in the same look: a pulled cable of our own silences everybody and proves
nothing. A means by which a device never answered proves nothing about it either (what was only overheard or leased was never asked
for). A device is gone from an address when another answers there and it does not, when it answers elsewhere instead, or when
ENOUGH looks in a row over at least LONG found it silent. Pure; times are UTC milliseconds.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import IntEnum

from .stays import Source

ENOUGH = 3
LONG = 15 * 60 * 1000


class Reason(IntEnum):
    """Why a stay ended. The numbers are stored."""

    NONE = 0
    SILENT = 1
    GAVE_WAY = 2
    MOVED = 3

    @property
    def words(self) -> str:
        """For a sentence."""
        return _WORDS[self]


_WORDS = {
    Reason.NONE: "",
    Reason.SILENT: "it did not answer any more",
    Reason.GAVE_WAY: "another device answered there and it did not",
    Reason.MOVED: "it answered elsewhere",
}

ASKED_BY_ARP = Source.ARP | Source.NEIGHBOUR
ASKED_AFAR = Source.ECHO | Source.CONNECT
ANSWERS = ASKED_BY_ARP | ASKED_AFAR
"""The sources that are answers to questions of ours."""


@dataclass(frozen=True, slots=True)
class Silence:
    """How often in a row a device was asked for in vain, the first and the last time; `reason` says that it is gone, and then
    `last` is when that was certain. `before` is its last answer before, `after` when it answered again, 0 while it has not."""

    count: int = 0
    first: int = 0
    last: int = 0
    reason: Reason = Reason.NONE
    before: int = 0
    after: int = 0

    def asked_again(self, at: int, *, rival: bool, elsewhere: bool, before: int = 0) -> Silence:
        """After one more look in which it was silent and a control answered. `rival`: another answered at its address;
        `elsewhere`: it answered at another one; `before`: when it answered last."""
        if self.reason is not Reason.NONE:
            return self
        count, first = self.count + 1, self.first or at
        reason = (
            Reason.GAVE_WAY
            if rival
            else Reason.MOVED
            if elsewhere
            else Reason.SILENT
            if count >= ENOUGH and at - first >= LONG
            else Reason.NONE
        )
        return Silence(count, first, at, reason, self.before or before)

    def moved(self, offset: int) -> Silence:
        """The same with its times moved by so many milliseconds."""
        first, last, before = self.first + offset, self.last + offset, self.before + offset
        return replace(self, first=first, last=last, before=before, after=self.after + offset if self.after else 0)


HEARD = Silence()
"""Nothing is known against a device: it answered, or was never asked."""
