"""People's edits of the kinds of devices that the site knows: each is one change of the journal."""

from __future__ import annotations

from typing import Any

from ...api.fitting import DeviceKindEdit, DeviceKindNew, KindsTaken
from ...core.fitting import kinds
from ...core.fitting.kinds import Comes, Field, Kind, KindError
from ...store import kind_records
from ...store.edits import EditError, Missing, Versions
from ...store.journal import Journal, Written, version
from ..context import Context
from ..naming import request_values
from ..setting_edits import changed, differing, writing

KIND = "kind"


def version_of(context: Context, identity: int) -> int:
    """At which version a kind is."""
    with context.database.read() as connection:
        return version(connection, KIND, (identity,))


def add(context: Context, who: str, new: DeviceKindNew) -> int:
    """A new kind; gives its id. Raises EditError."""
    kind = checked(
        context,
        Kind(
            new.name, Comes(new.comes), new.factory, new.page, new.reset, new.store, _fields(new.fields), new.notation,
            new.role, new.notes,
        ),
    )  # fmt: skip
    with writing(context, who) as journal:
        identity = enter(journal, kind)
    changed(context, {KIND})
    return identity


def enter(journal: Journal, kind: Kind) -> int:
    """A new kind, within an edit; gives its id. Raises EditError."""
    _free(journal, kind.name, 0)
    identity, values = journal.new_id(KIND), kind_records.values(kind)
    journal.save("add", KIND, kind.name, [Written(KIND, (identity,), values)], (None, _told(values)))
    return identity


def edit(context: Context, who: str, identity: int, given: DeviceKindEdit, versions: Versions = None) -> None:
    """Change a kind. Raises Missing, StaleEdit, EditError."""
    with writing(context, who) as journal:
        before = _before(journal, identity, versions)
        wanted = {name: value for name, value in given.model_dump().items() if value is not None}
        if wanted.get("factory") == "" and "comes" not in wanted and before["comes"] == Comes.ADDRESS:
            wanted["comes"] = Comes.UNKNOWN
        after = kind_records.values(checked(context, kind_records.of_values({**before, **wanted})))
        _free(journal, after["name"], identity)
        journal.save(
            "set", KIND, before["name"], [Written(KIND, (identity,), after)], differing(_told(before), _told(after))
        )
    changed(context, {KIND})


def remove(context: Context, who: str, identity: int, versions: Versions = None) -> None:
    """A kind no more; fittings of it keep what they wrote down. Raises Missing, StaleEdit."""
    with writing(context, who) as journal:
        before = _before(journal, identity, versions)
        journal.save("remove", KIND, before["name"], [Written(KIND, (identity,), None)], (_told(before), None))
    changed(context, {KIND})


def take_in(context: Context, who: str, text: str) -> KindsTaken:
    """A library's kinds: those whose name is known are changed, the others added, as one change. Raises EditError."""
    try:
        read = [checked(context, kind) for kind in kinds.read(text)]
    except KindError as error:
        raise EditError(str(error), "text") from error
    added = changed_count = 0
    with writing(context, who) as journal:
        there = {one.kind.name.casefold(): one for one in kind_records.all_of_them(journal.connection)}
        rows: list[Written] = []
        fresh = journal.new_id(KIND)
        for kind in read:
            known = there.get(kind.name.casefold())
            if known is not None and known.kind == kind:
                continue
            rows.append(Written(KIND, (known.id if known else fresh,), kind_records.values(kind)))
            changed_count += known is not None
            if known is None:
                fresh, added = fresh + 1, added + 1
        if rows:
            journal.save(
                "take in", KIND, f"{len(rows)} kinds", rows, (None, {"added": added, "changed": changed_count})
            )
    changed(context, {KIND})
    return KindsTaken(added_count=added, changed_count=changed_count, same_count=len(read) - added - changed_count)


def checked(context: Context, kind: Kind) -> Kind:
    """A kind with its texts and its role in order. Raises EditError."""
    try:
        found = kinds.checked(kind)
    except KindError as error:
        raise EditError(str(error), error.where) from error
    with context.plan.reading() as plan:
        request_values.role(found.role, plan)
    return found


def _fields(given: list[Any] | None) -> tuple[Field, ...]:
    return tuple(Field(one) for one in given) if given is not None else kinds.USUAL_FIELDS


def _free(journal: Journal, name: str, identity: int) -> None:
    for one in kind_records.all_of_them(journal.connection):
        if one.id != identity and one.kind.name.casefold() == name.casefold():
            raise EditError(f"there is a kind {one.kind.name!r} already; choose another name", "name")


def _before(journal: Journal, identity: int, versions: Versions) -> dict[str, Any]:
    before = journal.row(KIND, (identity,))
    if before is None:
        raise Missing(f"there is no kind {identity}")
    journal.expect(KIND, (identity,), versions, f"the kind {before['name']}", _told(before))
    return before


def _told(values: dict[str, Any]) -> dict[str, Any]:
    """A kind as the list of changes shows it."""
    return {name: ", ".join(value) if isinstance(value, list) else value for name, value in values.items() if value}
