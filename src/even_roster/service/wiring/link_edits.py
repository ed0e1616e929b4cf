"""People's words of links: that two ports are joined, or that they are not; and where they put switches on the map. Each is one
change of the journal."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Connection

from ...core.text import clean
from ...core.wiring.facts import pair
from ...store import link_records
from ...store.edits import EditError, Missing
from ...store.journal import Written
from ..context import Context
from ..setting_edits import changed, writing

LINK, PLACE = "link", "map place"
LONGEST_NOTE = 200


def say(context: Context, who: str, one: int, other: int, called: str, *, joined: bool, note: str) -> None:
    """Say of two ports that they are joined, or that they are not. Raises Missing, EditError."""
    if one == other:
        raise EditError("a cable has two ends: give two ports", "other")
    for port in (one, other):
        if context.switches.port(port) is None:
            raise Missing(f"there is no port {port} of a switch that is read")
    key = pair(one, other)
    values = {"joined": joined, "note": clean(note, LONGEST_NOTE)}
    with writing(context, who) as journal:
        before = journal.row(LINK, key)
        if before == values:
            return
        if joined:
            _alone(journal.connection, context, key)
        told = (_told(before), _told(values))
        journal.save("set" if before else "add", LINK, called, [Written(LINK, key, values)], told)
    changed(context, {LINK})


def _alone(connection: Connection, context: Context, key: tuple[int, int]) -> None:
    """A port has one cable: what a hand says already must not say another. Raises EditError."""
    for row in link_records.word_rows(connection):
        if row.joined and (row.one, row.other) != key and {row.one, row.other} & set(key):
            port = next(iter({row.one, row.other} & set(key)))
            found = context.switches.port(port)
            name = f"port {found[1].name} of {found[0].called}" if found else f"port {port}"
            raise EditError(f"a hand says already that {name} is joined with another; forget that first", "one")


def forget(context: Context, who: str, one: int, other: int, called: str) -> None:
    """Say nothing of two ports any more. Raises Missing."""
    key = pair(one, other)
    with writing(context, who) as journal:
        before = journal.row(LINK, key)
        if before is None:
            raise Missing("nobody says anything of these two ports")
        journal.save("remove", LINK, called, [Written(LINK, key, None)], (_told(before), None))
    changed(context, {LINK})


def _told(values: dict[str, Any] | None) -> dict[str, Any] | None:
    return {"joined": values["joined"], **({"notes": values["note"]} if values["note"] else {})} if values else None


def put(context: Context, who: str, switch: int, called: str, place: tuple[float, float] | None) -> None:
    """Put a switch somewhere on the map, or with None let it stand where the map has it."""
    values = {"x": round(place[0], 1), "y": round(place[1], 1)} if place is not None else None
    with writing(context, who) as journal:
        before = journal.row(PLACE, (switch,))
        if before == values:
            return
        verb = "remove" if values is None else "set" if before else "add"
        journal.save(verb, PLACE, called, [Written(PLACE, (switch,), values)], (before, values))
    changed(context, {PLACE})
