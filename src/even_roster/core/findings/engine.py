"""Runs the rules and keeps the findings: opened, updated, closed by themselves, reopened with memory. No I/O.

`Engine.settle` looks at what was touched since the last call, at what waits for its time, and gives the turns that were
taken. Accepted exceptions do not stop a finding: it stands as accepted, and nobody is called for it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum

from ..address import Address, ipv4
from . import rules_addresses, rules_dhcp, rules_gateway, rules_heard, rules_link, rules_plan, rules_ports, rules_rolls
from .model import About, Away, Evidence, Found, Severity, State, Step, Subject, telling
from .rule import Rule
from .world import World

RULES: tuple[Rule, ...] = (
    *rules_addresses.RULES, *rules_plan.RULES, *rules_link.RULES, *rules_dhcp.RULES, *rules_rolls.RULES,
    *rules_ports.RULES, *rules_heard.RULES, *rules_gateway.RULES,
)  # fmt: skip
BY_KIND: Mapping[str, Rule] = {rule.kind: rule for rule in RULES}
_BY_ABOUT = {about: tuple(rule for rule in RULES if rule.about is about) for about in About}

Name = tuple[str, str]  # kind, key text
ASKED_AGAIN = {
    "duplicate-address", "address-claimed", "gateway-changed", "address-taken-over", "adapters-answer-for-each-other",
    "assignment-not-in-effect",
}  # fmt: skip
MOST_AGAIN = 128


@dataclass(frozen=True, slots=True)
class Acceptance:
    """A hand said that a finding is all right: why, until when (UTC ms, None for good), and for which MACs (None: for any, as
    older versions accepted). A device that was not there when it was accepted is not covered."""

    reason: str
    who: str
    at: int
    until: int | None = None
    macs: frozenset[str] | None = None

    def holds(self, finding: Finding | Found, now: int) -> bool:
        """True while it covers a finding."""
        if self.until is not None and now >= self.until:
            return False
        return self.macs is None or self.macs.issuperset(s.value for s in finding.subjects if s.type == "mac")


@dataclass(frozen=True, slots=True)
class Finding:
    """A finding as it stands. `since` is when it was opened this time, `first` the first time ever, `times` how often."""

    kind: str
    key: str
    severity: Severity
    subjects: tuple[Subject, ...]
    evidence: tuple[Evidence, ...]
    remedy: str
    steps: tuple[Step, ...]
    state: State
    since: int
    first: int
    times: int = 1
    closed: int | None = None
    updated: int = 0
    heard: bool = False

    @property
    def name(self) -> Name:
        """What tells it apart from all others."""
        return self.kind, self.key

    @property
    def told(self) -> tuple[object, ...]:
        """See Found.told."""
        return telling(self.severity, self.subjects, self.evidence, self.remedy, self.steps, self.heard)


class Turn(StrEnum):
    """What happened to a finding."""

    OPENED = "opened"
    REOPENED = "reopened"
    UPDATED = "updated"
    ACCEPTED = "accepted"
    RESUMED = "resumed"
    CLOSED = "closed"


@dataclass(frozen=True, slots=True)
class Turned:
    """A turn and the finding after it."""

    turn: Turn
    finding: Finding


@dataclass(slots=True)
class _Waiting:
    """A cause that has not stood long enough, or one that has been gone for not long enough; it is looked at when it is due."""

    rule: Rule
    key: int
    since: int
    due: int = 0


class Engine:
    """All findings of one service. `standing` holds those that are not closed, `memory` the closed ones."""

    def __init__(self, standing: Iterable[Finding] = (), exceptions: Mapping[Name, Acceptance] | None = None) -> None:
        self.standing: dict[Name, Finding] = {}
        self.memory: dict[Name, Finding] = {}
        self.exceptions: dict[Name, Acceptance] = dict(exceptions or {})
        self._keys: dict[Name, int] = {}
        self._waiting: dict[Name, _Waiting] = {}
        self._leaving: dict[Name, _Waiting] = {}
        self._asked_to = -1
        for finding in standing:
            if finding.state is State.CLOSED:
                self.memory[finding.name] = finding
            else:
                self.standing[finding.name] = finding

    def settle(self, world: World, now: int, most: int | None = None) -> tuple[list[Turned], bool]:
        """Look at what was touched, at most `most` keys of it, and at what waits for its time; gives the turns taken and
        whether there is more to look at."""
        world.passed(now)
        turns: list[Turned] = []
        left = most if most is not None else -1
        for about, rules in _BY_ABOUT.items():
            dirty = world.dirty[about]
            while dirty and left:
                key = dirty.pop()
                left -= 1
                minded = bool(self.standing or self._waiting)
                for rule in rules:
                    found = _placed(world, rule.check(world, key))
                    if not minded and not isinstance(found, Found):
                        continue
                    name = rule.kind, key_text(world, about, key)
                    if isinstance(found, Found) or name in self.standing or name in self._waiting:
                        self._meet(rule, key, name, found, now, turns)
        if any(world.dirty.values()):
            return turns, True
        for late in [one for one in (*self._waiting.values(), *self._leaving.values()) if one.due <= now]:
            name = late.rule.kind, key_text(world, late.rule.about, late.key)
            self._meet(late.rule, late.key, name, _placed(world, late.rule.check(world, late.key)), now, turns)
        self._exceptions(now, turns)
        return turns, False

    def begin_full(self, world: World) -> None:
        """Have everything looked at by the next calls of `settle`, the keys of standing findings too."""
        world.dirty_all()
        self.recheck(world)

    def recheck(self, world: World, *, only_heard: bool = False) -> None:
        """Have the standing findings looked at again, or those by hearsay alone: time may have ended their cause."""
        for name, finding in self.standing.items():
            if only_heard and not finding.heard:
                continue
            key = self._keys.get(name, key_of(world, name))
            if key is not None:
                world.dirty[BY_KIND[name[0]].about].add(key)

    def watching(self, near: Callable[[Address], bool]) -> list[Address]:
        """The addresses of standing findings that a directed round decides, at most MOST_AGAIN of them, in turn. Only those that
        are `near`, on a link of this machine: a round decides nothing behind a gateway."""
        found = {
            ipv4(subject.value)
            for (kind, _), finding in self.standing.items()
            if kind in ASKED_AGAIN
            for subject in finding.subjects
            if subject.type == "address"
        }
        found = {address for address in found if near(address)}
        turn = sorted(found, key=lambda address: (address <= self._asked_to, address))[:MOST_AGAIN]
        if turn:
            self._asked_to = turn[-1]
        return turn

    def _meet(
        self, rule: Rule, key: int, name: Name, found: Found | Away | None, now: int, turns: list[Turned]
    ) -> None:  # fmt: skip
        standing = self.standing.get(name)
        if not isinstance(found, Found):
            self._waiting.pop(name, None)
            if standing is not None:
                gone = self._leaving.setdefault(name, _Waiting(rule, key, now))
                gone.due = gone.since + (rule.keeps if found is Away.AWAY else rule.lingers)
                if now >= gone.due:
                    self._close(name, now, turns)
            return
        self._leaving.pop(name, None)
        self._keys[name] = key
        if standing is not None:
            if standing.told != found.told:
                changed = _with(standing, found, updated=now)
                self.standing[name] = changed
                turns.append(Turned(Turn.UPDATED, changed))
            elif standing.evidence != found.evidence:
                self.standing[name] = _with(standing, found)
            return
        if rule.patience:
            begun = self._waiting.setdefault(name, _Waiting(rule, key, now, now + rule.patience))
            if now < begun.due:
                return
            del self._waiting[name]
        self._open(name, found, now, turns)

    def _open(self, name: Name, found: Found, now: int, turns: list[Turned]) -> None:
        before = self.memory.pop(name, None)
        exception = self.exceptions.get(name)
        state = State.ACCEPTED if exception is not None and exception.holds(found, now) else State.OPEN
        finding = Finding(
            name[0], name[1], found.severity, found.subjects, found.evidence, found.remedy, found.steps, state, now,
            before.first if before else now, before.times + 1 if before else 1, None, now, found.heard,
        )  # fmt: skip
        self.standing[name] = finding
        turns.append(Turned(Turn.REOPENED if before else Turn.OPENED, finding))

    def _close(self, name: Name, now: int, turns: list[Turned]) -> None:
        self._leaving.pop(name, None)
        self._keys.pop(name, None)
        closed = replace(self.standing.pop(name), state=State.CLOSED, closed=now, updated=now)
        self.memory[name] = closed
        turns.append(Turned(Turn.CLOSED, closed))

    def _exceptions(self, now: int, turns: list[Turned]) -> None:
        for name, exception in list(self.exceptions.items()):
            standing = self.standing.get(name)
            if standing is None:
                continue
            holds = exception.holds(standing, now)
            if holds and standing.state is State.OPEN:
                self._restate(standing, State.ACCEPTED, Turn.ACCEPTED, now, turns)
            elif not holds and standing.state is State.ACCEPTED:
                self._restate(standing, State.OPEN, Turn.RESUMED, now, turns)
        for name, standing in list(self.standing.items()):
            if standing.state is State.ACCEPTED and name not in self.exceptions:
                self._restate(standing, State.OPEN, Turn.RESUMED, now, turns)

    def _restate(self, finding: Finding, state: State, turn: Turn, now: int, turns: list[Turned]) -> None:
        changed = replace(finding, state=state, updated=now)
        self.standing[finding.name] = changed
        turns.append(Turned(turn, changed))


def _with(standing: Finding, found: Found, updated: int | None = None) -> Finding:
    return replace(
        standing, severity=found.severity, subjects=found.subjects, evidence=found.evidence, remedy=found.remedy,
        steps=found.steps, heard=found.heard, updated=standing.updated if updated is None else updated,
    )  # fmt: skip


def _placed(world: World, found: Found | Away | None) -> Found | Away | None:
    """What a rule found, with where the MACs it is about are plugged in."""
    if not isinstance(found, Found) or not world.wiring.places:
        return found
    more = world.wiring.placed(found.subjects, None)
    return replace(found, evidence=(*found.evidence, *more)) if more else found


def key_text(world: World, about: About, key: int) -> str:
    """A key as a lasting text: the same after a restart."""
    if about is About.NAME:
        return world.names.name(key)
    if about is About.LINK:
        return world.link_of_key(key) or ""
    if about is About.LINE:
        return world.rolls.text(key)
    if about is About.WIRING:
        return world.wiring.text(key)
    return str(key)


def key_of(world: World, name: Name) -> int | None:
    """The key behind a finding's text; None when there is no such rule any more."""
    rule = BY_KIND.get(name[0])
    if rule is None:
        return None
    if rule.about is About.NAME:
        return world.names.number(name[1])
    if rule.about is About.LINK:
        return world.link_key(name[1])
    if rule.about is About.LINE:
        return world.rolls.number(name[1])
    if rule.about is About.WIRING:
        return world.wiring.number(name[1])
    return int(name[1])
