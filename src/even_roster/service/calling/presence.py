"""How much of the last day, week and month the lines of a roll call were there, by the one rule for moments."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass

from sqlalchemy import Connection

from ...core.address import Address
from ...core.mac import MacNumber
from ...core.past.looks import Series
from ...core.past.pair import Pair, Presence, presence, together
from ...store import absence_records, history_queries, look_records
from ...store.rows import StayRow
from ..knowing import moments

HOUR_MS = 3600 * 1000
LEAST_KNOWN = HOUR_MS
"""How much has to be known of a time for a share of it to say something (ms)."""
DAY_MS = 24 * HOUR_MS
NOTHING = Presence()
SPANS = (DAY_MS, 7 * DAY_MS, 30 * DAY_MS)


@dataclass(frozen=True, slots=True)
class Shares:
    """How much of the last day, week and month a line was there, each with how much of it is known."""

    day: Presence = NOTHING
    week: Presence = NOTHING
    month: Presence = NOTHING


@dataclass(frozen=True, slots=True)
class Whom:
    """Whose presence is asked for: a device by its MACs, or without any whatever answers at an address."""

    address: Address
    macs: frozenset[MacNumber]


def shares(connection: Connection, site: int, wanted: Mapping[str, Whom], now: int) -> dict[str, Shares]:
    """The shares of each, at `now` (UTC ms)."""
    begin = now - SPANS[-1]
    facts = Facts(connection, site, wanted.values(), begin)
    found = {}
    for subject, whom in wanted.items():
        course = together(facts.pairs(whom), begin, now)
        found[subject] = Shares(*(presence(course, now - span, now) for span in SPANS))
    return found


class Facts:
    """What the records say of all who are asked for, since a moment."""

    def __init__(self, connection: Connection, site: int, wanted: Collection[Whom], since: int) -> None:
        macs = {mac for one in wanted for mac in one.macs}
        mine = history_queries.of_many(connection, site, macs, {one.address for one in wanted}, since)
        places = {row.address for row in mine}
        rows = {row.id: row for row in history_queries.of_many(connection, site, macs, places, since)}
        self._at: dict[Address, list[StayRow]] = defaultdict(list)
        self._of: dict[MacNumber, list[StayRow]] = defaultdict(list)
        for row in rows.values():
            self._at[row.address].append(row)
            if row.mac is not None:
                self._of[row.mac].append(row)
        self._runs = absence_records.all_of_stays(connection, rows.keys(), since)
        self._asked: dict[Address, list[Series]] = defaultdict(list)
        if places:
            for series in look_records.since(connection, site, min(places), max(places), since):
                for address in places:
                    if address in series.spans:
                        self._asked[address].append(series)

    def pairs(self, whom: Whom) -> Iterator[Pair]:
        """The pairs by which the presence of a device or address is told."""
        rows = [row for mac in whom.macs for row in self._of[mac]] if whom.macs else self._at[whom.address]
        of_pair: dict[tuple[Address, MacNumber | None], list[StayRow]] = defaultdict(list)
        for row in rows:
            of_pair[row.address, row.mac].append(row)
        for (address, mac), mine in of_pair.items():
            yield Pair(
                address, [moments.stay_of(row) for row in mine],
                {row.id: self._runs[row.id] for row in mine if row.id in self._runs},
                moments.against(address, mac, self._at[address], self._of[mac] if mac is not None else ()),
                self._asked[address],
            )  # fmt: skip
