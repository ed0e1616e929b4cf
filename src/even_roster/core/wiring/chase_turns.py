"""What turned at the ports of a switch between two looks in a chase. Pure."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

UP = 1
"""ifOperStatus up (RFC 2863)."""


@dataclass(frozen=True, slots=True)
class Turned:
    """A port that lost or got its link, by its interface's number."""

    index: int
    up: bool


def turned(before: Mapping[int, int] | None, now: Mapping[int, int]) -> list[Turned]:
    """Which ports lost or got their link; nothing at the first look. A port that is not told this time has not turned."""
    if before is None:
        return []
    return [
        Turned(index, state == UP)
        for index, state in sorted(now.items())
        if index in before and (before[index] == UP) != (state == UP)
    ]


def said(switch: str, port: str, names: Sequence[str], *, up: bool) -> str:
    """What turned, in a sentence: who hangs or hung there, as far as is known."""
    who = f": {', '.join(names[:3])}{f' and {len(names) - 3} more' if len(names) > 3 else ''}" if names else ""
    return f"port {port} of {switch} {'got its link' if up else 'lost its link'}{who}"
