"""Answers what was true when, for an address, a MAC, a name or a subnet."""

from __future__ import annotations

from dataclasses import dataclass
from ipaddress import AddressValueError, IPv4Address
from typing import Literal

from sqlalchemy import Connection

from ...api.history import Happened, History, HistorySpan, Moment
from ...core.absence import Reason
from ...core.address import FIRST, Address, address_of, dotted
from ...core.mac import Mac, MacError, MacNumber
from ...core.plan.proof import span_of
from ...core.stays import SAME_MOMENT_MS, Source
from ...store import device_queries, history_queries
from ...store.rows import StayRow
from .. import views
from ..context import Context, now_ms
from ..findings import finding_views
from ..naming import request_values
from ..web.problems import Refusal
from . import past_plan_views

Kind = Literal["address", "mac", "name", "subnet"]
DAY = 24 * 3600 * 1000
BETWEEN_LOOKS = history_queries.BETWEEN_LOOKS
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
        turns=[finding_views.turn(t) for t in turns],
        more=more,
    )  # fmt: skip


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


def at(context: Context, connection: Connection, text: str, moment: int, limit: int = 5000) -> Moment:
    """Who was there at a moment (UTC ms); where nobody was, who was before and after."""
    asked, here = understand(context, connection, text), context.plan.site_here
    before = after = None
    if asked.macs:
        rows = history_queries.at_macs(connection, asked.macs, moment)
        if not rows:
            before, after = history_queries.beside_macs(connection, asked.macs, moment)
    else:
        grace = BETWEEN_LOOKS if asked.kind == "subnet" else 0
        rows = history_queries.in_subnet(connection, here, asked.first, asked.last, moment, limit, grace)
        if not rows and asked.kind == "address":
            before, after = history_queries.beside_address(connection, here, asked.first, moment)
    if before is not None and moment - before.last <= BETWEEN_LOOKS:
        # Nobody looked between the last sighting and then: the last holders are named, with when that was.
        if asked.macs:
            late = [before] if not 0 < before.silent_first <= moment else []
        else:
            late = history_queries.in_subnet(connection, here, asked.first, asked.last, moment, limit, BETWEEN_LOOKS)
            late = [row for row in late if row.last >= before.last - SAME_MOMENT_MS]
        if late and (after is None or _next_holders(connection, here, asked, after, limit) & {row.mac for row in late}):
            rows, before, after = late, None, None
    if asked.macs:
        planned, said = past_plan_views.of_macs(context, connection, asked.macs, moment)
    elif asked.kind == "subnet":
        planned, said = past_plan_views.of_subnet(context, connection, asked.first, asked.last, moment)
    else:
        planned, said = past_plan_views.of_address(context, connection, asked.first, moment)
    return Moment(
        subject=asked.text, kind=asked.kind, at=views.time_of(moment),
        sentences=[*_told(asked, rows, before, after, moment), *said], stays=[views.stay_row(row, context.vendors) for row in rows],
        planned=planned, stay_before=views.stay_row(before, context.vendors) if before is not None else None,
        stay_after=views.stay_row(after, context.vendors) if after is not None else None,
    )  # fmt: skip


def _next_holders(connection: Connection, here: int, asked: Asked, after: StayRow, limit: int) -> set[int | None]:
    """Everybody who was seen first at the moment at which somebody was seen again."""
    if asked.macs:
        return {after.mac}
    there = history_queries.in_subnet(connection, here, asked.first, asked.last, after.first, limit)
    return {row.mac for row in there if row.first == after.first}


def _told(
    asked: Asked, rows: list[StayRow], before: StayRow | None, after: StayRow | None, moment: int
) -> list[str]:  # fmt: skip
    if asked.kind == "subnet":
        macs = {row.mac for row in rows if row.mac is not None}
        addresses = {row.address for row in rows}
        return [f"{len(addresses)} addresses of {asked.text} were in use, by {len(macs)} adapters whose MAC is known."]
    if rows and asked.kind == "address":
        both = "Two devices" if len({row.mac for row in rows}) > 1 else None
        who = " and ".join(dict.fromkeys(_who(row) for row in rows))
        late = (moment - max(row.last for row in rows)) // 1000
        seen = f" It was last seen there {span_of(late * 1000)} before; nobody looked between." if late > 0 else ""
        gap = max((row.widest or 0 for row in rows), default=0)
        if not late and gap > BETWEEN_LOOKS:
            seen = f" It was seen before and after, up to {span_of(gap)} apart; in between nobody saw it."
        if all(Source(row.sources) & Source.FOLDED for row in rows):
            return [
                f"{who} held it at some time around then: records that old are folded, with gaps that are not kept."
            ]
        return [f"{both} held it: {who}." if both else f"{who} held it.{seen}"]
    if rows:
        return [f"It held {', '.join(dotted(row.address) for row in rows)}."]
    if before is None and after is None:
        return ["It was never seen, before or after."]
    said = ["Nobody was seen holding it then." if asked.kind == "address" else "It was not seen anywhere then."]
    if before is not None:
        said.append(f"Before that, last: {_who(before)} at {dotted(before.address)}, {_until(before, moment)}.")
    if after is not None:
        said.append(f"After that, first: {_who(after)} at {dotted(after.address)}.")
    return said


def _until(row: StayRow, moment: int) -> str:
    """When a stay was over, and what was found between that and a moment."""
    ago = span_of(moment - row.last)
    if 0 < row.silent_first <= moment:
        reason = Reason(row.reason)
        why = f": {reason.words}" if reason in (Reason.GAVE_WAY, Reason.MOVED) else ", asked for in vain since"
        return f"seen last {ago} before{why}"
    until = f", not looked for until {span_of(row.silent_first - moment)} later" if row.silent_first else ""
    return f"seen last {ago} before{until or ', not looked for between'}"


def _who(row: StayRow) -> str:
    name = row.called
    mac = str(Mac(row.mac)) if row.mac is not None else "somebody behind the gateway"
    return f"{name} ({mac})" if name else mac


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
