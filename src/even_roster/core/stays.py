"""Folds sightings into stays: stretches of one (address, MAC) pair.

History grows with changes, not with scans: ten thousand scans of a quiet printer are one stay with a count. A stay is broken when
a look found the pair gone (`core.absence`), when it was not seen for longer than GAP, or when in between another MAC held the
address and this one did not answer beside it. Between two sightings nobody looked, or it was silent: the widest such stretch is
kept, so that nothing is claimed of it. What was only overheard makes no stay, and makes none longer: when a pair that has answered
was heard last stands beside. Pure; times are UTC milliseconds.
"""

from __future__ import annotations

import functools
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from enum import IntFlag

from .address import Address
from .mac import MacNumber

GAP_MS = 2 * 24 * 3600 * 1000
SAME_MOMENT_MS = 10 * 60 * 1000


class Source(IntFlag):
    """What observed a pair; a stay collects all of them but what was overheard. A folded stay is known in outline: it stands for
    several old ones, or was kept by a version that took what was overheard for an answer. The pair was there at some of the times
    between its first and its last moment."""

    ARP = 1
    NEIGHBOUR = 2
    ECHO = 4
    CONNECT = 8
    SELF = 16
    OVERHEARD = 32
    LEASE = 64
    FOLDED = 128

    @property
    def words(self) -> list[str]:
        """The sources as lower-case words, in a fixed order."""
        return list(_words(int(self)))


@functools.cache
def _words(sources: int) -> tuple[str, ...]:
    return tuple((one.name or "").lower() for one in Source if sources & one)


_LEASE_FOLDED = Source.LEASE | Source.FOLDED
ANSWER_BITS = 0xFF & ~int(_LEASE_FOLDED)
"""The bits of the sources by which a stay has answers; without any of them it is a lease alone."""

SOURCES = tuple(Source(number) for number in range(256))
"""Every set of sources by its number: to look one up is quicker than to make it."""

Pair = tuple[Address, MacNumber | None]


@dataclass(frozen=True, slots=True)
class Sighting:
    """At `at`, `source` observed that `mac` (None off the link, where no MAC is visible) held `address`."""

    address: Address
    mac: MacNumber | None
    at: int
    source: Source

    @property
    def pair(self) -> Pair:
        """What a stay is about."""
        return self.address, self.mac


@dataclass(frozen=True, slots=True)
class Stay:
    """A pair was there at `first` and at `last`, and `count` times in all, never more than `widest` apart (None: not known).
    `gone` when a look found it gone since. `heard` is when it was overheard last, 0 for never. `id` is None until stored."""

    id: int | None
    address: Address
    mac: MacNumber | None
    first: int
    last: int
    count: int
    sources: Source
    widest: int | None = 0
    gone: bool = False
    heard: int = 0

    @property
    def pair(self) -> Pair:
        """What the stay is about."""
        return self.address, self.mac

    @property
    def answered(self) -> bool:
        """True unless all that is known of it is that a server leased the address."""
        return self.sources != Source.LEASE and self.sources != _LEASE_FOLDED


@dataclass(frozen=True, slots=True)
class Folded:
    """What a batch of sightings changes: stays to store anew and stays that grew."""

    begun: list[Stay]
    grown: list[Stay]


def fold(latest: Mapping[Pair, Stay], rivals: Mapping[Address, Iterable[Stay]], batch: Iterable[Sighting]) -> Folded:
    """Fold a batch, in order of time, into the latest stay of each pair.

    `rivals` are the latest stays at each address, whatever their MAC: the ones that can break a stay.
    A sighting older than the stay it belongs to widens nothing but is counted. What was only overheard is entered as that beside a
    stay that has not ended, and is nothing where there is none. A stay that is known in outline does not go on. A lease is no
    answer: it lengthens no stay of answers, and where there is none it is a stay of its own, which an answer does not lengthen.
    """
    current: dict[Pair, Stay] = dict(latest)
    at_address: dict[int, dict[Pair, Stay]] = {a: {s.pair: s for s in stays} for a, stays in rivals.items()}
    ended: list[Stay] = []
    touched: set[Pair] = set()
    for sighting in sorted(batch, key=lambda one: one.at):
        pair = sighting.pair
        stay = current.get(pair)
        others = (s for p, s in at_address.get(sighting.address, {}).items() if p != pair)
        if sighting.source == Source.OVERHEARD:
            if stay is None or stay.gone:
                continue
            stay = replace(stay, heard=max(stay.heard, sighting.at))
        elif sighting.source is Source.LEASE and stay is not None and stay.answered and not stay.gone:
            continue
        elif stay is None or _broken(stay, others, sighting):
            if stay is not None and pair in touched:
                ended.append(stay)
            stay = Stay(
                None, sighting.address, sighting.mac, sighting.at, sighting.at, 1, sighting.source & ~Source.OVERHEARD
            )
        else:
            stay = _grown(stay, sighting)
        current[pair] = stay
        at_address.setdefault(sighting.address, {})[pair] = stay
        touched.add(pair)
    changed = [*ended, *(current[pair] for pair in touched)]
    return Folded([s for s in changed if s.id is None], [s for s in changed if s.id is not None])


def _grown(stay: Stay, sighting: Sighting) -> Stay:
    """A stay with one more sighting. A million of them are folded: each step of it is as plain as can be."""
    at, sources = sighting.at, stay.sources
    if sighting.source != sources:
        sources |= sighting.source & ~Source.OVERHEARD
    widest = stay.widest if stay.widest is None else max(stay.widest, at - stay.last, stay.first - at)
    return Stay(
        stay.id, stay.address, stay.mac, min(stay.first, at), max(stay.last, at), stay.count + 1, sources, widest, stay.gone,
        stay.heard,
    )  # fmt: skip


def _broken(stay: Stay, others: Iterable[Stay], sighting: Sighting) -> bool:
    """It was found gone, a gap too long, known in outline or by a lease only, or a rival that answered alone well after this pair
    fell silent."""
    at = sighting.at
    if sighting.source is not Source.LEASE and not stay.answered:
        return True
    if at - stay.last > GAP_MS or (at > stay.last and (stay.gone or stay.sources >= Source.FOLDED)):
        return True  # FOLDED is the highest of the sources
    return any(
        stay.last + SAME_MOMENT_MS < rival.last <= at and rival.mac is not None and rival.answered for rival in others
    )


def holder_at(stays: Iterable[Stay], moment: int) -> list[Stay]:
    """The stays that cover a moment: who had the address then."""
    return [stay for stay in stays if stay.first <= moment <= stay.last]
