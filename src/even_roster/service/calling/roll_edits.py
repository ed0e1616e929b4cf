"""People's edits of roll calls: each is one change of the journal."""

from __future__ import annotations

from typing import Any

from ...api.calling import RollCallEdit, RollCallNew
from ...core import roll_call
from ...store import roll_call_records
from ...store.edits import EditError, Missing, Versions
from ...store.journal import Journal, Written, version
from ..context import Context
from ..naming import request_values
from ..setting_edits import changed, differing, writing
from ..views import clock

ROLL = "roll call"


def version_of(context: Context, identity: int) -> int:
    """At which version a roll call is."""
    with context.database.read() as connection:
        return version(connection, ROLL, (identity,))


def add(context: Context, who: str, new: RollCallNew) -> int:
    """A new roll call; gives its id. Raises EditError."""
    quiet = request_values.quiet_hours(new.quiet)
    values = roll_call_records.values(_name(new.name), new.every_seconds, _read(new.text), new.warn_minutes, quiet)
    with writing(context, who) as journal:
        _free(journal, values["name"], 0)
        identity = journal.new_id(ROLL)
        journal.save("add", ROLL, values["name"], [Written(ROLL, (identity,), values)], (None, _told(values)))
    changed(context, {ROLL})
    return identity


def edit(context: Context, who: str, identity: int, given: RollCallEdit, versions: Versions = None) -> None:
    """Change a roll call. Raises Missing, StaleEdit, EditError."""
    lines = _read(given.text) if given.text is not None else None
    with writing(context, who) as journal:
        before = _before(journal, identity, versions)
        after = dict(before)
        if given.name is not None:
            after["name"] = _name(given.name)
            _free(journal, after["name"], identity)
        if given.every_seconds is not None:
            after["every_seconds"] = given.every_seconds
        if given.warn_minutes is not None:
            after["warn_minutes"] = given.warn_minutes
        if given.quiet is not None:
            after["quiet_first"], after["quiet_last"] = request_values.quiet_hours(given.quiet)
        if lines is not None:
            after["lines"] = roll_call_records.stored(lines)
        told = differing(_told(before), _told(after))
        journal.save("set", ROLL, before["name"], [Written(ROLL, (identity,), after)], told)
    changed(context, {ROLL})


def remove(context: Context, who: str, identity: int, versions: Versions = None) -> None:
    """A roll call no more. Raises Missing, StaleEdit."""
    with writing(context, who) as journal:
        before = _before(journal, identity, versions)
        journal.save("remove", ROLL, before["name"], [Written(ROLL, (identity,), None)], (_told(before), None))
    changed(context, {ROLL})


def _read(text: str) -> tuple[roll_call.Line, ...]:
    try:
        return roll_call.read(text)
    except roll_call.RollError as error:
        raise EditError(str(error), "text") from error


def _name(text: str) -> str:
    name = " ".join(text.split())
    if not name:
        raise EditError("give the roll call a name", "name")
    if name.isdigit():
        raise EditError("a roll call is not called by a number alone", "name")
    return name


def _free(journal: Journal, name: str, identity: int) -> None:
    for one in roll_call_records.all_of_them(journal.connection):
        if one.id != identity and one.name.casefold() == name.casefold():
            raise EditError(f"there is a roll call {one.name!r} already; choose another name", "name")


def _before(journal: Journal, identity: int, versions: Versions) -> dict[str, Any]:
    before = journal.row(ROLL, (identity,))
    if before is None:
        raise Missing(f"there is no roll call {identity}")
    journal.expect(ROLL, (identity,), versions, f"the roll call {before['name']}", _told(before))
    return before


def _told(values: dict[str, Any]) -> dict[str, Any]:
    """A roll call as the list of changes shows it: how many lines, and whom they name."""
    names = ", ".join(line[0] for line in values["lines"][:8])
    more = f" and {len(values['lines']) - 8} more" if len(values["lines"]) > 8 else ""
    warn, first, last = values["warn_minutes"], clock(values["quiet_first"]), clock(values["quiet_last"])
    return {
        "name": values["name"], "asked every": f"{values['every_seconds']} s", "lines": f"{names}{more}",
        "told after": f"{warn} min" if warn else "", "quiet": f"{first}-{last}" if first else "",
    }  # fmt: skip
