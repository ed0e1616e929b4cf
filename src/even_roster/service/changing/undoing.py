"""Takes edits back: one, or several as one, whatever they are of: the plan, devices or settings."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from sqlalchemy import Connection

from ...store.edits import EditError, Missing
from ...store.journal import Journal
from .. import setting_edits
from ..context import Context, now_ms
from ..devices import device_edits
from ..devices.device_edits import Making


def undo(context: Context, who: str, changes: Collection[int]) -> None:
    """Take changes back, the latest first, all of them or none. Raises Missing, EditError and what `PlanBook.undo` raises."""
    at, kinds = 0, set[str]()

    def latest_first() -> Iterator[int]:
        nonlocal at
        for change in sorted(set(changes), reverse=True):
            at = change
            yield change

    def otherwise(connection: Connection, change: int) -> Making | None:
        found = Journal(connection, who, now_ms()).undo(change)
        kinds.update(found)
        return None if found else device_edits.take_back(change)

    try:
        context.plan.undo(who, latest_first(), otherwise)
    except EditError as error:
        if len(set(changes)) == 1:
            raise
        raise EditError(f"change {at}: {error}; none of the {len(set(changes))} changes was taken back") from error
    except Missing as error:
        raise Missing(f"{error}; nothing was taken back" if len(set(changes)) > 1 else str(error)) from error
    setting_edits.changed(context, kinds)
