"""Edits a JSON text in place: values are found with their position, and only what is replaced changes a byte.

Comments (`//`, `#`, `/* */`) and commas behind the last item, which some servers allow, are read over and kept; what cannot be
taken out without one is not taken out. No I/O.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

_PLAIN = re.compile(r"""(?:[^"/#]++|"(?:[^"\\\n]|\\.)*+"|/(?![/*]))*+""", re.DOTALL)
_COMMENT = re.compile(r"//[^\n]*|#[^\n]*|/\*.*?\*/", re.DOTALL)
_LAST_COMMAS = re.compile(r'"(?:[^"\\\n]|\\.)*"|,(?=\s*[}\]])')
_LAST_COMMA = re.compile(r",\s*[}\]]")
_BLANK = re.compile(r"\s*")
_BLACK = re.compile(r"[^\n]")
_DECODER = json.JSONDecoder()


class JsonTextError(ValueError):
    """The text is not JSON; the message says where."""


class KeptComment(ValueError):
    """Something cannot be taken out without a comment that stands in it; nothing was edited."""


Edit = tuple[int, int, str]


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
        self._uncommented, self._bare, self.root = _scanned(text)
        self.edits: list[Edit] = []
        """(start, end, new text) of each edit so far; they never overlap."""
        self._filled: set[int] = set()
        self._line_end = "\r\n" if text.partition("\n")[0].endswith("\r") else "\n"
        self._step = "\t" if re.search(r"\n\t", text) else "  "

    def members(self, spot: Spot) -> dict[str, Spot]:
        """The members of an object; of keys that stand twice the last one counts."""
        found: dict[str, Spot] = {}
        at = self._skip(spot.start + 1)
        while self._bare[at] != "}":
            key = self._value(at, at)
            at = self._skip(key.end)
            if self._bare[at] != ":":
                raise _error(self._bare, at, "a colon is missing")
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
        self.edits.append((spot.start, spot.end, self._dumps(value, spot.begin)))

    def has_comment(self, start: int, end: int) -> bool:
        """Whether a stretch of the text holds a comment."""
        return self.text[start:end] != self._uncommented[start:end]

    def set_member(self, owner: Spot, members: dict[str, Spot], key: str, value: Any, behind: str = "") -> None:
        """Replace a member's value, or put a new member behind another one, or first."""
        if key in members:
            self.replace(members[key], value)
            return
        if behind in members:
            at = members[behind].end
            line = self.text[self.text.rfind("\n", 0, members[behind].begin) + 1 : members[behind].begin]
            between = f"{self._line_end}{line}" if line and not line.strip() else " "
            self.edits.append((at, at, f",{between}{json.dumps(key)}: {self._shaped(value, self._indent(at))}"))
            return
        indent = self._indent(owner.start) + self._step
        if not members and owner.start in self._filled:
            self.edits.append((owner.start + 1, owner.start + 1, f", {json.dumps(key)}: {self._shaped(value, indent)}"))
            return
        self._filled.add(owner.start)
        comma = "," if members else ""
        end = "" if members else self._line_end + self._indent(owner.start)
        text = f"{self._line_end}{indent}{json.dumps(key)}: {self._shaped(value, indent)}{comma}{end}"
        self.edits.append((owner.start + 1, owner.start + 1, text))

    def remove_member(self, owner: Spot, members: dict[str, Spot], key: str) -> None:
        """Take a member out. Raises KeptComment when a comment stands in it."""
        order = sorted(members.values(), key=lambda spot: spot.start)
        self._take_out(owner, order, {order.index(members[key])})

    def edit_items(self, array: Spot, replaced: dict[int, Any], removed: set[int], added: list[Any]) -> None:
        """Replace, remove and append items of an array; the bytes of the others, and all comments, stay. Raises KeptComment."""
        items = self.items(array)
        for number, value in replaced.items():
            self.replace(items[number], value)
        kept = [number for number in range(len(items)) if number not in removed]
        self._take_out(array, items, removed)
        if not added:
            return
        indent = self._indent(items[0].start) if items and "\n" in self.text[array.start : items[0].start] else (
            self._indent(array.start) + self._step
        )  # fmt: skip
        texts = [f"{self._line_end}{indent}{self._shaped(value, indent)}" for value in added]
        if kept:
            at = items[kept[-1]].end
            self.edits.append((at, at, "," + ",".join(texts)))
        else:
            at = array.start + 1
            end = self._line_end + self._indent(array.start) if not items else ""
            self.edits.append((at, at, ",".join(texts) + end))

    def result(self) -> str:
        """The text with all edits made."""
        return edited(self.text, self.edits)

    def _take_out(self, owner: Spot, items: list[Spot], removed: set[int]) -> None:
        """Take items or members out, each with the comma behind it and the blanks before it; what else stands around them stays."""
        if any(self.has_comment(items[number].begin, items[number].end) for number in removed):
            raise KeptComment("a comment stands in it")
        commas = [
            self._comma(spot.end, items[at + 1].begin if at + 1 < len(items) else owner.end - 1)
            for at, spot in enumerate(items)
        ]
        for number in removed:
            spot, comma = items[number], commas[number]
            before = owner.start + 1 if number == 0 else (commas[number - 1] or items[number - 1].end) + 1
            begin = before if not self.text[before : spot.begin].strip() else spot.begin
            if comma is not None and not self.text[spot.end : comma].strip():
                self.edits.append((begin, comma + 1, ""))
                continue
            self.edits.append((begin, spot.end, ""))
            if comma is not None:
                self.edits.append((comma, comma + 1, ""))
        kept = [number for number in range(len(items)) if number not in removed]
        if kept and kept[-1] < len(items) - 1 and commas[-1] is None:
            # Without a comma behind the last one there was none to be left: that of the one which is the last now goes.
            over = commas[kept[-1]]
            if over is not None:
                self.edits.append((over, over + 1, ""))

    def _comma(self, start: int, end: int) -> int | None:
        """Where the comma between two places stands; None when there is none."""
        at = self._uncommented.find(",", start, end)
        return at if at >= 0 else None

    def _skip(self, at: int) -> int:
        return _past(_BLANK, self._bare, at)

    def _value(self, at: int, begin: int) -> Spot:
        return _value(self._bare, at, begin)

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
        return json.dumps(value, ensure_ascii=False, indent=self._step).replace("\n", f"{self._line_end}{indent}")


@lru_cache(maxsize=2)
def _scanned(text: str) -> tuple[str, str, Spot]:
    """A text without comments, the same without last commas, and its value, which nobody changes. Raises JsonTextError.

    The last two texts are at hand: while one is edited, it and what becomes of it are looked at again and again."""
    bare = uncommented = _uncommented(text) if "//" in text or "#" in text or "/*" in text else text
    if _LAST_COMMA.search(bare):
        bare = _LAST_COMMAS.sub(lambda m: m.group() if m.group()[0] == '"' else " ", bare)
    start = _past(_BLANK, bare, 0)
    root = _value(bare, start, start)
    if _past(_BLANK, bare, root.end) != len(text):
        raise _error(bare, root.end, "something stands behind the end")
    return uncommented, bare, root


def _value(bare: str, at: int, begin: int) -> Spot:
    try:
        value, end = _DECODER.raw_decode(bare, at)
    except json.JSONDecodeError as error:
        raise _error(bare, error.pos, error.msg) from error
    except RecursionError as error:
        raise _error(bare, at, "values are nested too deep") from error
    return Spot(begin, at, end, value)


def _error(bare: str, at: int, what: str) -> JsonTextError:
    line = bare.count("\n", 0, at) + 1
    column = at - bare.rfind("\n", 0, at)
    return JsonTextError(f"line {line}, column {column}: {what}")


def _uncommented(text: str) -> str:
    """A text with blanks in the place of its comments; line ends stay."""
    parts: list[str] = []
    at = 0
    while at < len(text):
        end = _past(_PLAIN, text, at)
        parts.append(text[at:end])
        at = _past(_COMMENT, text, end)
        parts.append(_BLACK.sub(" ", text[end:at]))
        if at == end and at < len(text):  # a comment that nothing ends, or a quotation mark that nothing closes
            stop = len(text) if text[at] == "/" else at + 1
            parts.append(text[at:stop])
            at = stop
    return "".join(parts)


def _past(pattern: re.Pattern[str], text: str, at: int) -> int:
    found = pattern.match(text, at)
    return found.end() if found else at


def edited(text: str, edits: Iterable[Edit]) -> str:
    """A text with edits made that do not overlap; of two at one place the earlier one comes first."""
    parts: list[str] = []
    at = 0
    for start, end, new in sorted(edits, key=lambda edit: (edit[0], edit[1])):
        parts += [text[at:start], new]
        at = max(at, end)
    return "".join([*parts, text[at:]])
