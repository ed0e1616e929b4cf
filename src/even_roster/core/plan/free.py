"""Finds addresses worth proving, best first, by interval arithmetic: a /8 costs as much as a /24. Pure.

Order: inside the bands of the wanted role, then in bands for any role, then where no band is drawn; there the
addresses that were never seen, then those unseen longest. Among the never-seen ones a device goes next to its
own kind (the address behind a neighbour of the same role), and keeps off the end of another role's row so
that both can grow.
"""

from __future__ import annotations

import heapq
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import chain, islice

from ..address import Address
from .model import Band, BandKind, Plan, Subnet
from .runs import Gap, Runs

ROOM = 4
_MOST_GAPS = 64


@dataclass(frozen=True, slots=True)
class Seen:
    """What was ever seen at a site: as runs, and when last (UTC ms) by address; `used` are the runs of all that was
    ever seen or is assigned, so that what was never used is found without looking at each."""

    runs: Runs
    last: Mapping[Address, int]
    used: Runs

    @classmethod
    def of(cls, plan: Plan, site: int, last: Mapping[Address, int]) -> Seen:
        """Put together from nothing."""
        taken = (address for low, high in plan.taken(site).within(0, 0xFFFFFFFF) for address in range(low, high + 1))
        return cls(Runs(last), last, Runs(chain(last, taken)))


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is looked for: `count` addresses, next to each other if `adjacent`, for a device of this role."""

    count: int = 1
    adjacent: bool = False
    role: str = ""


def candidates(
    plan: Plan, subnet: Subnet, wanted: Wanted, seen: Seen, held: Runs, band: Band | None = None
) -> list[int]:
    """Up to `count` addresses of a subnet (or of one of its bands), best first; `held` are leased and own ones.

    With `adjacent` either `count` addresses in a row or none. Assigned addresses, pools, spare bands, the gateway,
    network and broadcast address never come up.
    """
    special = Runs([subnet.gateway] if subnet.gateway is not None else [])
    blocked = (plan.taken(subnet.site), held, special)
    regions = list(_regions(plan, subnet, wanted.role, band))
    if wanted.adjacent and wanted.count > 1:
        return _in_a_row(regions, blocked, seen, wanted.count)
    found: list[int] = []
    unused = (seen.used, held, special)
    for first, last in regions:
        if len(found) < wanted.count:
            found += _never_seen(plan, subnet, wanted, (first, last), unused, wanted.count - len(found))
        if len(found) < wanted.count:
            found += _longest_unseen((first, last), blocked, seen, wanted.count - len(found))
    return found


def _regions(plan: Plan, subnet: Subnet, role: str, only: Band | None) -> Iterator[Gap]:
    low, high = int(subnet.hosts.first), int(subnet.hosts.last)
    if only is not None:
        yield max(only.first, low), min(only.last, high)
        return
    bands = plan.bands_of(subnet.id)
    static = [b for b in bands if b.kind is BandKind.STATIC]
    ranked = [b for b in static if role and role in b.roles] + [b for b in static if not b.roles]
    for one in ranked:
        yield max(one.first, low), min(one.last, high)
    at = low
    for one in bands:
        if one.first > at:
            yield at, min(one.first - 1, high)
        at = max(at, one.last + 1)
    if at <= high:
        yield at, high
    if not role:
        for one in static:
            if one.roles:
                yield max(one.first, low), min(one.last, high)


def _gaps(runs: Sequence[Runs], first: int, last: int) -> Iterator[Gap]:
    """The stretches of first..last that none of the run sets covers, lazily."""
    if not runs:
        yield first, last
        return
    for low, high in runs[0].gaps(first, last):
        yield from _gaps(runs[1:], low, high)


def _never_seen(
    plan: Plan, subnet: Subnet, wanted: Wanted, region: Gap, blocked: Sequence[Runs], count: int
) -> list[int]:
    """Behind the wanted role's own rows first, then from the region's beginning on, off the ends of other roles' rows."""
    found: dict[int, None] = {}
    if wanted.role:
        for low, high in _behind_own_kind(plan, subnet, wanted.role, region, blocked):
            found.update(dict.fromkeys(range(low, min(high, low + count - len(found) - 1) + 1)))
            if len(found) >= count:
                return list(found)
    skipped: list[Gap] = []
    for number, (low, high) in enumerate(_gaps(blocked, *region)):
        start = low
        below = plan.at(subnet.site, Address(low - 1)) if wanted.role else None
        if below is not None and below.role and below.role != wanted.role:
            start += min(ROOM, (high - low) // 2)
            skipped.append((low, start - 1))
        for address in range(start, min(high, start + count) + 1):
            if len(found) < count:
                found[address] = None
        if len(found) >= count or number >= _MOST_GAPS:
            break
    for low, high in skipped:
        for address in range(low, high + 1):
            if len(found) < count:
                found[address] = None
    return list(found)[:count]


def _behind_own_kind(plan: Plan, subnet: Subnet, role: str, region: Gap, blocked: Sequence[Runs]) -> Iterator[Gap]:
    """The gaps that begin right behind a row of the same role."""
    rows = plan.of_role(subnet.site, role).within(*region)
    for _, last in islice(rows, _MOST_GAPS):
        gap = next(_gaps(blocked, last + 1, region[1]), None) if last < region[1] else None
        if gap is not None and gap[0] == last + 1:
            yield gap


def _longest_unseen(region: Gap, blocked: Sequence[Runs], seen: Seen, count: int) -> list[int]:
    def free() -> Iterator[int]:
        for low, high in seen.runs.within(*region):
            for first, last in _gaps(blocked, max(low, region[0]), min(high, region[1])):
                yield from range(first, last + 1)

    return heapq.nsmallest(count, free(), key=lambda one: (seen.last.get(Address(one), 0), one))


def _in_a_row(regions: Sequence[Gap], blocked: Sequence[Runs], seen: Seen, count: int) -> list[int]:
    for runs in ((seen.used, *blocked[1:]), blocked):
        for region in regions:
            for low, high in _gaps(runs, *region):
                if high - low + 1 >= count:
                    return list(range(low, low + count))
    return []
