"""One front of a sweep: a set of targets that are asked round after round until they answer. No I/O, no clock.

State is kept in flat arrays, two octets and one 32-bit float per address, never an object per address: a /12 costs 6 MB.
"""

from __future__ import annotations

from array import array
from collections.abc import Callable, Collection
from dataclasses import dataclass

from ..core.address import Address
from ..core.span import Positions, SpanSet
from .rtt import CEILING

_SILENT = 0
_MOST_COUNTED = 255


@dataclass(frozen=True, slots=True)
class Heard:
    """A target's answer: the reply time in seconds where it is certain; `late` when it is not because more than one question
    was asked by then."""

    rtt: float | None
    late: bool


class Front:
    """Who was asked when, who has answered, and who is due next.

    Rounds follow each other address by address: an address is asked again when its own waiting time is over, so a long
    range flows through its rounds without a pause. After the last round, expected addresses that are still silent are
    asked `extra_rounds` more. Addresses in `slow` answered late before: each is asked once and given CEILING seconds, so that
    its reply time can be told, and then once more.
    """

    def __init__(
        self,
        targets: SpanSet,
        rounds: int,
        extra_rounds: int,
        expected: Collection[int],
        wait: Callable[[], float],
        slow: Collection[int] = (),
    ) -> None:
        self._positions = Positions(targets)
        self.total = self._positions.total
        self._answered = bytearray(self.total)
        self._asked = bytearray(self.total)
        self._sent = array("f", bytes(4 * self.total))
        self._wait = wait
        self._rounds = rounds
        self._extra_rounds = extra_rounds
        self._expected = sorted(i for i in map(self._positions.index, expected) if i >= 0)
        self._slow = {i for i in map(self._positions.index, slow) if i >= 0}
        self._round = 0
        self._cursor = 0
        self._last_sent = float("-inf")
        self._base = 0.0
        self._left: list[int] | None = None
        self.answered = 0
        self.wake: float | None = None
        self.done = self.total == 0

    @property
    def round(self) -> int:
        """The current round, from 1."""
        return min(self._round + 1, self._rounds + self._extra_rounds)

    def next(self, now: float, read_until: float | None = None) -> int | None:
        """The next address to ask at this moment, or None; then `wake` says when to come again, or `done` is set. An address
        is silent when its time is over and everything that arrived in it was read: `read_until` is how far that is."""
        read = now if read_until is None else read_until
        if not self._base:
            self._base = now - 1.0  # 32-bit floats keep microseconds only near zero
        while not self.done:
            index = self._next_index()
            if index is None:
                if not self._next_round():
                    over = self._over()
                    self.done, self.wake = read >= over, over
                    return None
                continue
            if self._round:
                due = self._base + self._sent[index] + (CEILING if index in self._slow else self._wait())
                if due > read:
                    self.wake = due
                    return None
            self._cursor += 1
            self._sent[index] = now - self._base
            self._asked[index] = min(self._asked[index] + 1, _MOST_COUNTED)
            self._last_sent = now
            return self._positions.address(index)
        return None

    def _over(self) -> float:
        """When nobody need be waited for any more."""
        patience = [self._base + self._sent[i] + CEILING for i in self._slow if not self._answered[i]]
        return max((self._last_sent + self._wait(), *patience))

    def _next_index(self) -> int | None:
        if self._left is None:
            index = self._answered.find(_SILENT, self._cursor)
            while self._round and index in self._slow:
                index = self._answered.find(_SILENT, index + 1)
            self._cursor = index
            return index if index >= 0 else None
        while self._cursor < len(self._left):
            index = self._left[self._cursor]
            if not self._answered[index]:
                return index
            self._cursor += 1
        return None

    def _next_round(self) -> bool:
        """Begin another round if there is one; False when all are over."""
        if self._round + 1 >= self._rounds:
            self._left = [i for i in self._expected if not self._answered[i] and i not in self._slow]
            if self._round + 1 == self._rounds:
                self._left += sorted(i for i in self._slow if not self._answered[i])
            if self._round + 1 >= self._rounds + self._extra_rounds or not self._left:
                self._cursor = len(self._left)
                return False
        self._round += 1
        self._cursor = 0
        return True

    def asked(self, address: Address) -> bool:
        """Whether an address was asked for: what comes before that, or for others, answers no question."""
        index = self._positions.index(address)
        return index >= 0 and self._asked[index] > 0

    def heard(self, address: Address, at: float) -> Heard | None:
        """An address answered; None when it is none of the targets. A reply time is told for the first answer to an only question
        (RFC 6298 section 3): what comes after may answer an earlier question, or somebody else's."""
        index = self._positions.index(address)
        if index < 0:
            return None
        first = not self._answered[index]
        if first:
            self._answered[index] = 1
            self.answered += 1
        asked = self._asked[index]
        return Heard(at - self._base - self._sent[index] if first and asked == 1 else None, first and asked > 1)

    def probes_left(self) -> int:
        """An upper estimate of the sends still to come if nobody else answers."""
        if self._left is not None:
            return len(self._left) - self._cursor
        silent = self.total - self.answered
        ahead = round(silent * (1 - max(self._cursor, 0) / self.total)) if self.total else 0
        return ahead + silent * max(self._rounds - self._round - 1, 0)

    def ask_no_more(self) -> None:
        """Give the front up: nothing more is due."""
        self.done = True
