"""A roll call: a standing list of whom to look for again and again, in an order of one's own. Its lines as people write them, and
how each of them stands. Pure.

A line is a device, an address or a MAC, then a name and a note, with commas between: `10.44.20.30, light desk, behind the curtain`.
"""

from __future__ import annotations

import csv
import io
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass, field
from enum import StrEnum

MOST_LINES = 2000
LONGEST = 200
KEPT = 60
PATIENCE = 2
"""How many looks in a row somebody is silent who was here before: one frame is lost easily."""


class RollError(ValueError):
    """Lines are not as they should be; the message says which, and what would be right."""


@dataclass(frozen=True, slots=True)
class Line:
    """Whom to look for, what people call it here, and a note."""

    subject: str
    name: str = ""
    notes: str = ""


def read(text: str) -> tuple[Line, ...]:
    """The lines of a text; empty ones and those that begin with # are left out. Raises RollError."""
    found: list[Line] = []
    seen: dict[str, int] = {}
    for number, written in enumerate(text.splitlines(), start=1):
        if not written.strip() or written.lstrip().startswith("#"):
            continue
        try:
            parts = [part.strip() for part in next(csv.reader([written], skipinitialspace=True, strict=True))]
        except csv.Error as error:
            raise RollError(f"line {number}: {error}; check the quotes there") from error
        if not parts[0]:
            raise RollError(f"line {number}: it names nobody; begin it with an address, a MAC or a device")
        if len(parts) > 3:
            raise RollError(
                f"line {number}: it has {len(parts)} parts; write address, name, note, with a note that holds commas in quotes"
            )
        if any(len(part) > LONGEST for part in parts):
            raise RollError(f"line {number}: a part of it is over {LONGEST} characters")
        if (before := seen.setdefault(parts[0].casefold(), number)) != number:
            raise RollError(f"line {number}: {parts[0]} stands in line {before} already")
        found.append(Line(*parts))
    if len(found) > MOST_LINES:
        raise RollError(f"it has {len(found):,} lines; a roll call has {MOST_LINES:,} at most")
    return tuple(found)


def written(lines: Sequence[Line]) -> str:
    """The same as a text that `read` understands."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    for line in lines:
        parts = [line.subject, line.name, line.notes]
        while len(parts) > 1 and not parts[-1]:
            parts.pop()
        writer.writerow(parts)
    return out.getvalue()


class State(StrEnum):
    """How a line stands: it answers, it does not, or nobody can say."""

    HERE = "here"
    SILENT = "silent"
    UNKNOWN = "unknown"


@dataclass(slots=True)
class Standing:
    """How one line stands since when (UTC ms), and the last looks at it: 1 here, 0 silent, -1 nobody could say."""

    state: State = State.UNKNOWN
    since: int | None = None
    said: str = "not looked at yet"
    seen: int | None = None
    misses: int = 0
    course: deque[int] = field(default_factory=lambda: deque(maxlen=KEPT))

    def looked(self, at: int, here: bool | None, said: str) -> bool:
        """Somebody looked: here, silent, or it could not be told (None), and why. Gives whether the state is another one now."""
        self.course.append(-1 if here is None else int(here))
        self.misses = self.misses + 1 if here is False else 0
        if here:
            self.seen = at
        now = State.UNKNOWN if here is None else State.HERE if here else State.SILENT
        if now is State.SILENT and self.state is State.HERE and self.misses < PATIENCE:
            return False  # one answer may have been lost
        self.said = said
        if now is self.state:
            return False
        self.state, self.since = now, at
        return True
