"""/api/v1/ports and /api/v1/where: what is plugged in where, now and at any earlier time."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated, Literal

from fastapi import Query, Response
from sqlalchemy import Connection

from ...api.common import Id, Word
from ...api.switches import (
    KeptPort,
    KeptPortPage,
    LabelSheet,
    PlacingPage,
    PortDay,
    PortEdit,
    PortSheet,
    PortStretch,
)
from ...core.switches.counting import DAY_MS
from ...core.switches.labels import Label, sheet
from ...core.switches.port_states import from_stored
from ...core.switches.sentences import port_said
from ...store import switch_counters, switch_records
from ...store.edits import Missing
from ..context import Context, now_ms
from ..knowing.switch_now import PortNow, SwitchNow
from ..views import maybe_time, time_of
from ..web.contract import paths
from ..web.deps import ContextDep, Who
from ..web.matching import IfMatch, tagged
from ..web.paging import Paging, cut
from . import picture, port_views, switch_edits
from .picture import Names, PortThen
from .port_rates import rates
from .where import Places, macs_of

router = paths("/api/v1", "switches")
MOST_SHOWN = 500
DAYS = 31


@router.get("/ports")
def ports(
    context: ContextDep, who: Who, paging: Paging, switch: Annotated[str | None, Query(max_length=200)] = None,
    at: datetime | None = None, text: Annotated[str, Query(max_length=1000)] = "",
) -> KeptPortPage:  # fmt: skip
    """The ports of a switch, or of all, in their order; with `at` as they were then, with `text` those that say all of its words:
    name, description, note, mark, who is behind."""
    moment = round(at.timestamp() * 1000) if at is not None else None
    with context.database.read() as connection:
        names = Names(context, connection)
        chosen = (
            [picture.find(context, connection, switch)]
            if switch
            else sorted(
                context.switches.switches.values(), key=lambda one: (names.switch(one)[1].casefold(), one.row.id)
            )
        )
        every = [
            (one, then)
            for one in chosen
            for then in (picture.now(one) if moment is None else picture.then(connection, one, moment))
        ]
        if text.strip():
            names.learn({stay.mac for _, port in every if not _leads(port) for stay in port.behind})
            every = [one for one in every if _says(names, *one, text.casefold().split())]
        numbered, rest = cut(list(enumerate(every)), lambda one: [one[0]], paging)
        items = port_views.ports(context, connection, names, [one for _, one in numbered])
    return KeptPortPage(items=items, **rest._asdict(), at=maybe_time(moment))


def _leads(one: PortThen) -> bool:
    """Whether it leads to other switches: who is behind it hangs elsewhere."""
    return one.state is not None and one.state.uplink


def _says(names: Names, switch: SwitchNow, one: PortThen, words: list[str]) -> bool:
    state = one.state
    parts = [one.port.name, names.switch(switch)[1], one.port.words.note, one.port.words.mark]
    if state is not None:
        parts += [
            state.alias,
            state.link,
            *(around.name for around in state.neighbours),
            "uplink" if state.uplink else "",
        ]
    if not _leads(one):
        for stay in one.behind:
            parts += [names.said(stay.mac), names.address(stay.mac) or "", f"{stay.mac:012x}"]
    said = " ".join(parts).casefold()
    return all(word in said or word.replace(":", "").replace("-", "") in said for word in words)


@router.get("/labels")
def labels(
    context: ContextDep, who: Who, switch: Annotated[str, Query(min_length=1, max_length=200)],
    pitch_mm: Annotated[float, Query(ge=6, le=100)] = 16.0, height_mm: Annotated[float, Query(ge=5, le=60)] = 10.0,
    rows: Annotated[int, Query(ge=1, le=8)] = 2, say: Annotated[Literal["notes", "description", "hangs"], Query()] = "notes",
) -> LabelSheet:  # fmt: skip
    """A sheet of labels for the ports of a switch: the note, the switch's description or who hangs there, and the next of these
    where there is none."""
    with context.database.read() as connection:
        one = picture.find(context, connection, switch)
        names = Names(context, connection)
        ports = port_views.ports(context, connection, names, [(one, then) for then in picture.now(one)])
        called = names.switch(one)[1]
    lines = [Label(port.name, _label(port, say)) for port in ports]
    return LabelSheet(svg=sheet(called, lines, pitch_mm, height_mm, rows))


def _label(port: KeptPort, say: str) -> str:
    hangs = ", ".join((who.device.name if who.device else None) or who.mac for who in port.behind[:2])
    leads = port.said.partition(",")[0] if port.uplink else hangs
    ways = {
        "notes": (port.notes, port.alias, leads),
        "description": (port.alias, port.notes, leads),
        "hangs": (leads, port.notes, port.alias),
    }
    return next((text for text in ways[say] if text), port.mark or "")


@router.get("/ports/{identity}")
def one_port(identity: Id, context: ContextDep, who: Who, response: Response) -> PortSheet:
    """Everything about a port: who is behind it, who was, how it stood, what went through it."""
    with context.database.read() as connection:
        sheet = _sheet(context, connection, *_known(context, identity))
    tagged(response, sheet.port.version)
    return sheet


@router.patch("/ports/{identity}")
def edit_port(
    identity: Id, versions: IfMatch, request: PortEdit, context: ContextDep, who: Who, response: Response
) -> KeptPort:  # fmt: skip
    """Note or mark a port, or say whether it is an uplink."""
    switch, port = _known(context, identity)
    with context.database.read() as connection:
        called = f"{Names(context, connection).switch(switch)[1]} {port.name}"
    switch_edits.say(context, who, {identity: called}, request, versions)
    switch, port = _known(context, identity)
    with context.database.read() as connection:
        view = port_views.ports(context, connection, Names(context, connection), [(switch, _then(port))])[0]
    tagged(response, view.version)
    return view


@router.get("/where/{what}")
def where(what: Word, context: ContextDep, who: Who, at: datetime | None = None) -> PlacingPage:
    """Where somebody is plugged in, by name, MAC, address or any fragment; with `at` as it was then."""
    moment = round(at.timestamp() * 1000) if at is not None else None
    with context.database.read() as connection:
        macs = macs_of(context, connection, what, moment)
        places = Places(context, connection, moment)
        places.names.learn(macs)
        found = places.of(macs)
        items = [places.view(mac, found[mac]) for mac in macs]
        items.sort(key=lambda one: (one.grade is None, one.grade != "on", one.grade != "behind"))
        earlier = places.earlier(macs)
    return PlacingPage(items=items, next=None, total=len(items), at=maybe_time(moment), earlier=earlier)


def _known(context: Context, identity: int) -> tuple[SwitchNow, PortNow]:
    found = context.switches.port(identity)
    if found is None:
        raise Missing(f"there is no port {identity} of a switch that is read")
    return found


def _then(port: PortNow) -> PortThen:
    return PortThen(port, port.state, port.since if port.state is not None else None, tuple(port.here))


def _sheet(context: Context, connection: Connection, switch: SwitchNow, port: PortNow) -> PortSheet:
    names = Names(context, connection)
    rows = switch_records.stays_of_port(connection, port.id, MOST_SHOWN)
    earlier = [port_views.stay_of(row, switch.row.learnt) for row in rows if row.last is not None]
    names.learn({stay.mac for stay in earlier})
    view = port_views.ports(context, connection, names, [(switch, _then(port))], whole=True)[0]
    stretches = [
        PortStretch(
            since=time_of(row.first), until=maybe_time(row.last),
            said=_stood(context, names, switch, PortThen(port, from_stored(row.state), row.first, ())),
        )
        for row in switch_records.states_of(connection, port.id, MOST_SHOWN)
    ]  # fmt: skip
    days = [
        PortDay(
            day=datetime.fromtimestamp(row.day * DAY_MS / 1000, UTC).strftime("%Y-%m-%d"), octets_in=row.octets_in,
            octets_out=row.octets_out, errors_in=row.errors_in, errors_out=row.errors_out,
        )
        for row in switch_counters.days(connection, port.id, now_ms() // DAY_MS - DAYS)
    ]  # fmt: skip
    traffic = rates(connection, [port.id]).get(port.id, (None, None, None))
    return PortSheet(
        port=view, earlier=[port_views.behind_view(context, names, switch, stay) for stay in earlier], stretches=stretches,
        days=days, in_bits=traffic[0], out_bits=traffic[1], error_share=traffic[2],
    )  # fmt: skip


def _stood(context: Context, names: Names, switch: SwitchNow, one: PortThen) -> str:
    """How a port stood, without who was behind it: those are told beside it."""
    state = one.state
    assert state is not None
    if not state.up or state.wanted == "down":
        return port_said(state, (), 0, "")
    if state.uplink:
        leads = picture.leads_to(switch, one, names, context.switches.owners)
        return f"uplink{f' to {leads}' if leads else ''}" + port_said(state, (), 0, "").removeprefix(
            "uplink, nobody behind it"
        )
    return "a link" + port_said(state, ("",), 1, "")
