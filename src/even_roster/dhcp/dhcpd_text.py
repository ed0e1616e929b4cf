"""The configuration of ISC dhcpd (dhcpd.conf(5), version 4.4) as a tree of statements with their places, includes followed. No I/O.

A statement is words up to `;`, or words and a block in braces. A comment begins with `#` outside double quotes.
"""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Protocol

from ..core.holdings import Place
from .server import ServerTrouble

MOST_FILES = 200
MOST_DEEP = 40
_TOKENS = re.compile(r'\s+|#[^\n]*|(?P<word>"(?:[^"\\\n]|\\.)*"|[{};,=]|[^\s{};,="#]+)')


class Texts(Protocol):
    """Where texts come from; None where a file cannot be read."""

    def text(self, path: str) -> str | None:
        """A file's text."""


@dataclass(frozen=True, slots=True)
class Word:
    """One word and where it stands in its file; `text` is without quotes."""

    text: str
    start: int
    end: int
    quoted: bool = False


@dataclass(frozen=True, slots=True)
class Statement:
    """One statement: its words, and those in its block. It begins at `start` and ends behind its `;` or `}`."""

    words: tuple[Word, ...]
    inner: tuple[Statement, ...]
    path: str
    line: int
    start: int
    end: int
    block: bool = False

    @property
    def keyword(self) -> str:
        """Its first word, in small letters."""
        return self.words[0].text.lower() if self.words else ""

    @property
    def said(self) -> str:
        """Its words on one line."""
        return (
            " ".join(f'"{one.text}"' if one.quoted else one.text for one in self.words)
            .replace(" ,", ",")
            .replace(" = ", "=")
        )

    @property
    def whole(self) -> str:
        """It and what is in its block, on one line."""
        return f"{self.said} {{ {' '.join(one.whole for one in self.inner)} }}" if self.block else f"{self.said};"

    @property
    def place(self) -> Place:
        """Where it stands."""
        return Place(self.path, self.line)

    def rest(self, skip: int = 1) -> str:
        """What follows its first words."""
        return Statement(self.words[skip:], (), self.path, self.line, self.start, self.end).said

    def find(self, *keywords: str) -> Statement | None:
        """The last statement in its block that begins with these words: the last one counts."""
        found = [
            one for one in self.inner if tuple(word.text.lower() for word in one.words[: len(keywords)]) == keywords
        ]
        return found[-1] if found else None


@dataclass(frozen=True, slots=True)
class Followed:
    """A configuration with all that it includes; `files` are their texts."""

    statements: tuple[Statement, ...]
    files: dict[str, str]
    missing: tuple[tuple[Place, str], ...]


def follow(path: str, texts: Texts) -> Followed:
    """Read a configuration and what it includes. Raises ServerTrouble where the text is none."""
    files: dict[str, str] = {}
    missing: list[tuple[Place, str]] = []

    def read(one: str, named: Place | None) -> tuple[Statement, ...]:
        text = texts.text(one)
        if text is None or len(files) >= MOST_FILES or one in files:
            if text is None and named is None:
                raise ServerTrouble(f"{one} cannot be read")
            why = "cannot be read" if text is None else "is included again" if one in files else "is one file too many"
            missing.append((named or Place(one), f"{one} {why}"))
            return ()
        files[one] = text
        return tuple(included(parse(text, one)))

    def included(statements: tuple[Statement, ...]) -> Iterator[Statement]:
        for one in statements:
            if one.keyword == "include" and len(one.words) == 2 and not one.block:
                yield from read(one.words[1].text, one.place)
            elif one.block:
                inner = tuple(included(one.inner))
                yield Statement(one.words, inner, one.path, one.line, one.start, one.end, True)
            else:
                yield one

    return Followed(read(path, None), files, tuple(missing))


def parse(text: str, path: str) -> tuple[Statement, ...]:
    """The statements of one file. Raises ServerTrouble, which says where."""
    return _Parser(text, path).all()


class _Parser:
    """Goes through one text once."""

    def __init__(self, text: str, path: str) -> None:
        self._text, self._path = text, path
        self._starts = [0, *(found.end() for found in re.finditer("\n", text))]
        self._words = list(self._tokens())
        self._at = 0

    def _tokens(self) -> Iterator[Word]:
        at = 0
        while at < len(self._text):
            found = _TOKENS.match(self._text, at)
            if found is None:
                raise self._error(at, "a quote is not closed")
            if found.group("word") is not None:
                said = found.group("word")
                quoted = said.startswith('"')
                yield Word(said[1:-1] if quoted else said, found.start(), found.end(), quoted)
            at = found.end()

    def _line(self, at: int) -> int:
        return bisect_right(self._starts, at)

    def _error(self, at: int, what: str) -> ServerTrouble:
        return ServerTrouble(f"line {self._line(at)} of {self._path}: {what}")

    def all(self) -> tuple[Statement, ...]:
        """Everything, to the end."""
        found = tuple(self._block(0))
        if self._at < len(self._words):
            raise self._error(self._words[self._at].start, "a brace closes what was not opened")
        return found

    def _block(self, deep: int) -> Iterator[Statement]:
        words: list[Word] = []
        while self._at < len(self._words):
            word = self._words[self._at]
            if not word.quoted and word.text == "}":
                if words:
                    raise self._error(words[0].start, "a semicolon is missing")
                return
            self._at += 1
            if not word.quoted and word.text == ";":
                if words:
                    yield self._made(words, (), word.end, False)
                words = []
            elif not word.quoted and word.text == "{":
                if deep >= MOST_DEEP:
                    raise self._error(word.start, "blocks are nested too deep")
                inner = tuple(self._block(deep + 1))
                if self._at >= len(self._words):
                    raise self._error(word.start, "a brace is not closed")
                end = self._words[self._at].end
                self._at += 1
                yield self._made(words or [word], inner, end, True)
                words = []
            else:
                words.append(word)
        if words:
            raise self._error(words[0].start, "a semicolon is missing")

    def _made(self, words: list[Word], inner: tuple[Statement, ...], end: int, block: bool) -> Statement:
        return Statement(tuple(words), inner, self._path, self._line(words[0].start), words[0].start, end, block)
