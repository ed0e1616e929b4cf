"""Puts server-sent events together (WHATWG HTML, 9.2)."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING, Any, NamedTuple

if TYPE_CHECKING:
    from ..api.events import Event


class Happening(NamedTuple):
    """One server-sent event: its id to resume behind, its kind, its data. `hello` begins a stream, `reset` says that too much was
    missed to be told."""

    id: str
    kind: str
    data: Any

    @property
    def event(self) -> Event | None:
        """The data as the model of its kind; None for `hello`, `reset`, and kinds of a newer service."""
        from ..api.events import Event
        from ._answers import adapter

        model = next((one for one in Event.__subclasses__() if one.kind == self.kind), None)
        return None if model is None else adapter(model.__name__).validate_python(self.data, extra="ignore")


class EventParser:
    """Takes the stream line by line."""

    def __init__(self) -> None:
        self._id, self._kind, self._data = "", "", ""

    def line(self, line: str) -> Happening | None:
        """Take one line; an empty one completes an event."""
        name, _, value = line.partition(":")
        value = value.removeprefix(" ")
        if name == "id":
            self._id = value
        elif name == "event":
            self._kind = value
        elif name == "data":
            self._data += value
        elif not line and self._kind:
            happening = Happening(self._id, self._kind, json.loads(self._data or "null"))
            self._kind, self._data = "", ""
            return happening
        return None


def happenings(lines: Iterable[str]) -> Iterator[Happening]:
    """The events of a stream's lines."""
    parser = EventParser()
    for line in lines:
        if happening := parser.line(line):
            yield happening
