"""Answers what was true when, for an address, a MAC, a name or a subnet."""

from __future__ import annotations

from dataclasses import dataclass
from ipaddress import AddressValueError, IPv4Address
from typing import Literal

from sqlalchemy import Connection

from ...api.history import Deaf, Happened, HeardAs, History, HistorySpan, KnownThen, Moment, Silent
from ...core.address import FIRST, Address, address_of, dotted
from ...core.mac import Mac, MacError, MacNumber
from ...core.past import looks, words
from ...core.past.deaf import DeafTime
from ...core.past.rule import Known
from ...core.plan.proof import span_of
from ...store import absence_records, device_queries, heard_records, history_queries, look_records
from ...store.rows import StayRow
from .. import views
from ..context import Context, now_ms
from ..findings import finding_views
from ..knowing import moments
from ..knowing.moments import PairThen
from ..naming import request_values
from ..web.problems import Refusal
from . import past_plan_views

Kind = Literal["address", "mac", "name", "subnet"]
DAY = 24 * 3600 * 1000
SHOWN, MOST_SILENCES, MOST_LISTED = 2, 100, 5_000
BUCKETS = 120


@dataclass(frozen=True, slots=True)
class Asked:
    """What a text means: addresses first..last, or MACs."""

    text: str
    kind: Kind
    first: Address = FIRST
    last: Address = FIRST
    macs: tuple[MacNumber, ...] = ()


def understand(context: Context, connection: Connection, text: str) -> Asked:
    """An address, a MAC in any notation, a subnet by name or range, else a name. Raises Refusal."""
    text = text.strip()
    try:
        address = address_of(IPv4Address(text))
        return Asked(text, "address", address, address)
    except AddressValueError:
        pass
    try:
        mac = Mac.parse(text)
        return Asked(str(mac), "mac", macs=(mac.value,))
    except MacError:
        pass
    with context.plan.reading() as plan:
        subnet = request_values.find_subnet(plan, context.plan.site_here, text)
        if subnet is not None:
            return Asked(str(subnet.network), "subnet", Address(subnet.first), Address(subnet.last))
        planned = [item.mac for item in plan.of_name(context.plan.site_here, text) if item.mac is not None]
    if "/" in text:
        network = request_values.network(text)
        return Asked(str(network), "subnet", address_of(network.network_address), address_of(network.broadcast_address))
    macs = sorted({*history_queries.macs_called(connection, text), *planned})
    if not macs:
        raise Refusal(
            404,
            "missing",
            f"nothing here is or was called {text!r}; name an address, a MAC, a subnet or a device",
            "subject",
        )
    return Asked(text, "name", macs=tuple(macs))


def between(
    context: Context, connection: Connection, text: str, since: int, until: int, limit: int
) -> History:  # fmt: skip
    """Everything about a subject between two times (UTC ms)."""
    asked = understand(context, connection, text)
    if asked.macs:
        rows = history_queries.of_macs(connection, asked.macs, since, until, limit + 1)
        names = device_queries.names_of(connection, list(asked.macs))
        turns = [
            t
            for mac in asked.macs[:8]
            for t in history_queries.turns_about(connection, str(Mac(mac)), since, until, limit)
        ]
    else:
        rows = history_queries.of_addresses(
            connection, context.plan.site_here, asked.first, asked.last, since, until, limit + 1
        )
        names = (
            device_queries.names_at(connection, context.plan.site_here, asked.first) if asked.kind == "address" else []
        )
        what = asked.text if asked.kind == "address" else _subnet_name(context, asked)
        turns = history_queries.turns_about(connection, what, since, until, limit)
    more = len(rows) > limit
    rows = rows[:limit]
    return History(
        subject=asked.text, kind=asked.kind, since=views.maybe_time(since), until=views.time_of(until),
        stays=[views.stay_row(row, context.vendors) for row in ([] if asked.kind == "subnet" else rows)],
        names=[views.name_stay(row) for row in names if row.last >= since and row.first <= until],
        happened=_happened(rows, since, until)[:limit] if asked.kind == "subnet" else [],
        silences=_silences(connection, rows, since, until)[:limit] if asked.kind != "subnet" else [],
        heard_only=_heard(connection, context.plan.site_here, asked, since, until, limit),
        deaf=[_deaf(one) for one in reversed(look_records.deaf(connection, since, until))][:limit],
        turns=[finding_views.turn(t) for t in turns],
        more=more,
    )  # fmt: skip


