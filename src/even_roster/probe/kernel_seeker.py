"""Looks for devices that are being fitted without raw frames: the kernel is made to ask for their addresses on the link, and
its table says who has them. Factory addresses cannot be looked for so, and a second device at an address cannot be seen."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from ipaddress import IPv4Address

from ..core.address import Address, address_of
from ..core.fitting.progress import Means
from ..core.mac import MacNumber
from .neighbour_engine import NeighbourState
from .seek_engine import Done, Event, Shown, Sought
from .segment import NeighbourDoor, Segment, SegmentError

EVERY = 1.0
_SILENT = NeighbourState.FAILED | NeighbourState.INCOMPLETE


class KernelSeeker:
    """As `Seeker`, by the kernel's own table."""

    def __init__(self, segment: Segment, tell: Callable[[Sequence[Event]], None]) -> None:
        """Nothing is opened yet."""
        self.adapter = segment.adapter
        self._segment, self._tell = segment, tell
        self._wanted: tuple[Sought, ...] = ()
        self.ended = threading.Event()
        self.trouble = ""

    def want(self, sought: Sequence[Sought]) -> None:
        """Look for these from now on."""
        self._wanted = tuple(sought)

    def run(self) -> None:
        """Until `ended` is set or the link is gone."""
        try:
            door = self._segment.neighbours()
        except SegmentError as error:
            self.trouble = str(error)
            return
        try:
            while not self.ended.is_set():
                wanted = self._wanted
                near = self.adapter.onlink
                asked = {a for one in wanted for a in one.ask if a in near}
                for address in asked:
                    door.nudge(IPv4Address(address))
                self.ended.wait(EVERY)
                if asked and not self.ended.is_set():
                    self._tell(_read(door, wanted, asked))
        except SegmentError as error:
            self.trouble = str(error)
        finally:
            door.close()


def _read(door: NeighbourDoor, wanted: Sequence[Sought], asked: set[Address]) -> list[Event]:
    """What the table says of whom was asked for; an entry that the kernel is not sure of says nothing."""
    found: dict[Address, tuple[MacNumber, ...]] = {}
    unsure = set(asked)
    for entry in door.table():
        address = address_of(entry.address)
        if address in asked and entry.state & (NeighbourState.REACHABLE | _SILENT):
            unsure.discard(address)
            here = entry.state & NeighbourState.REACHABLE and entry.mac is not None
            found[address] = (entry.mac.value,) if here and entry.mac is not None else ()
    events: list[Event] = []
    for one in wanted:
        answers = {address: found.get(address, ()) for address in one.ask if address in asked}
        events += [Shown(one.mac, a, Means.ANSWER) for a, macs in answers.items() if one.mac in macs]
        if answers and not unsure & answers.keys():
            events.append(Done(one.mac, answers, True))
    return events
