"""What may be wrong with an edit by a person. They are made in `plan_edits` (plan and devices) and `journal` (settings)."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any


class EditError(ValueError):
    """An edit makes no sense; `field` is the one that is wrong, the message says what would be right."""

    def __init__(self, sentence: str, field: str | None = None) -> None:
        self.field = field
        super().__init__(sentence)


class Missing(LookupError):
    """There is no such thing in the roster."""


Versions = Collection[int] | None
"""The versions of an item that an edit may be based on; None: whatever it is now."""


class StaleEdit(Exception):
    """Somebody else changed the item meanwhile; `current` holds its fields now, `version` its version."""

    def __init__(self, what: str, version: int, current: dict[str, Any]) -> None:
        self.version, self.current = version, current
        super().__init__(f"{what} was changed meanwhile: it is at version {version}")


class AddressTaken(Exception):
    """An address has an assignment already; the message says whose."""
