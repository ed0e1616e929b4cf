"""A Kea configuration put together from the files it includes (`<?include "FILE"?>`), with where each position stands.

No I/O of its own.
"""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import PurePosixPath
from typing import Protocol

from ..core.holdings import Place
from .json_text import Edit, edited
from .server import ServerTrouble

MOST_DEEP = 10  # Kea's own limit
MOST_OCTETS = 64 << 20
_INCLUDES = re.compile(r'"(?:[^"\\\n]|\\.)*"|//[^\n]*|#[^\n]*|/\*.*?\*/|<\?include\s+"([^"\n]+)"\s*\?>', re.DOTALL)


class Texts(Protocol):
    """Where texts come from; None where a file cannot be read."""

    def text(self, path: str) -> str | None:
        """A file's text."""


@dataclass(frozen=True, slots=True)
class Joined:
    """The whole text; `pieces` are (where a piece begins in it, the file, where that is in the file), `files` the files'
    texts, `twice` those that are included more than once."""

    text: str
    pieces: tuple[tuple[int, str, int], ...]
    files: dict[str, str]
    twice: frozenset[str] = frozenset()
    _lines: dict[str, list[int]] = field(default_factory=dict)

    def at(self, position: int) -> tuple[str, int]:
        """The file that a position of the text comes from, and the position there."""
        begin, path, offset = self.pieces[max(bisect_right(self.pieces, position, key=lambda piece: piece[0]) - 1, 0)]
        return path, offset + position - begin

    def place(self, position: int) -> Place:
        """The file and line of a position."""
        path, offset = self.at(position)
        starts = self._lines.get(path)
        if starts is None:
            starts = self._lines[path] = [0, *(found.end() for found in re.finditer("\n", self.files[path]))]
        return Place(path, bisect_right(starts, offset))

    def edited(self, edits: Iterable[Edit]) -> dict[str, str]:
        """The files with edits of the whole text made in them. Raises ServerTrouble for those that reach from one file into
        another, and for those in a file that is included twice."""
        by_file: dict[str, list[Edit]] = {}
        for start, end, new in edits:
            path, first = self.at(start)
            last_path, last = self.at(end - 1) if end > start else (path, first - 1)
            if path != last_path or last + 1 - first != end - start:
                raise ServerTrouble(
                    f"{self.place(start)}: what must change there reaches into another file; change it by hand"
                )
            if path in self.twice:
                raise ServerTrouble(f"{self.place(start)}: {path} is included more than once; change it by hand")
            by_file.setdefault(path, []).append((first, last + 1, new))
        return {path: edited(text, by_file.get(path, ())) for path, text in self.files.items()}


def whole(text: str, name: str) -> Joined:
    """A text that includes nothing."""
    return Joined(text, ((0, name, 0),), {name: text})


def join(path: str, texts: Texts) -> Joined:
    """Read a file and all that it includes. Raises ServerTrouble."""
    parts: list[str] = []
    pieces: list[tuple[int, str, int]] = []
    files: dict[str, str] = {}
    twice: set[str] = set()
    size = 0

    def take(text: str, name: str, offset: int) -> None:
        nonlocal size
        if text:
            pieces.append((size, name, offset))
            parts.append(text)
            size += len(text)
            if size > MOST_OCTETS:
                raise ServerTrouble(f"{path} with what it includes is over {MOST_OCTETS >> 20} MiB")

    def read(name: str, named_by: str, deep: int) -> None:
        text = texts.text(name)
        if text is None:
            raise ServerTrouble(f"{name} cannot be read{f'; {named_by} includes it' if named_by else ''}")
        if deep > MOST_DEEP:
            raise ServerTrouble(f"{named_by} includes more than {MOST_DEEP} files one in another")
        if name in files:
            twice.add(name)
        files[name] = text
        begin = 0
        for found in _INCLUDES.finditer(text) if "<?include" in text else ():
            if found.group(1) is not None:
                take(text[begin : found.start()], name, begin)
                named = str(PurePosixPath(path).parent / found.group(1))  # an absolute one stays as it is
                read(named, f"line {text.count(chr(10), 0, found.start()) + 1} of {name}", deep + 1)
                begin = found.end()
        take(text[begin:], name, begin)

    read(path, "", 0)
    return Joined("".join(parts), tuple(pieces) or ((0, path, 0),), files, frozenset(twice))
