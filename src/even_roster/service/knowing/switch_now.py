"""A switch and its ports as they are known now: values that the switch book swaps and nobody changes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from ...core.address import dotted
from ...core.mac import MacNumber
from ...core.switches.port_states import PortState
from ...core.switches.port_stays import PortStay
from ...core.switches.uplinks import Verdict
from ...store.switch_records import SwitchRow, WordRow

NO_WORDS = WordRow(0, "", "", None)
UNWEIGHED = Verdict(False)


@dataclass(frozen=True, slots=True)
class PortNow:
    """One port: how it stands since when, who is or was lately behind it, and when its link changed last (UTC ms)."""

    id: int
    name: str
    place: int
    there: bool
    row: int | None = None
    since: int = 0
    state: PortState | None = None
    stays: Mapping[MacNumber, PortStay] = field(default_factory=dict)
    changed_ticks: int | None = None
    turns: tuple[int, ...] = ()
    words: WordRow = NO_WORDS
    verdict: Verdict = UNWEIGHED

    @property
    def here(self) -> list[PortStay]:
        """Who was behind it in the latest reading."""
        return [stay for stay in self.stays.values() if stay.here]


@dataclass(frozen=True, slots=True)
class SwitchNow:
    """One switch: its row, and its ports by id in their order."""

    row: SwitchRow
    ports: Mapping[int, PortNow] = field(default_factory=dict)
    restarted: int | None = None

    @property
    def told(self) -> Mapping[str, Any]:
        """What it said of itself last."""
        found: Mapping[str, Any] = self.row.told
        return found

    @property
    def own(self) -> frozenset[MacNumber]:
        """The MACs that are its own."""
        return frozenset(MacNumber(one) for one in self.told.get("own", ()))

    @property
    def begun(self) -> int | None:
        """When it was read first: what stood then may have stood for longer."""
        found: int | None = self.told.get("begun")
        return found

    def switched(self, port: PortNow) -> str:
        """Whether a port is switched on or off, as the latest reading told it; empty where it did not."""
        if port.state is None or not port.there or "wanted" in self.told.get("cut", ()):
            return ""
        return {"up": "on", "down": "off"}.get(port.state.wanted, "")

    @property
    def called(self) -> str:
        """What it calls itself, else its address."""
        return self.told.get("name") or dotted(self.row.address)
