"""Compares what a Kea server runs with what it should run after an edit: nothing else may have changed. No I/O.

The server tells its configuration with all that it added by itself, in an order of its own; so both are flattened to what each part
says, under names that do not depend on order: a subnet by its range, a reservation by its identifier, an option by its name.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from .kea_config import OPTION_CODES

Path = tuple[str, ...]
_IDENTIFIERS = ("hw-address", "client-id", "duid", "circuit-id", "flex-id")


def beyond(texts: tuple[Any, Any], running: tuple[Any, Any]) -> list[str]:
    """What has changed in the running configuration beyond what changed in the texts; both are (before, after) as JSON values.

    What the texts changed must run so; what they took out must be gone; to what they added the server adds its own defaults;
    everything else must be what it was.
    """
    was, now = dict(_flat(running[0], ())), dict(_flat(running[1], ()))
    text_was, text_now = dict(_flat(texts[0], ())), dict(_flat(texts[1], ()))
    parts_were, parts_are = _prefixes(text_was), _prefixes(text_now)
    added, gone = parts_are - parts_were - _prefixes(was), parts_were - parts_are
    changed = {path for path in text_was.keys() | text_now.keys() if text_was.get(path) != text_now.get(path)}
    found = [
        f"{'.'.join(path)} is {now.get(path, 'gone')}"
        for path, value in text_now.items()
        if path in changed and now.get(path) != value
    ]
    for path in was.keys() | now.keys():
        if was.get(path) == now.get(path) or path in changed or _inside(path, added) or _follows(path, changed):
            continue
        if _inside(path, gone) and path not in now:
            continue
        found.append(f"{'.'.join(path)} is {now.get(path, 'gone')}, it was {was.get(path, 'not there')}")
    return sorted(found)


def _follows(path: Path, changed: set[Path]) -> bool:
    """The bounds of a lease time follow it where they are not set."""
    return path[-1] in ("min-valid-lifetime", "max-valid-lifetime") and (*path[:-1], "valid-lifetime") in changed


def _prefixes(flat: dict[Path, Any]) -> set[Path]:
    return {path[:end] for path in flat for end in range(1, len(path) + 1)}


def _inside(path: Path, parts: set[Path]) -> bool:
    """Whether a path is, or leads into, one of some parts."""
    return any(path[:end] in parts for end in range(1, len(path) + 1))


def _flat(value: Any, path: Path) -> Iterator[tuple[Path, Any]]:
    if isinstance(value, dict):
        if not value:
            yield path, "{}"
        for key, item in value.items():
            yield from _flat(item, (*path, key))
    elif isinstance(value, list):
        seen: dict[str, int] = {}
        for number, item in enumerate(value):
            name = _name(item, number)
            seen[name] = seen.get(name, 0) + 1
            yield from _flat(item, (*path, name if seen[name] == 1 else f"{name} ({seen[name]})"))
    else:
        yield path, _plain(value)


def _name(item: Any, number: int) -> str:
    if not isinstance(item, dict):
        return str(_plain(item)) if isinstance(item, str) else str(number)
    for key in ("subnet", "pool"):
        if key in item:
            return str(_plain(item[key]))
    for key in _IDENTIFIERS:
        if key in item:
            return f"{key} {_plain(item[key])}"
    if "data" in item:
        code = item.get("code") or OPTION_CODES.get(str(item.get("name", "")), item.get("name"))
        return f"option {code} of {item.get('space', 'dhcp4')}"
    return str(item.get("name") or number)


def _plain(value: Any) -> Any:
    """A text without the ways in which the server writes it otherwise."""
    if not isinstance(value, str):
        return value
    joined = ",".join(part.strip() for part in value.split(","))
    return (
        "-".join(part.strip() for part in joined.split("-")).lower()
        if "-" in joined and joined[:1].isdigit()
        else joined.lower()
    )
