"""The lines of roll calls in a world: who is absent for longer than somebody has patience for. Lines have numbers, so that all
keys of rules are numbers; their text, which lasts, is the roll call's id and whom the line names."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from .numbered import Numbered


@dataclass(frozen=True, slots=True)
class Absent:
    """A line whose patience is over: what its roll call is called, whom it names and how, and since when (UTC ms) nobody is
    there."""

    call: str
    subject: str
    name: str
    address: str | None
    since: int
    minutes: int


class Rolls(Numbered):
    """`absent` are the lines to call somebody for; what was not looked at since the start is not known."""

    def __init__(self) -> None:
        super().__init__()
        self.absent: dict[int, Absent] = {}
        self._looked: set[int] = set()

    def looked(self, call: int, absent: Mapping[str, Absent], present: Iterable[str]) -> set[int]:
        """A roll call was looked at: who is absent by whom its lines name, and who is not; gives the keys it concerns. Lines
        that are no more are not absent any more."""
        before = {key for key in self.absent if self._texts[key].partition(" ")[0] == str(call)}
        fresh = {self.number(f"{call} {subject}"): one for subject, one in absent.items()}
        for key in before - fresh.keys():
            del self.absent[key]
        self.absent |= fresh
        found = before | fresh.keys() | {self.number(f"{call} {subject}") for subject in present}
        self._looked |= found
        return found

    def known(self, key: int) -> bool:
        """Whether a line was looked at since the start."""
        return key in self._looked
