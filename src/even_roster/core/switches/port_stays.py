"""Folds readings of a switch into port stays: stretches in which one MAC was behind one port. Pure; times are UTC milliseconds.

A forwarding database forgets whom it has not heard for some minutes (IEEE 802.1D 7.9.2), so that a MAC which is no longer in it
proves nothing: its stay rests. It goes on when the MAC is learnt behind the same port again, and ends when it is learnt behind
another port or when the port loses its link. Whether a device is silent, others ask.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, replace
from enum import IntEnum

from ..mac import MacNumber
from ..stays import GAP_MS


class Ended(IntEnum):
    """Why a port stay ended. The numbers are stored."""

    NOT = 0
    MOVED = 1
    LINK = 2
    LONG = 3

    @property
    def words(self) -> str:
        """For a sentence; empty where it has not ended."""
        return ("", "it was behind another port after that", "the port lost its link", "it was not there for days")[
            self
        ]


@dataclass(frozen=True, slots=True)
class PortStay:
    """A MAC behind a port, by the port's id, in some VLANs. `last` is when it was learnt there last; `here`: in the latest reading
    that told its forwarding database; `id` 0 is not stored yet."""

    port: int
    mac: MacNumber
    vlans: tuple[int, ...]
    first: int
    last: int
    here: bool = True
    ended: Ended = Ended.NOT
    id: int = 0


@dataclass(frozen=True, slots=True)
class Folding:
    """What a reading changes: stays that begin, and those that are otherwise than before."""

    begun: tuple[PortStay, ...]
    changed: tuple[PortStay, ...]


Learning = Mapping[MacNumber, Mapping[int, tuple[int, ...]]]
"""The ports behind which each MAC was learnt, with the VLANs."""


def fold(open_stays: Iterable[PortStay], learnt: Learning, unlinked: Collection[int], at: int, before: int) -> Folding:
    """What a reading at `at` makes of the stays that have not ended. `unlinked` are ports that have no link; `before` is when the
    forwarding database was read before this."""
    known: dict[MacNumber, dict[int, PortStay]] = defaultdict(dict)
    for stay in open_stays:
        known[stay.mac][stay.port] = stay
    begun, changed = [], []
    for mac, ports in learnt.items():
        mine = known.get(mac, {})
        for port, vlans in ports.items():
            there = mine.get(port)
            if there is None or (not there.here and at - there.last > GAP_MS):
                begun.append(PortStay(port, mac, vlans, at, at))
                if there is not None:
                    changed.append(replace(there, ended=Ended.LONG))
            elif not there.here or there.vlans != vlans:
                changed.append(replace(there, here=True, last=at, vlans=vlans))
    for mac, mine in known.items():
        now = learnt.get(mac, {})
        for port, stay in mine.items():
            if port in now:
                continue
            ended = Ended.MOVED if now else Ended.LINK if port in unlinked else Ended.NOT
            if stay.here or ended:
                changed.append(replace(stay, here=False, last=before if stay.here else stay.last, ended=ended))
    return Folding(tuple(begun), tuple(changed))
