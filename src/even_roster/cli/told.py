"""Answers as the service wrote them, with the attributes of the API's models and none of their weight."""

from __future__ import annotations

import re
from datetime import datetime
from typing import Any

TIMES = frozenset({
    "answered_after", "answered_before", "asked_at", "at", "begun_at", "closed", "closed_at", "ends", "expires", "first_opened",
    "first_seen", "found_at", "handed_out_at", "heard_at", "held_at", "last_scan", "last_seen", "next_scan", "opened_at",
    "published_at", "read_at", "rebinds", "refused_until", "renewed", "renews", "said_at", "sent", "sent_at", "silent_from",
    "silent_since", "silent_until", "since", "started", "storm", "touched_at", "until", "up_at", "updated", "went_at",
})  # fmt: skip
"""What of the API's models is a time (a test compares it with the API's description)."""
_TIME = re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?Z")


class Told(dict[str, Any]):
    """A JSON object whose members are attributes, too: objects and lists in it likewise, times as such."""

    __slots__ = ()

    def __getattribute__(self, name: str) -> Any:
        if dict.__contains__(self, name):
            return told(dict.__getitem__(self, name), name in TIMES)
        return dict.__getattribute__(self, name)


def told(value: Any, is_time: bool = False) -> Any:
    """A JSON value as the command line reads it."""
    if isinstance(value, dict):
        return Told(value)
    if isinstance(value, list):
        return [told(one, is_time) for one in value]
    if is_time and isinstance(value, str) and _TIME.fullmatch(value):
        return datetime.fromisoformat(value)
    return value
