"""The book of a running scan: what is known so far per address, and what has changed since it was last looked at."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

from ..core.address import Address
from ..core.mac import MacNumber
from ..core.names import Name
from ..core.stays import Source
from .sweep_engine import Answer


@dataclass(slots=True)
class Result:
    """Everything one scan learnt of one address. Reply times in milliseconds; `macs` in the order they answered."""

    address: Address
    by: Source = Source(0)
    macs: list[MacNumber] = field(default_factory=list)
    names: list[Name] = field(default_factory=list)
    ports: list[int] = field(default_factory=list)
    foreign: bool = False
    rtt_min: float | None = None
    rtt_sum: float = 0.0
    rtt_count: int = 0

    @property
    def rtt_avg(self) -> float | None:
        """Mean reply time in milliseconds."""
        return self.rtt_sum / self.rtt_count if self.rtt_count else None

    def timed(self, seconds: float) -> None:
        """Take a reply time in."""
        ms = seconds * 1000
        self.rtt_min = ms if self.rtt_min is None else min(self.rtt_min, ms)
        self.rtt_sum += ms
        self.rtt_count += 1


class ResultBook:
    """Results by address. `news` gives those that are new or changed since the last call."""

    def __init__(self) -> None:
        self.results: dict[Address, Result] = {}
        self._changed: set[Address] = set()

    def answer(self, answer: Answer) -> bool:
        """Enter an observation; True when the address was not known yet."""
        result = self.results.get(answer.address)
        new = result is None
        if result is None:
            result = self.results[answer.address] = Result(answer.address)
        result.by |= answer.by
        result.foreign = result.foreign or answer.foreign
        if answer.mac is not None and answer.mac.value not in result.macs:
            result.macs.append(answer.mac.value)
        if answer.rtt is not None:
            result.timed(answer.rtt)
        self._changed.add(answer.address)
        return new

    def names(self, address: Address, names: list[Name]) -> None:
        """Enter the names of an address."""
        if names and (result := self.results.get(address)):
            result.names = list(dict.fromkeys([*result.names, *names]))
            self._changed.add(address)

    def ports(self, address: Address, ports: list[int]) -> None:
        """Enter the open ports of an address."""
        if ports and (result := self.results.get(address)):
            result.ports = sorted({*result.ports, *ports})
            self._changed.add(address)

    def news(self) -> list[Result]:
        """What changed, in the order of addresses; the book keeps it all the same."""
        changed, self._changed = self._changed, set()
        return [self.results[address] for address in sorted(changed)]

    def again(self, results: Iterable[Result]) -> None:
        """These are news still: nobody took them."""
        self._changed.update(result.address for result in results)
