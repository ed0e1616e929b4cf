"""dnsmasq's configuration as lines (dnsmasq(8), version 2.90): every setting with its file, line and parts, includes followed.

A comment begins with `#` at the start of a line or behind white space; inside double quotes nothing is special but the
backslash. No I/O of its own: whoever reads gives the files.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import PurePosixPath
from typing import Protocol

from ..core.holdings import Place

MOST_FILES = 400
_COMMENT = re.compile(r"(?:^|(?<=\s))#")
_ESCAPES = {"\\": "\\", '"': '"', "t": "\t", "n": "\n", "b": "\b", "r": "\r", "e": "\033"}


class Files(Protocol):
    """Where texts come from. Both give None where there is nothing or it may not be read."""

    def text(self, path: str) -> str | None:
        """A file's text, line ends as they are."""

    def names(self, path: str) -> list[str] | None:
        """The names of the files in a folder."""


@dataclass(frozen=True, slots=True)
class Piece:
    """One part of a setting's value, between commas: what it says, and where it stands in the line."""

    text: str
    start: int
    end: int


@dataclass(frozen=True, slots=True)
class Setting:
    """One setting: `pieces` is its value, cut at commas; `line` the whole line without its end; `number` counts from 1. In a file
    of hosts or options every line is a setting whose keyword is that of the file. `comment` is what stands behind it, `broken` what
    is wrong with it."""

    keyword: str
    pieces: tuple[Piece, ...]
    path: str
    number: int
    line: str
    comment: str = ""
    broken: str = ""

    @property
    def place(self) -> Place:
        """Where it stands."""
        return Place(self.path, self.number)

    @property
    def value(self) -> str:
        """The value as it stands."""
        return self.line[self.pieces[0].start : self.pieces[-1].end] if self.pieces else ""


def lines_of(text: str) -> list[str]:
    """The lines of a file with their ends. Only a line feed ends one."""
    found = text.split("\n")
    return [f"{line}\n" for line in found[:-1]] + ([found[-1]] if found[-1] else [])


def settings(text: str, path: str, keyword: str = "") -> Iterator[Setting]:
    """The settings of one file; with a keyword the lines are values of it."""
    for number, whole in enumerate(lines_of(text), start=1):
        line = whole.rstrip("\r\n")
        found = setting(line, keyword)
        if found is not None:
            yield replace(found, path=path, number=number)


def setting(line: str, keyword: str = "") -> Setting | None:
    """The setting of one line; None for blanks and comments."""
    shown, end, broken = _shown(line)
    begin = len(line[:end]) - len(line[:end].lstrip())
    stop = len(line[:end].rstrip())
    if begin >= stop:
        return None
    comment = line[end:].strip()
    if keyword:
        return Setting(keyword, _pieces(line, shown, begin, stop), "", 0, line, comment, broken)
    equals = shown.find("=", begin, stop)
    if equals < 0:
        return Setting(line[begin:stop], (), "", 0, line, comment, broken)
    return Setting(line[begin:equals].strip(), _pieces(line, shown, equals + 1, stop), "", 0, line, comment, broken)


def _shown(line: str) -> tuple[str, int, str]:
    """The line with everything between quotes blanked out, where its comment begins, and what is wrong with it."""
    if '"' not in line:
        comment = _COMMENT.search(line)
        return line, comment.start() if comment else len(line), ""
    shown: list[str] = []
    white, quoted, at = True, False, 0
    while at < len(line):
        letter = line[at]
        if quoted:
            if letter == "\\" and line[at + 1 : at + 2] in _ESCAPES:
                shown += "xx"
                at += 2
                continue
            shown.append('"' if letter == '"' else "x")
            quoted = letter != '"'
        elif letter == '"':
            quoted, white = True, False
            shown.append(letter)
        elif letter == "#" and white:
            return "".join(shown), at, ""
        else:
            white = letter.isspace()
            shown.append(letter)
        at += 1
    return "".join(shown), len(line), "a closing quote is missing" if quoted else ""


