"""What a world knows of switches: where each MAC is plugged in, and what is wrong with ports. Keys are numbers, as those of all
rules; their text, which lasts, names the switch, port or MAC."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from ..mac import Mac, MacNumber
from .model import Evidence, Severity, Subject
from .numbered import Numbered

Name = tuple[str, str]
"""The kind of a trouble and the text of its key."""
MOST_PLACED = 4


@dataclass(frozen=True, slots=True)
class Trouble:
    """Something that is wrong with a switch or port, as it is told."""

    severity: Severity
    subjects: tuple[Subject, ...]
    evidence: tuple[Evidence, ...]
    remedy: str


class Wiring(Numbered):
    """`troubles` are those that stand. `places` say where MACs are plugged in; who is away keeps the last one. Until
    `heard` nothing is known of any."""

    def __init__(self) -> None:
        super().__init__()
        self.heard = False
        self.troubles: dict[Name, Trouble] = {}
        self.places: dict[MacNumber, str] = {}

    def told(self, troubles: Mapping[Name, Trouble], places: Mapping[MacNumber, str]) -> set[int]:
        """What is wrong now, and where MACs are; gives the keys it concerns."""
        concerned = {name[1] for name in {*self.troubles, *troubles} if self.troubles.get(name) != troubles.get(name)}
        self.troubles, self.heard = dict(troubles), True
        self.places.update(places)
        return {self.number(key) for key in concerned}

    def of(self, kind: str, key: int) -> Trouble | None:
        """A trouble of a kind that stands, None where there is none."""
        return self.troubles.get((kind, self._texts[key]))

    def keys(self) -> list[int]:
        """All keys that have something."""
        return [self.number(key) for _, key in self.troubles]

    def placed(self, subjects: tuple[Subject, ...], after: int | None) -> tuple[Evidence, ...]:
        """Where the MACs of some subjects are plugged in, as far as that is known."""
        macs = [one.value for one in subjects if one.type == "mac"][:MOST_PLACED]
        found = ((mac, self.places.get(Mac.parse(mac).value)) for mac in macs)
        return tuple(Evidence(f"{mac} was last learnt at {place}", after) for mac, place in found if place)
