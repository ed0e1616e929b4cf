"""Holds back notices that strangers could cause at will: what was only heard can be forged, again and again.

Of such a finding people are told once an hour, and of MOST of each kind: a flood of one kind holds back no other. What turned
meanwhile is held back, and told when the hour is over if it stands still then; each notice says what was held back before it. Times
are seconds on the steady clock.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator

from ...core.findings.engine import Turn, Turned

HOUR = 3600.0
MOST = 8


class HeardNotices:
    """The notices of findings that were only heard: which went out, and which are held back."""

    def __init__(self, now: Callable[[], float]) -> None:
        self._now = now
        self._told: dict[int, tuple[float, str]] = {}
        self._open: set[int] = set()
        self._held: dict[int, Turned] = {}
        self._turns = Counter[int]()

    def holds(self, identity: int, one: Turned) -> bool:
        """True when a turn of a finding is to be held back; else it is taken to be told."""
        if one.turn is Turn.CLOSED:
            if identity in self._open or not (one.finding.heard and identity in self._turns):
                self._open.discard(identity)
                return False
            self._held.pop(identity, None)
            return True
        if not one.finding.heard:  # it answered: that is told at once
            self._held.pop(identity, None)
            return False
        if self._may(identity, one):
            self._tell(identity, one)
            return False
        self._held[identity] = one
        self._turns[identity] += 1
        return True

    def due(self) -> Iterator[tuple[int, Turned]]:
        """What was held back, stands still and may be told by now; it is taken to be told."""
        for identity, one in list(self._held.items()):
            if self._may(identity, one):
                self._tell(identity, one)
                yield identity, one

    def before(self, identity: int) -> str:
        """What was held back of a finding before a notice, as more of its sentence; empty where nothing was."""
        count = self._turns.pop(identity, 0)
        if not count:
            return ""
        return f"; {count:,} more turn{'s were' if count > 1 else ' was'} held back since the last notice of it"

    def _may(self, identity: int, one: Turned) -> bool:
        now = self._now()
        self._told = {told: (at, kind) for told, (at, kind) in self._told.items() if now - at < HOUR}
        of_kind = sum(1 for _, kind in self._told.values() if kind == one.finding.kind)
        return identity not in self._told and of_kind < MOST

    def _tell(self, identity: int, one: Turned) -> None:
        self._told[identity] = self._now(), one.finding.kind
        self._open.add(identity)
        self._held.pop(identity, None)
