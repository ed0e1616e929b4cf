"""How the list of changes and a conflict tell the values of an item: as people read them. Pure."""

from __future__ import annotations

from dataclasses import fields as fields_of
from typing import Any

from ..address import dotted
from ..dhcp import OPTION_NAMES, option_items
from ..mac import Mac
from .model import Item


def told(before: Item | None, after: Item | None) -> tuple[Any, Any]:
    """What differs between two states of an item, as people read it; None is what was not said, or is not any more."""
    if before is None or after is None:
        return (_whole(before) if before else None), (_whole(after) if after else None)
    was, now = said(before), said(after)
    differ = [name for name in {**was, **now} if was.get(name) != now.get(name)]
    return {name: was.get(name) for name in differ}, {name: now.get(name) for name in differ}


def _whole(item: Item) -> dict[str, Any]:
    """All that an item says; that it is on goes without saying."""
    return {name: value for name, value in said(item).items() if (name, value) != ("on", True)}


def said(item: Item) -> dict[str, Any]:
    """An item's values as people read them, empty ones left out."""
    shown: dict[str, Any] = {}
    for one in fields_of(item):
        value = getattr(item, one.name)
        if one.name == "options":
            shown |= {OPTION_NAMES[name]: text for name, text in option_items(value) if text}
            continue
        if one.name in ("id", "version", "site", "subnet", "device") or (
            value in (None, "", (), False) and one.name != "on"
        ):
            continue
        if one.name in ("address", "gateway", "first", "last", "moved_to"):
            value = dotted(value)
        elif one.name in ("dns", "ntp"):
            value = ", ".join(dotted(address) for address in value)
        elif one.name == "mac":
            value = str(Mac(value))
        elif one.name == "network":
            value = str(value)
        elif one.name == "roles":
            value = ", ".join(value)
        shown[one.name] = value
    return shown
