"""A roll call: a standing list of whom to look for again and again, in an order of one's own. Its lines as people write them, and
how each of them stands. Pure.

A line is a device, an address or a MAC, then a name and a note, with commas between: `10.44.20.30, light desk, behind the curtain`.
Behind the note may stand `warn=10`, the minutes of patience before an absence is told (`warn=0`: never), and
`until=2026-12-24`, the day until which the line is left alone."""

from __future__ import annotations

import csv
import io
from collections import deque
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from enum import StrEnum
from typing import TypedDict

MOST_LINES = 2000
LONGEST = 200
KEPT = 60
LONGEST_PATIENCE = 100_000
PATIENCE = 2
"""How many looks in a row somebody is silent who was here before: one frame is lost easily."""


class RollError(ValueError):
    """Lines are not as they should be; the message says which, and what would be right."""


@dataclass(frozen=True, slots=True)
class Line:
    """Whom to look for, what people call it here, and a note; after how many minutes of absence somebody is told (None: as the
    whole roll call says), and the day until which it is left alone (ISO 8601, empty for none)."""

    subject: str
    name: str = ""
    notes: str = ""
    warn: int | None = None
    until: str = ""


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
        parts, more = parts[:3], parts[3:]
        if any(len(part) > LONGEST for part in parts):
            raise RollError(f"line {number}: a part of it is over {LONGEST} characters")
        if (before := seen.setdefault(parts[0].casefold(), number)) != number:
            raise RollError(f"line {number}: {parts[0]} stands in line {before} already")
        subject, name, notes = [*parts, "", ""][:3]
        found.append(replace(Line(subject, name, notes), **_settings(number, more)))
    if len(found) > MOST_LINES:
        raise RollError(f"it has {len(found):,} lines; a roll call has {MOST_LINES:,} at most")
    return tuple(found)


class _Settings(TypedDict, total=False):
    warn: int
    until: str


def _settings(number: int, parts: Sequence[str]) -> _Settings:
    """What stands behind a line's note. Raises RollError."""
    found: _Settings = {}
    for part in parts:
        word, _, value = (one.strip() for one in part.partition("="))
        if (
            word == "warn"
            and value.isascii()
            and value.isdigit()
            and int(value) <= LONGEST_PATIENCE
            and "warn" not in found
        ):
            found["warn"] = int(value)
        elif word == "until" and _is_day(value) and "until" not in found:
            found["until"] = value
        else:
            raise RollError(
                f"line {number}: {part!r} is not understood; behind the note stands warn=MINUTES or until=YYYY-MM-DD, and a note "
                "that holds commas goes in quotes"
            )
    return found


def _is_day(text: str) -> bool:
    try:
        return date.fromisoformat(text).isoformat() == text
    except ValueError:
        return False


def written(lines: Sequence[Line]) -> str:
    """The same as a text that `read` understands."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    for line in lines:
        parts = [line.subject, line.name, line.notes]
        more = [f"warn={line.warn}"] if line.warn is not None else []
        more += [f"until={line.until}"] if line.until else []
        while len(parts) > 1 and not parts[-1] and not more:
            parts.pop()
        writer.writerow([*parts, *more])
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


def overdue(
    lines: Sequence[Line], standings: Mapping[str, Standing], minutes: int, now: int, today: str, quiet: bool,
    before: Collection[str],
) -> set[str]:  # fmt: skip
    """Whom to tell of: the lines that are silent for longer than their patience (`minutes`, where they say nothing of their
    own), at `now` (UTC ms) on the day `today`. Within quiet hours nobody new is told of, and who was told of `before` stays
    told."""
    found = set()
    for line in lines:
        patience = minutes if line.warn is None else line.warn
        standing = standings.get(line.subject)
        if (
            standing is None
            or standing.state is not State.SILENT
            or standing.since is None
            or not patience
            or line.until > today
        ):
            continue
        if line.subject in before or (now - standing.since >= patience * 60_000 and not quiet):
            found.add(line.subject)
    return found