def _silences(connection: Connection, rows: list[StayRow], since: int, until: int) -> list[Silent]:
    """When the pairs of some stays were asked without an answer within a time, the latest first, MOST_SILENCES at most."""
    by_id = {row.id: row for row in rows}
    runs = absence_records.of_stays(connection, set(by_id), since, until, MOST_SILENCES)
    return [
        Silent(
            address=dotted(row.address), mac=str(Mac(row.mac)) if row.mac is not None else None,
            silent_from=views.time_of(run.first), silent_until=views.time_of(run.last), count=run.count,
            answered_before=views.time_of(run.before), answered_after=views.maybe_time(run.after), ended=absence_records.words(run),
        )
        for run, row in ((run, by_id[identity]) for identity, run in runs)
    ]  # fmt: skip


def _heard(connection: Connection, site: int, asked: Asked, since: int, until: int, limit: int) -> list[HeardAs]:
    found = (
        heard_records.of_macs(connection, asked.macs, limit)
        if asked.macs
        else heard_records.of_addresses(connection, site, asked.first, asked.last, limit)
    )
    return [
        HeardAs(
            address=dotted(row.address), mac=str(Mac(row.mac)), first_seen=views.time_of(row.first),
            last_seen=views.time_of(row.last), count=row.times,
        )
        for row in found if row.last >= since and row.first <= until
    ]  # fmt: skip


def _deaf(one: DeafTime) -> Deaf:
    return Deaf(adapter=one.adapter, since=views.time_of(one.first), until=views.maybe_time(one.last), said=one.said)


def _subnet_name(context: Context, asked: Asked) -> str:
    with context.plan.reading() as plan:
        subnet = request_values.find_subnet(plan, context.plan.site_here, asked.text)
    return (subnet.name if subnet is not None else "") or asked.text


def _happened(rows: list[StayRow], since: int, until: int) -> list[Happened]:
    """Who came within the time, and who was seen for the last time and not again for a day."""
    found = []
    edge = now_ms() - DAY
    for row in rows:
        if since <= row.first <= until:
            found.append(_event("came", row.first, row))
        if since <= row.last <= min(until, edge):
            found.append(_event("last seen", row.last, row))
    return sorted(found, key=lambda one: one.at, reverse=True)


def _event(what: Literal["came", "last seen"], at: int, row: StayRow) -> Happened:
    return Happened(
        at=views.time_of(at), what=what, address=dotted(row.address),
        mac=str(Mac(row.mac)) if row.mac is not None else None, device=views.stay_device(row),
    )  # fmt: skip


def at(context: Context, connection: Connection, text: str, moment: int) -> Moment:
    """What is known of a moment (UTC ms): who was there, who may have been, who was silent, and how each is known."""
    asked, here = understand(context, connection, text), context.plan.site_here
    before = after = None
    if asked.macs:
        known = moments.of_macs(connection, here, asked.macs, moment)
        planned, said = past_plan_views.of_macs(context, connection, asked.macs, moment)
        where = history_queries.of_any(asked.macs)
    elif asked.kind == "subnet":
        known = moments.of_span(connection, here, asked.first, asked.last, moment)
        planned, said = past_plan_views.of_subnet(context, connection, asked.first, asked.last, moment)
    else:
        known = moments.of_address(connection, here, asked.first, moment)
        planned, said = past_plan_views.of_address(context, connection, asked.first, moment)
        where = history_queries.of_span(here, asked.first, asked.last)
    there = [one.row for one in known if one.then.known.there][:MOST_LISTED]
    if not there and asked.kind != "subnet":
        before, after = history_queries.beside(connection, where, moment)
    told = _counted(asked, known) if asked.kind == "subnet" else _told(connection, here, asked, known, after, moment)
    return Moment(
        subject=asked.text, kind=asked.kind, at=views.time_of(moment), sentences=[*told, *said],
        stays=[views.stay_row(row, context.vendors) for row in there], known=[_known(one) for one in known[:MOST_LISTED]],
        planned=planned,
        stay_before=views.stay_row(before, context.vendors) if before is not None else None,
        stay_after=views.stay_row(after, context.vendors) if after is not None else None,
    )  # fmt: skip


