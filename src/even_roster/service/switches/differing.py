"""What turned at a switch, and what is different between two moments of it. Only reads."""

from __future__ import annotations

from sqlalchemy import Connection, func, select, union_all

from ...api.switches import PortRef, PortTurn, PortTurns, SwitchMoments, SwitchRef
from ...core.switches.port_stays import PortStay
from ...core.switches.sentences import port_said
from ...store.switch_tables import port_states, port_stays
from ..context import Context
from ..knowing.switch_now import SwitchNow
from ..views import time_of
from ..web.paging import Asked, cut
from . import picture, port_views
from .picture import Names, PortThen

NAMED = 3


def moments(connection: Connection, switch: SwitchNow, since: int | None, until: int, buckets: int) -> SwitchMoments:
    """How much turned in each of equal stretches; what was read first is no turn, it is where the records begin."""
    states = select(port_states.c.first.label("at")).where(port_states.c.port.in_(list(switch.ports)))
    stays = select(port_stays.c.first.label("at")).where(port_stays.c.switch == switch.row.id)
    every = union_all(states, stays).subquery()
    first = connection.execute(select(func.min(every.c.at))).scalar()
    begin = max(since or 0, first if first is not None else until)
    width = max((until - begin) / buckets, 1)
    counts = [0] * buckets
    query = select(every.c.at, func.count()).where(every.c.at > begin, every.c.at <= until).group_by(every.c.at)
    for at, count in connection.execute(query):
        counts[min(int((at - begin) / width), buckets - 1)] += count
    return SwitchMoments(since=time_of(begin), until=time_of(until), counts=counts)


def turns(
    context: Context, connection: Connection, switch: SwitchNow, since: int, until: int, paging: Asked
) -> PortTurns:
    """What is different, port by port in their order: who came, who went, how it stood."""
    names = Names(context, connection)
    before = {one.port.id: one for one in picture.then(connection, switch, since)}
    after = {one.port.id: one for one in picture.then(connection, switch, until)}
    keys = sorted(before.keys() | after.keys(), key=lambda key: (switch.ports[key].place, key))
    found = []
    for key in keys:
        was, now = before.get(key), after.get(key)
        came = _beside(now, was)
        went = _beside(was, now)
        plain = (was.state if was is not None else None) == (now.state if now is not None else None)
        uplink = (now or was) is not None and _leads(now or was)
        if plain and (uplink or (not came and not went)):
            continue
        found.append((key, was, now, [] if uplink else came, [] if uplink else went))
    shown, rest = cut(found, lambda one: [switch.ports[one[0]].place, one[0]], paging)
    names.learn({stay.mac for _, was, now, came, went in shown for stay in (*came, *went, *_all(was), *_all(now))})
    reference = SwitchRef(id=switch.row.id, name=names.switch(switch)[1])
    items = [
        PortTurn(
            switch=reference, port=PortRef(id=key, name=switch.ports[key].name), before=_said(context, names, switch, was),
            after=_said(context, names, switch, now),
            came=[port_views.behind_view(context, names, switch, stay) for stay in came],
            went=[port_views.behind_view(context, names, switch, stay) for stay in went],
        )
        for key, was, now, came, went in shown
    ]  # fmt: skip
    return PortTurns(items=items, **rest._asdict(), since=time_of(since), until=time_of(until))


def _leads(one: PortThen | None) -> bool:
    return one is not None and one.state is not None and one.state.uplink


def _all(one: PortThen | None) -> tuple[PortStay, ...]:
    return tuple(picture.first_behind(one, NAMED)) if one is not None else ()


def _beside(one: PortThen | None, other: PortThen | None) -> list[PortStay]:
    """Who was behind a port at one moment and not at the other."""
    there = {stay.mac for stay in other.behind} if other is not None else set()
    return [stay for stay in one.behind if stay.mac not in there] if one is not None else []


def _said(context: Context, names: Names, switch: SwitchNow, one: PortThen | None) -> str:
    if one is None:
        return "not known then"
    leads = picture.leads_to(switch, one, names, context.switches.owners) if _leads(one) else ""
    return port_said(one.state, [names.said(stay.mac) for stay in _all(one)], len(one.behind), leads)
