"""What the demo puts into a new roster: the site's own vendor prefixes, by the same edit a person would make."""

from __future__ import annotations

from collections.abc import Iterable

from ..core.vendors import Prefix
from ..store import vendor_records
from .context import Context
from .deps import editing


def give_prefixes(context: Context, vendors: Iterable[tuple[str, str]]) -> None:
    """Name the own prefixes that the roster does not have yet."""
    with context.database.read() as connection:
        there = {prefix for prefix, _ in vendor_records.own(connection)}
    for text, name in vendors:
        prefix = Prefix.parse(text)
        if prefix not in there:
            with editing(context, "demo") as editor:
                editor.set_prefix(prefix.value, prefix.length, name)
    context.reload_own_vendors()
