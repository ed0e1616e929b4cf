"""Edits a JSON text in place: values are found with their position, and only what is replaced changes a byte.

Comments (`//`, `#`, `/* */`) and commas behind the last item, which some servers allow, are read over and kept. No I/O.
"""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from typing import Any

_COMMENTS = re.compile(r'"(?:[^"\\\n]|\\.)*"|//[^\n]*|#[^\n]*|/\*.*?\*/', re.DOTALL)
_LAST_COMMAS = re.compile(r'"(?:[^"\\\n]|\\.)*"|,(?=\s*[}\]])')
_BLANK = re.compile(r"\s*")
_DECODER = json.JSONDecoder()


class JsonTextError(ValueError):
    """The text is not JSON; the message says where."""


@dataclass(frozen=True, slots=True)
class Spot:
    """A value in the text: `begin` is where its key (or itself) begins, start..end the value's own stretch."""

    begin: int
    start: int
    end: int
    value: Any


class JsonText:
    """A text and the edits to be made in it."""

    def __init__(self, text: str) -> None:
        self.text = text
        bare = _COMMENTS.sub(lambda m: m.group() if m.group()[0] == '"' else re.sub(r"[^\n]", " ", m.group()), text)
        self._bare = _LAST_COMMAS.sub(lambda m: m.group() if m.group()[0] == '"' else " ", bare)
        self._edits: list[tuple[int, int, str]] = []
        start = self._skip(0)
        self.root = self._value(start, start)
        if self._skip(self.root.end) != len(text):
            raise self._error(self.root.end, "something stands behind the end")

    def members(self, spot: Spot) -> dict[str, Spot]:
        """The members of an object; of keys that stand twice the last one counts."""
        found: dict[str, Spot] = {}
        at = self._skip(spot.start + 1)
        while self._bare[at] != "}":
            key = self._value(at, at)
            at = self._skip(key.end)
            if self._bare[at] != ":":
                raise self._error(at, "a colon is missing")
            value = self._value(at := self._skip(at + 1), key.start)
            found[str(key.value)] = value
            at = self._skip(value.end)
            if self._bare[at] == ",":
                at = self._skip(at + 1)
        return found

    def items(self, spot: Spot) -> list[Spot]:
        """The items of an array."""
        found = []
        at = self._skip(spot.start + 1)
        while self._bare[at] != "]":
            item = self._value(at, at)
            found.append(item)
            at = self._skip(item.end)
            if self._bare[at] == ",":
                at = self._skip(at + 1)
        return found

    def replace(self, spot: Spot, value: Any) -> None:
        """Put another value in a value's place."""
        self._edits.append((spot.start, spot.end, self._dumps(value, spot.begin)))

    def set_member(self, owner: Spot, members: dict[str, Spot], key: str, value: Any) -> None:
        """Replace a member, or put a new one first."""
        if key in members:
            self.replace(members[key], value)
            return
        indent = self._indent(owner.start) + "  "
        comma = "," if members else ""
        text = f"\n{indent}{json.dumps(key)}: {self._shaped(value, indent)}{comma}"
        self._edits.append((owner.start + 1, owner.start + 1, text))

    def edit_items(self, array: Spot, replaced: dict[int, Any], removed: set[int], added: list[Any]) -> None:
        """Replace, remove and append items of an array; the bytes of the others stay."""
        items = self.items(array)
        kept = [number for number in range(len(items)) if number not in removed]
        for number, value in replaced.items():
            self.replace(items[number], value)
        for number in removed:
            self._remove(items, number, kept)
        if not added:
            return
        indent = self._indent(items[0].start) if items and "\n" in self.text[array.start : items[0].start] else (
            self._indent(array.start) + "  "
        )  # fmt: skip
        texts = [f"\n{indent}{self._shaped(value, indent)}" for value in added]
        if kept:
            at = items[kept[-1]].end
            self._edits.append((at, at, "," + ",".join(texts)))
        else:
            at = array.start + 1
            end = "\n" + self._indent(array.start) if not items else ""
            self._edits.append((at, at, ",".join(texts) + end))

    def result(self) -> str:
        """The text with all edits made."""
        parts: list[str] = []
        at = 0
        for start, end, new in sorted(self._edits, key=lambda edit: (edit[0], edit[1])):
            parts += [self.text[at:start], new]
            at = max(at, end)
        return "".join([*parts, self.text[at:]])

    def _remove(self, items: list[Spot], number: int, kept: list[int]) -> None:
        """An item goes with the comma behind it; one behind the last kept item with the comma before it."""
        if kept and number > kept[-1]:
            self._edits.append((items[number - 1].end, items[number].end, ""))
        else:
            end = items[number + 1].start if number + 1 < len(items) else items[number].end
            self._edits.append((items[number].start, end, ""))

    def _skip(self, at: int) -> int:
        found = _BLANK.match(self._bare, at)
        return found.end() if found else at

    def _value(self, at: int, begin: int) -> Spot:
        try:
            value, end = _DECODER.raw_decode(self._bare, at)
        except json.JSONDecodeError as error:
            raise self._error(error.pos, error.msg) from error
        except RecursionError as error:
            raise self._error(at, "values are nested too deep") from error
        return Spot(begin, at, end, value)

    def _error(self, at: int, what: str) -> JsonTextError:
        line = self.text.count("\n", 0, at) + 1
        column = at - self.text.rfind("\n", 0, at)
        return JsonTextError(f"line {line}, column {column}: {what}")

    def _indent(self, at: int) -> str:
        line = self.text[self.text.rfind("\n", 0, at) + 1 : at]
        return line[: len(line) - len(line.lstrip())]

    def _dumps(self, value: Any, at: int) -> str:
        return self._shaped(value, self._indent(at))

    def _shaped(self, value: Any, indent: str) -> str:
        """Small things on one line, larger ones over several."""
        line = json.dumps(value, ensure_ascii=False)
        if len(line) + len(indent) <= 110 or not isinstance(value, dict | list):
            return line
        return json.dumps(value, ensure_ascii=False, indent=2).replace("\n", f"\n{indent}")
