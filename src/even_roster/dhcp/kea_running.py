"""Compares what a Kea server runs before and after an edit with what the edit changed in its texts: nothing else may have changed.

The server tells its configuration with all that it added by itself, in an order of its own; so parts are told apart by names that
do not depend on order: a subnet by its range, a reservation by its identifier, an option by its code. What is equal on both sides
is never looked into, so that the cost is that of what differs. No I/O.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from .kea_config import OPTION_CODES

Path = tuple[str, ...]
_IDENTIFIERS = ("hw-address", "client-id", "duid", "circuit-id", "flex-id")
_NOTHING = object()


def beyond(texts: tuple[Any, Any], running: tuple[Any, Any]) -> list[str]:
    """What has changed in the running configuration beyond what changed in the texts; both are (before, after) as JSON values.

    What the texts changed must run so; what they took out must be gone; to what they added the server adds its own defaults;
    everything else must be what it was.
    """
    asked, became = _Changes(), _Changes()
    asked.compare(texts[0], texts[1], ())
    became.compare(running[0], running[1], ())
    runs = _Tree(running[1])
    was = _Tree(running[0])
    # What the server had by itself before it was written into the text is changed, not added.
    new = {path for path in asked.added if was.at(path) is _NOTHING}
    said = {
        **asked.changed,
        **{path: value for p, whole in asked.added.items() if p not in new for path, value in _leaves(whole, p)},
    }
    found = [
        f"{'.'.join(path)} is {_shown(there)}" for path, value in said.items() if (there := runs.plain(path)) != value
    ]
    for path in new:
        found += [f"{'.'.join(at)} is {_shown(there)}" for at, there in _unlike(asked.added[path], runs.at(path), path)]
    for path, value in became.changed.items():
        if path not in said and not _inside(path, new) and not _follows(path, said) and not _inside(path, asked.gone):
            found.append(f"{'.'.join(path)} is {_shown(value)}, it was {_shown(was.plain(path))}")
    for path in became.added:
        if not _inside(path, new) and path not in said and not _inside(path, asked.added):
            found.append(f"{'.'.join(path)} came, nobody asked for it")
    for path in became.gone:
        if not _inside(path, asked.gone):
            found.append(f"{'.'.join(path)} is gone")
    for path, part in asked.gone.items():
        # Of other single values the server may have the same by default.
        still = (
            runs.plain(path) == _plain(part) if path[-1] == "hostname" else isinstance(part, dict) and runs.has(path)
        )
        if still:
            found.append(f"{'.'.join(path)} is still there")
    return sorted(found)


@dataclass(slots=True)
class _Changes:
    """How two values differ: single ones that changed, whole parts that came and that went."""

    changed: dict[Path, Any] = field(default_factory=dict)
    added: dict[Path, Any] = field(default_factory=dict)
    gone: dict[Path, Any] = field(default_factory=dict)

    def compare(self, before: Any, after: Any, path: Path) -> None:
        """Note what differs below a path."""
        if before == after:
            return
        was, now = _parts(before), _parts(after)
        if was is None or now is None:
            if was is None and now is None:
                if _plain(before) != _plain(after):
                    self.changed[path] = _plain(after)
            else:
                self.gone[path], self.added[path] = before, after
            return
        for name, value in was.items():
            if name not in now:
                self.gone[(*path, name)] = value
            elif value is not now[name]:
                self.compare(value, now[name], (*path, name))
        for name, value in now.items():
            if name not in was:
                self.added[(*path, name)] = value


class _Tree:
    """A value to look things up in by their path."""

    def __init__(self, value: Any) -> None:
        self._parts: dict[Path, dict[str, Any] | None] = {(): _parts(value)}

    def has(self, path: Path) -> bool:
        """Whether there is anything at a path."""
        return self.at(path) is not _NOTHING

    def plain(self, path: Path) -> Any:
        """The single value at a path, without the ways in which it can be written."""
        return _plain(self.at(path))

    def at(self, path: Path) -> Any:
        """The value at a path; _NOTHING where there is none."""
        return (self._inside(path[:-1]) or {}).get(path[-1], _NOTHING)

    def _inside(self, path: Path) -> dict[str, Any] | None:
        """The parts of what is at a path; None where it has none."""
        if path not in self._parts:
            self._parts[path] = _parts(self.at(path))
        return self._parts[path]


def _unlike(wanted: Any, there: Any, path: Path) -> Iterator[tuple[Path, Any]]:
    """Where what is there is not as wanted; what is there beside it does not count."""
    parts, has = _parts(wanted), _parts(there)
    if parts is None:
        if _plain(wanted) != _plain(there):
            yield path, _plain(there)
        return
    for name, part in parts.items():
        yield from _unlike(part, (has or {}).get(name, _NOTHING), (*path, name))


def _leaves(value: Any, path: Path) -> Iterator[tuple[Path, Any]]:
    """Every single value below a path."""
    parts = _parts(value)
    if parts is None:
        yield path, _plain(value)
        return
    for name, part in parts.items():
        yield from _leaves(part, (*path, name))


def _parts(value: Any) -> dict[str, Any] | None:
    """The parts of an object or a list by names that do not depend on order; None of a single value."""
    if isinstance(value, dict):
        return value
    if not isinstance(value, list):
        return None
    found: dict[str, Any] = {}
    for number, item in enumerate(value):
        name = _name(item, number)
        count = 2
        while name in found:
            name, count = f"{_name(item, number)} ({count})", count + 1
        found[name] = item
    return found


def _shown(value: Any) -> str:
    return "gone" if value is _NOTHING else str(value)


def _inside(path: Path, parts: Any) -> bool:
    """Whether a path is, or leads into, one of some parts."""
    return any(path[:end] in parts for end in range(1, len(path) + 1))


def _follows(path: Path, wanted: dict[Path, Any]) -> bool:
    """The bounds of a lease time follow it where they are not set."""
    return path[-1] in ("min-valid-lifetime", "max-valid-lifetime") and (*path[:-1], "valid-lifetime") in wanted


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
    joined = ",".join(part.strip() for part in value.split(",")) if "," in value else value.strip()
    if "-" in joined and joined[:1].isdigit():  # a pool
        joined = "-".join(part.strip() for part in joined.split("-"))
    return joined.lower()
