"""Which entry of the queue starts next. Pure: no clock, no processes.

Each test module declares what it may run beside, in a constant of its own:

    BESIDE = "anything"                  it touches nothing outside its own process, its services and its files
    BESIDE = "link"                      it uses network namespaces that it makes itself
    BESIDE = "shared: neighbour table"   it uses up something that the whole machine has once; the name says what
    BESIDE = "alone"                     it measures what anything else would disturb
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

ANYTHING, LINK, ALONE, SHARED = "anything", "link", "alone", "shared: "
NEIGHBOUR_TABLE = "shared: neighbour table"
"""The kernel has one neighbour table for all namespaces: what fills it up takes it away from every link."""
WAITING_PER_CORE, WORKING_BEYOND, HALF = 3, 1, 0.5
"""How many entries may run at once of those that keep a core busy for less than half of their time (for each core), and of the others
(beyond the cores): each kind has its own places, since a core that nobody wants is time lost while only such run as wait."""
FULL = 1.25
"""All entries that run together want no more than so much of each core: one that waited for its turn when it was measured seems to want
less than it does. Durations that were kept in a crowded run would crowd the next one more."""


@dataclass(frozen=True, slots=True)
class Entry:
    """One thing to run: a module of tests, or a command that checks something."""

    name: str
    beside: str = ANYTHING
    part: str = "test"
    command: tuple[str, ...] = ()
    """Arguments of a process; empty for a module of Python tests."""
    only: tuple[str, ...] = ()
    """Tests of the module, as `module.Class.test`; empty for all."""
    wall_seconds: float = 0.0
    processor_seconds: float = 0.0

    @property
    def load(self) -> float:
        """The share of one core that it keeps busy, by its kept durations; 1 where nothing is known. Browsers, servers and
        compilers may keep more than one busy."""
        return self.processor_seconds / self.wall_seconds if self.wall_seconds else 1.0


def valid(beside: str) -> bool:
    """True for the four forms of the declaration."""
    return beside in (ANYTHING, LINK, ALONE) or (beside.startswith(SHARED) and len(beside) > len(SHARED))


def compatible(one: str, other: str) -> bool:
    """True when entries with these declarations may run at the same time."""
    if ALONE in (one, other):
        return False
    if one.startswith(SHARED) and one == other:
        return False
    return {one, other} != {LINK, NEIGHBOUR_TABLE}


def in_order(entries: Iterable[Entry]) -> list[Entry]:
    """The queue: entries that must be alone first, since nothing has to end before they may begin; then the longest first.
    What was never measured counts as the longest."""
    return sorted(entries, key=lambda e: (e.beside != ALONE, bool(e.wall_seconds), -e.wall_seconds, e.name))


def next_entry(waiting: Sequence[Entry], running: Sequence[Entry], cores: int) -> Entry | None:
    """The first entry of the queue that may start beside those that run; None while all have to wait."""
    most = {True: WAITING_PER_CORE * cores, False: WORKING_BEYOND + cores}
    for entry in waiting:
        if not all(compatible(entry.beside, other.beside) for other in running):
            continue
        waits = entry.load < HALF
        if sum((other.load < HALF) is waits for other in running) >= most[waits]:
            continue
        if len(running) < cores or sum(one.load for one in running) + entry.load <= FULL * cores:
            return entry
    return None