def _pieces(line: str, shown: str, begin: int, stop: int) -> tuple[Piece, ...]:
    found = []
    at = begin
    while at <= stop:
        end = shown.find(",", at, stop)
        end = stop if end < 0 else end
        part = line[at:end]
        bare = part.strip()
        start = at + len(part) - len(part.lstrip()) if bare else end
        found.append(Piece(_unquoted(bare), start, start + len(bare)))
        at = end + 1
    return tuple(found)


def _unquoted(text: str) -> str:
    if '"' not in text:
        return text
    parts: list[str] = []
    quoted, at = False, 0
    while at < len(text):
        letter = text[at]
        if letter == '"':
            quoted = not quoted
        elif quoted and letter == "\\" and text[at + 1 : at + 2] in _ESCAPES:
            at += 1
            parts.append(_ESCAPES[text[at]])
        else:
            parts.append(letter)
        at += 1
    return "".join(parts)


@dataclass(frozen=True, slots=True)
class Followed:
    """A configuration with all that it includes, in the order in which the server reads it; `missing` are files that it names and
    that could not be read, with the place that names them."""

    settings: tuple[Setting, ...]
    files: tuple[str, ...]
    missing: tuple[tuple[Place, str], ...]

    def with_file(self, path: str, text: str | None, keyword: str) -> Followed:
        """One more file, whose lines are values of a keyword."""
        if text is None:
            return replace(self, missing=(*self.missing, (Place(path), f"{path} cannot be read")))
        return replace(self, settings=(*self.settings, *settings(text, path, keyword)), files=(*self.files, path))


EMPTY = Followed((), (), ())

_HOSTS = {
    "dhcp-hostsfile": "dhcp-host",
    "dhcp-hostsdir": "dhcp-host",
    "dhcp-optsfile": "dhcp-option",
    "dhcp-optsdir": "dhcp-option",
}


def follow(path: str, files: Files) -> Followed:
    """Read a configuration file and what it includes."""
    found: list[Setting] = []
    done: list[str] = []
    missing: list[tuple[Place, str]] = []

    def read(one: str, keyword: str, named: Place) -> None:
        if one in done:
            return
        if len(done) >= MOST_FILES:
            missing.append((named, f"{one}: more than {MOST_FILES} files are included"))
            return
        text = files.text(one)
        if text is None:
            missing.append((named, f"{one} cannot be read"))
            return
        done.append(one)
        for item in settings(text, one, keyword):
            found.append(item)
            if not keyword:
                include(item)

    def folder(one: str, keyword: str, named: Place, wanted: tuple[str, ...] = (), left: tuple[str, ...] = ()) -> None:
        names = files.names(one)
        if names is None:
            missing.append((named, f"the folder {one} cannot be read"))
            return
        for name in sorted(names):
            if not is_read(name) or (wanted and not name.endswith(wanted)) or (left and name.endswith(left)):
                continue
            read(str(PurePosixPath(one) / name), keyword, named)

    def include(item: Setting) -> None:
        where = item.pieces[0].text if item.pieces else ""
        match item.keyword:
            case "conf-file" if where:
                read(where, "", item.place)
            case "conf-dir" if where:
                rest = [piece.text for piece in item.pieces[1:] if piece.text]
                wanted = tuple(one[1:] for one in rest if one.startswith("*"))
                folder(where, "", item.place, wanted, tuple(one for one in rest if not one.startswith("*")))
            case "dhcp-hostsfile" | "dhcp-optsfile" if where:
                if files.names(where) is not None:
                    folder(where, _HOSTS[item.keyword], item.place)
                else:
                    read(where, _HOSTS[item.keyword], item.place)
            case "dhcp-hostsdir" | "dhcp-optsdir" if where:
                folder(where, _HOSTS[item.keyword], item.place)
            case "read-ethers":
                read("/etc/ethers", "ether", item.place)

    read(path, "", Place(path))
    return Followed(tuple(found), tuple(done), tuple(missing))


def is_read(name: str) -> bool:
    """Whether a file of a folder is read: those that editors leave behind are not."""
    return not (name.startswith(".") or name.endswith("~") or (name.startswith("#") and name.endswith("#")))
