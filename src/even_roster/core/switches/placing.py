"""Where a MAC is plugged in: graded answers from the ports that have learnt it. Pure.

`on this port`: learnt behind a port that is no uplink. `behind this port`: only uplinks have learnt it, so that something hangs
between that is not read; the one with the fewest behind it is the nearest. `not seen since`: no port has learnt it now;
where it was last.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum


class Grade(StrEnum):
    """How well it is known where a device is plugged in."""

    ON = "on"
    BEHIND = "behind"
    SINCE = "not since"


AGEING_MS = 15 * 60 * 1000
"""Switches forget after 5 minutes, and are read some minutes apart: within this time two of them may differ and both be right."""


@dataclass(frozen=True, slots=True)
class Candidate:
    """A port that has learnt a MAC: since when and until when, whether it still has, whether that has ended for a reason, whether
    the port leads to other switches, how many are behind it, and whether it faces a switch that was read at that time: then it is
    that one's to say where somebody is, and who has left it is remembered here for some minutes for nothing."""

    switch: int
    port: int
    first: int
    last: int
    here: bool
    uplink: bool
    behind: int
    ended: bool = False
    faces: bool = False


@dataclass(frozen=True, slots=True)
class Placed:
    """Where it is: the port and how well that is known; `others` are further ports without a switch behind them that have it now,
    which cannot all be right."""

    grade: Grade
    at: Candidate
    others: tuple[Candidate, ...] = ()


def place(candidates: Sequence[Candidate]) -> Placed | None:
    """The answer from all ports that have or had learnt a MAC; None where none ever did."""
    newest = max((one.last for one in candidates), default=0)
    there = [one for one in candidates if one.here]
    lately = [
        one
        for one in candidates
        if not one.uplink and not one.ended and one.last >= newest - AGEING_MS and (one.here or there)
    ]
    edges = sorted(lately, key=_latest) or sorted((one for one in there if not one.uplink), key=_latest)
    if edges:
        return Placed(Grade.ON, edges[-1], tuple(one for one in edges[:-1] if one.here and edges[-1].here))
    uplinks = [one for one in there if not one.faces]
    if uplinks:
        return Placed(Grade.BEHIND, min(uplinks, key=lambda one: (one.behind, -one.last)))
    gone = sorted(candidates, key=lambda one: (one.last, not one.uplink, -one.behind))
    last = [one for one in gone if not one.uplink and one.last >= newest - AGEING_MS] or gone
    return Placed(Grade.SINCE, last[-1]) if last else None


def _latest(one: Candidate) -> tuple[bool, int, int]:
    """Who came last is where it is now: a stay that began later beats one that was read later."""
    return one.here, one.first, one.last
