"""Times as people write them: '14:05', 'yesterday 9:30', 'tuesday 14:05', '2 hours ago', dates and ISO 8601. Pure."""

from __future__ import annotations

import re
from datetime import datetime, timedelta

_DAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
_CLOCK = re.compile(r"(\d{1,2})[:.h](\d{2})(?::(\d{2}))?$")
_AGO = re.compile(r"(\d{1,12})\s*(s|sec|seconds?|min|minutes?|h|hours?|d|days?|w|weeks?)(?:\s+ago)?$")
_DATE = re.compile(r"(\d{4})-(\d{2})-(\d{2})$")
_UNITS = {"s": 1, "m": 60, "h": 3600, "d": 86400, "w": 7 * 86400}
FIRST, LAST = 1970, 2999
HINT = "write it as 14:05, 'yesterday 14:05', 'tuesday 14:05', 2026-03-01, 2026-03-01T14:05 or '2 hours ago'"


class MomentError(ValueError):
    """A text is not a time; the message says what would be one."""


def parse(text: str, now: datetime) -> datetime:
    """The moment a text means; `now` is aware, and a time without a zone is in its zone. A bare clock time or weekday
    is the latest one that is past. Raises MomentError."""
    try:
        found = _meant(text, now)
    except OverflowError:
        found = None
    if found is None or not FIRST <= found.year <= LAST:
        raise MomentError(f"{text[:60]!r} is too far away: times are from {FIRST} to {LAST}")
    return found


def _meant(text: str, now: datetime) -> datetime:
    words = text.strip().casefold().replace("last ", "")
    if words in ("now", ""):
        if words:
            return now
        raise MomentError(f"the time is empty; {HINT}")
    if match := _AGO.match(words):
        return now - timedelta(seconds=int(match[1]) * _UNITS[match[2][0]])
    if "t" in words[10:11] or "+" in words or words.endswith("z"):
        return _iso(text, now)
    day, rest, weekday = _day(words, now)
    moment = day
    if rest:
        match = _CLOCK.match(rest)
        if match is None or int(match[1]) > 23 or int(match[2]) > 59 or int(match[3] or 0) > 59:
            raise MomentError(f"{text[:60]!r} is not a time; {HINT}")
        moment = day.replace(hour=int(match[1]), minute=int(match[2]), second=int(match[3] or 0))
    if moment > now and words[:1].isdigit() and not _DATE.match(words.split()[0]):
        moment -= timedelta(days=1)
    if weekday and moment > now:
        moment -= timedelta(days=7)
    return moment


def _day(words: str, now: datetime) -> tuple[datetime, str, bool]:
    """Midnight of the day that is meant, what follows it, and whether a weekday was named."""
    midnight = now.replace(hour=0, minute=0, second=0, microsecond=0)
    first, _, rest = words.partition(" ")
    if first == "today":
        return midnight, rest.strip(), False
    if first == "yesterday":
        return midnight - timedelta(days=1), rest.strip(), False
    named = next((n for n, name in enumerate(_DAYS) if len(first) >= 3 and name.startswith(first)), None)
    if named is not None:
        return midnight - timedelta(days=(now.weekday() - named) % 7), rest.strip(), True
    if match := _DATE.match(first):
        try:
            return midnight.replace(year=int(match[1]), month=int(match[2]), day=int(match[3])), rest.strip(), False
        except ValueError as error:
            raise MomentError(f"{first} is not a day of the calendar") from error
    return midnight, words, False


def _iso(text: str, now: datetime) -> datetime:
    try:
        found = datetime.fromisoformat(text.strip())
    except ValueError as error:
        raise MomentError(f"{text[:60]!r} is not a time; {HINT}") from error
    return found if found.tzinfo is not None else found.replace(tzinfo=now.tzinfo)
