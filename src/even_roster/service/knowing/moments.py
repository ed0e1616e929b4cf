"""What is known of addresses and MACs at a moment: gathers the facts on both sides of it, and has the one rule judge them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import Connection

from ...core.absence import Reason
from ...core.address import Address, dotted
from ...core.mac import Mac, MacNumber
from ...core.past import words
from ...core.past.deaf import DeafTime, unasked
from ...core.past.looks import Series
from ...core.past.pair import Pair
from ...core.past.rule import BETWEEN, Against, Known, Then
from ...core.stays import ANSWER_BITS, SOURCES, Stay
from ...store import absence_records, history_queries, look_records
from ...store.rows import StayRow

MOST_HERE, FEW, MOST_ELSEWHERE = 8, 4, 24
"""How many stays before a moment and after it are looked at: of one address or device, of others at its addresses, of who left."""


@dataclass(frozen=True, slots=True)
class PairThen:
    """What is known of one pair at a moment: the stay that tells most of it, the verdict, and that in a sentence."""

    row: StayRow
    then: Then
    said: str


def of_address(connection: Connection, site: int, address: Address, moment: int) -> list[PairThen]:
    """What is known at an address of a site: the devices that were there, then those that may have been, then silent ones; the
    latest first."""
    where = history_queries.of_span(site, address, address)
    rows = history_queries.near(connection, where, moment, MOST_HERE)
    asked = look_records.near(connection, site, address, moment)
    return _judged(connection, moment, rows, [*rows, *_elsewhere(connection, rows, moment)], {address: asked})


def of_macs(connection: Connection, site: int, macs: Sequence[MacNumber], moment: int) -> list[PairThen]:
    """What is known of some MACs at a moment, address by address."""
    rows = history_queries.near(connection, history_queries.of_any(macs), moment, MOST_HERE + len(macs))
    others: list[StayRow] = []
    asked: dict[Address, list[Series]] = {}
    for address in dict.fromkeys(row.address for row in rows):
        others += history_queries.near(connection, history_queries.of_span(site, address, address), moment, FEW)
        asked[address] = look_records.near(connection, site, address, moment)
    return _judged(connection, moment, rows, [*rows, *others], asked)


def _elsewhere(connection: Connection, rows: Sequence[StayRow], moment: int) -> list[StayRow]:
    """Where those who are not known to have stayed at an address over a moment answered next after they had there."""
    latest: dict[MacNumber, int] = {}
    for row in rows:
        if row.mac is not None and row.first <= moment:
            latest[row.mac] = max(row.last, latest.get(row.mac, 0))
    left = {mac: last for mac, last in latest.items() if last < moment}
    if not left:
        return []
    found = history_queries.after(connection, sorted(left), min(left.values()), MOST_ELSEWHERE)
    return [row for row in found if row.address != rows[0].address]


def of_span(
    connection: Connection, site: int, first: int, last: int, moment: int, *, bare: bool = False
) -> list[PairThen]:
    """The devices that were there within a span of a site's addresses, or probably were, in the order of addresses. Looks tell
    those that were silent from those of which nothing is known, and neither is asked for here. `bare`: only to be counted."""
    rows = history_queries.around(connection, site, first, last, moment, BETWEEN, bare=bare)
    found = _judged(connection, moment, rows, rows, None)
    return sorted((one for one in found if one.then.known.there), key=lambda one: (one.row.address, -one.row.last))


def _judged(
    connection: Connection, moment: int, rows: Sequence[StayRow], known: Sequence[StayRow],
    asked: Mapping[Address, Sequence[Series]] | None,
) -> list[PairThen]:  # fmt: skip
    """The pairs of some stays, judged by them and by all that is known of their addresses and MACs; `asked` are the looks at each
    address. Without looks there are no sentences."""
    pairs: dict[tuple[Address, MacNumber | None], list[StayRow]] = defaultdict(list)
    at_address: dict[Address, list[StayRow]] = defaultdict(list)
    of_mac: dict[MacNumber, list[StayRow]] = defaultdict(list)
    for row in rows:
        pairs[row.address, row.mac].append(row)
    for row in {row.id: row for row in known}.values():
        at_address[row.address].append(row)
        if row.mac is not None:
            of_mac[row.mac].append(row)
    runs = absence_records.around(connection, {row.id for row in rows if row.first <= moment}, moment)
    found = []
    for (address, mac), mine in pairs.items():
        earlier = max(
            (row for row in mine if row.first <= moment), key=lambda row: (_answered(row), row.last), default=None
        )
        if earlier is None:
            continue
        run = runs.get(earlier.id)
        pair = Pair(
            address, [stay_of(row) for row in mine], {earlier.id: [run]} if run is not None else {},
            against(address, mac, at_address[address], of_mac[mac] if mac is not None else ()),
            asked[address] if asked is not None else (),
        )  # fmt: skip
        then = pair.at(moment)
        if then is not None:
            found.append((earlier, then))
    if asked is None:
        return [PairThen(row, then, "") for row, then in found]
    named = {row.mac: who(row) for row in known}
    deaf = look_records.deaf(connection, moment - BETWEEN, moment + BETWEEN)
    told = [PairThen(row, then, _said(row, then, moment, deaf, named)) for row, then in found]
    order = [Known.HELD, Known.PROBABLY, Known.UNKNOWN, Known.SILENT]
    return sorted(told, key=lambda one: (order.index(one.then.known), -one.row.last))


def stay_of(row: StayRow) -> Stay:
    """A row of stays, as the rule takes it."""
    return Stay(
        row.id, row.address, row.mac, row.first, row.last, row.sightings, SOURCES[row.sources], row.widest,
        row.reason != Reason.NONE, row.heard,
    )  # fmt: skip


def against(address: Address, mac: MacNumber | None, here: Iterable[StayRow], own: Iterable[StayRow]) -> list[Against]:
    """What may speak against a pair having stayed: that other MACs answered at its address, or its own MAC at other addresses."""
    others = [Against(row.first, mac=row.mac) for row in here if row.mac != mac and _answered(row)]
    elsewhere = (row for row in own if row.address != address and _answered(row))
    return [*others, *(Against(row.first, address=row.address) for row in elsewhere)]


def _answered(row: StayRow) -> bool:
    return bool(row.sources & ANSWER_BITS)


def _said(
    row: StayRow, then: Then, moment: int, deaf: Sequence[DeafTime], named: Mapping[MacNumber | None, str]
) -> str:  # fmt: skip
    rival = ""
    if then.against is not None:
        rival = (
            f"it answered at {dotted(then.against.address)}"
            if then.against.address is not None
            else f"{named.get(then.against.mac, 'another device')} answered there"
        )
    first, last = then.before or moment, then.after or then.asked or moment
    return words.told(who(row), then, moment, unasked(deaf, first, max(last, moment)), rival)


def who(row: StayRow) -> str:
    """Whose stay it is, for a sentence."""
    mac = str(Mac(row.mac)) if row.mac is not None else "something behind the gateway"
    return f"{row.called} ({mac})" if row.called else mac