def _known(one: PairThen) -> KnownThen:
    then = one.then
    return KnownThen(
        address=dotted(one.row.address), mac=str(Mac(one.row.mac)) if one.row.mac is not None else None,
        device=views.stay_device(one.row), known=then.known.value, answered_before=views.maybe_time(then.before),
        answered_after=views.maybe_time(then.after), apart=None if then.apart is None else then.apart // 1000,
        silent_from=views.maybe_time(then.run.first if then.run is not None else None),
        silent_until=views.maybe_time(then.run.last if then.run is not None else None), said=one.said,
    )  # fmt: skip


def _counted(asked: Asked, known: list[PairThen]) -> list[str]:
    """How many addresses of a subnet were in use, as far as is known."""
    macs = {one.row.mac for one in known if one.row.mac is not None}
    held = {one.row.address for one in known if one.then.known is Known.HELD}
    every = {one.row.address for one in known}
    sure = (
        f"Of {len(held)} that is certain: they answered close together before and after. The others" if held else "They"
    )
    return [
        f"{len(every)} addresses of {asked.text} were in use or probably were, by {len(macs)} adapters whose MAC is known.",
        f"{sure} answered before, and nothing is known against it.",
        *([f"The first {MOST_LISTED:,} are listed."] if len(known) > MOST_LISTED else []),
    ]


def _told(
    connection: Connection, site: int, asked: Asked, known: list[PairThen], after: StayRow | None, moment: int
) -> list[str]:  # fmt: skip
    there = [one for one in known if one.then.known.there]
    others = [one for one in known if not one.then.known.there]
    if asked.macs:
        sure = {one.row.address for one in there}
        said = [_at_address(one) for one in there] or ["It is not known to have been anywhere then."]
        latest = [one for one in others if one.row.address not in sure][: 1 if there else SHOWN]
        said += [_at_address(one) for one in latest]
    else:
        both = len({one.row.mac for one in there}) > 1
        said = ["More than one device answered for it around then."] if both else []
        said += [one.said for one in there] or ["No device is known to have held it then."]
        said += [one.said for one in others[: 0 if there else SHOWN]]
        if not there:
            asking = look_records.near(connection, site, asked.first, moment)
            asking_then = looks.beside(asking, asked.first, moment, known[0].row.last if known else None)
            said.append(words.nobody(*asking_then, moment, bool(known)))
    if not there and not others and after is None:
        said.insert(1, "It was never seen, before or after.")
    elif not there and after is not None and all(one.then.after is None for one in others):
        said.append(
            f"After that, first: {moments.who(after)} answered at {dotted(after.address)}, {span_of(after.first - moment)} after."
        )
    return said


def _at_address(one: PairThen) -> str:
    """What is known of a device at one of its addresses."""
    return f"At {dotted(one.row.address)}: {one.said}"


def span(context: Context, connection: Connection, text: str) -> HistorySpan:
    """How far the records of a subject reach back, and when how many stays began."""
    asked = understand(context, connection, text)
    until = now_ms()
    where = (
        history_queries.of_any(asked.macs)
        if asked.macs
        else history_queries.of_span(context.plan.site_here, asked.first, asked.last)
    )
    began, begun = history_queries.span(connection, where, BUCKETS, until)
    return HistorySpan(subject=asked.text, since=views.maybe_time(began), until=views.time_of(until), begun=begun)
