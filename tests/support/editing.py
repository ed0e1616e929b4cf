"""Edits of the plan and the devices made straight on a database, completed as the service does it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from sqlalchemy import Connection

from even_roster.core.owning import Record
from even_roster.store import plan_records
from even_roster.store.plan_edits import PlanEditor, Saved

WHO = "a hand"


def save(
    connection: Connection, at: int, before: Sequence[Record], after: Sequence[Record], action: str = "edit"
) -> Saved:
    """Store one edit."""
    editor = PlanEditor(connection, WHO, at)
    whole = editor.settled(plan_records.load(connection), before, after)
    return editor.save(action, "x", whole.before, whole.after, (None, None), "subnet")


def undo(connection: Connection, at: int, change: int) -> Saved:
    """Take one back. Raises EditError."""
    editor = PlanEditor(connection, WHO, at)
    back = editor.reverse(change)
    whole = editor.settled(plan_records.load(connection), back.before, back.after)
    return editor.save_reverse(replace(back, before=[*whole.before], after=[*whole.after]))
