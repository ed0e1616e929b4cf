"""Text for terminals: styled parts, cell widths, and tables that fit a width. No I/O.

A table that is too wide first shortens cells that may be shortened, then leaves out columns, those that matter least first; an
address, a MAC or an id is never cut. Styles are SGR parameters (ECMA-48 8.3.117).
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

# Green and yellow are of the 256 colours (ISO 8613-6): the usual ones cannot be read on a light ground.
_SGR = {"bold": "1", "dim": "2", "red": "31", "green": "38;5;28", "yellow": "38;5;172", "magenta": "35", "cyan": "36"}
_WORDS = re.compile(r"\S+\s*|\s+")
GAP = 2
SHORTEST, HARDLY = 8, 4
"""No column is made narrower than this, unless all it holds is; where none is left that may leave, than the second."""
WHOLE = frozenset({"address", "mac", "id", "prefix", "subnet", "range", "first", "last", "key", "code", "row"})
"""Columns that are never cut and never leave."""
FOLD = frozenset({"what", "said", "note", "notes", "problem", "why", "text", "hangs on", "means"})
"""Columns with sentences: they go on in the next line."""
LEAVE = (
    "seen", "by", "reply", "ports", "web", "otherwise", "first seen", "count", "took", "silent", "foreign", "adapter", "segment",
    "source", "from", "called so", "version", "note", "notes", "owner", "place", "vendor", "kind", "role", "since", "to", "who",
)  # fmt: skip
"""Which columns leave a table that is too wide, the first one first."""


class Text:
    """A line, or several, of parts with styles."""

    def __init__(self, text: str = "", style: str = "") -> None:
        self.parts: list[tuple[str, str]] = []
        self.append(text, style)

    @classmethod
    def assemble(cls, *parts: str | tuple[str, str] | Text) -> Text:
        """Put together from texts, (text, style) pairs and others of this kind."""
        whole = cls()
        for part in parts:
            if isinstance(part, Text):
                whole.parts += part.parts
            else:
                whole.append(*((part,) if isinstance(part, str) else part))
        return whole

    def append(self, text: str, style: str = "") -> None:
        """Add a part. Raises KeyError for a style that there is none of, where it is not shown, too."""
        for word in style.split():
            _SGR[word]
        if text:
            self.parts.append((text, style))

    def stylize(self, style: str) -> None:
        """Give a style to all of it."""
        self.parts = [(text, f"{old} {style}".strip()) for text, old in self.parts]

    @property
    def plain(self) -> str:
        """Without styles."""
        return "".join(text for text, _ in self.parts)

    def __str__(self) -> str:
        return self.plain

    def lines(self) -> list[Text]:
        """Line by line."""
        found = [Text()]
        for text, style in self.parts:
            first, *others = text.split("\n")
            found[-1].append(first, style)
            for other in others:
                found.append(Text(other, style))
        return found

    def trimmed(self) -> Text:
        """Without blanks at its end."""
        whole = Text()
        whole.parts = list(self.parts)
        while whole.parts:
            text, style = whole.parts.pop()
            if text := text.rstrip():
                whole.parts.append((text, style))
                break
        return whole

    def shortened(self, width: int) -> Text:
        """Cut to a width, with a sign that it was."""
        if cells(self.plain) <= width:
            return self
        left, short = width - 1, Text()
        for text, style in self.parts:
            for char in text:
                left -= cells(char)
                if left < 0:
                    short.append("…", style)
                    return short
                short.append(char, style)
        return short

    def folded(self, width: int) -> list[Text]:
        """Broken into lines of a width, between words where that is possible."""
        found, used = [Text()], 0
        for text, style in self.parts:
            for word in _WORDS.findall(text):
                bare = cells(word.rstrip())
                if used and used + bare > width:
                    found, used = [*found, Text()], 0
                while bare > width:
                    head = _head(word, width - used)
                    found[-1].append(head, style)
                    word, found, used = word[len(head) :], [*found, Text()], 0
                    bare = cells(word.rstrip())
                found[-1].append(word, style)
                used += cells(word)
        return found

    def shown(self, colour: bool) -> str:
        """As it is written to a terminal, or without styles."""
        if not colour:
            return self.plain
        return "".join(
            f"\x1b[{';'.join(_SGR[word] for word in style.split())}m{text}\x1b[0m" if style else text
            for text, style in self.parts
        )


def cells(text: str) -> int:
    """How many columns of a terminal a text takes (Unicode Standard Annex 11)."""
    if text.isascii():
        return len(text)
    import unicodedata

    return sum(
        0 if unicodedata.combining(char) else 2 if unicodedata.east_asian_width(char) in "WF" else 1 for char in text
    )


def _head(word: str, width: int) -> str:
    """As much of a word as fits, one character at least."""
    end, used = 0, 0
    while end < len(word) and (used + cells(word[end]) <= width or not end):
        used += cells(word[end])
        end += 1
    return word[:end]


def table(
    columns: Sequence[str], rows: Iterable[Sequence[str | Text | None]], right: Sequence[str], width: int | None
) -> tuple[list[Text], list[str]]:
    """The lines of a table that fits a width (None for any), and the columns that were left out for that."""
    heads = [Text(column, "bold") for column in columns]
    cells_of = [[_text(cell).lines() for cell in row] for row in rows]
    widths = [
        max([cells(column), *(cells(line.plain) for row in cells_of for line in row[number])])
        for number, column in enumerate(columns)
    ]
    kept, gone = list(range(len(columns))), []
    while width is not None and _total(widths, kept) > width:
        room = width - GAP * (len(kept) - 1)
        leaves = next((number for name in LEAVE for number in kept if columns[number] == name), None)
        least = SHORTEST if leaves is not None else HARDLY
        floors = {n: widths[n] if columns[n] in WHOLE else min(widths[n], max(least, cells(columns[n]))) for n in kept}
        if sum(floors.values()) <= room:
            _narrow(widths, kept, floors, room)
            break
        if leaves is None:
            leaves = next((n for n in reversed(kept[1:]) if columns[n] not in WHOLE), None)
        if leaves is None:
            break
        kept.remove(leaves)
        gone.append(columns[leaves])
    lines = [_line(heads, widths, kept, columns, right)]
    for row in cells_of:
        shown = [
            [
                part
                for line in row[n]
                for part in (_folded(line, widths[n]) if columns[n] in FOLD else [line.shortened(widths[n])])
            ]
            if n in kept
            else []
            for n in range(len(columns))
        ]
        for number in range(max(len(lines_of) for lines_of in shown)):
            level = [parts[number] if number < len(parts) else Text() for parts in shown]
            lines.append(_line(level, widths, kept, columns, right))
    return lines, gone


def _folded(line: Text, width: int) -> list[Text]:
    """A line broken to a width, without the blanks that would reach over it."""
    return [part if cells(part.plain) <= width else part.trimmed() for part in line.folded(width)]


def facts(rows: Iterable[tuple[str, str | Text | None]], width: int | None) -> list[Text]:
    """Pairs of a word and what it is, one a line; empty ones are left out."""
    told = [(name, _text(value)) for name, value in rows if value]
    first = max((cells(name) for name, _ in told), default=0)
    lines = []
    for name, value in told:
        parts = [
            part
            for line in value.lines()
            for part in (line.folded(max(width - first - GAP, SHORTEST)) if width is not None else [line])
        ]
        for number, part in enumerate(parts):
            head = name if not number else ""
            lines.append(Text.assemble((head + " " * (first - cells(head) + GAP), "dim"), part))
    return lines


def _text(cell: str | Text | None) -> Text:
    return cell if isinstance(cell, Text) else Text(cell or "")


def _total(widths: Sequence[int], kept: Sequence[int]) -> int:
    return sum(widths[n] for n in kept) + GAP * (len(kept) - 1)


def _narrow(widths: list[int], kept: Sequence[int], floors: dict[int, int], room: int) -> None:
    """Take from the widest columns that may be shortened until all fit."""
    over = sum(widths[n] for n in kept) - room
    while over > 0:
        widest = max((n for n in kept if widths[n] > floors[n]), key=lambda n: widths[n])
        widths[widest] -= 1
        over -= 1


def _line(
    parts: Sequence[Text], widths: Sequence[int], kept: Sequence[int], columns: Sequence[str], right: Sequence[str]
) -> Text:
    line = Text()
    for place, number in enumerate(kept):
        part = parts[number]
        blanks = " " * (widths[number] - cells(part.plain))
        last = place == len(kept) - 1
        if columns[number] in right:
            line.append(blanks)
        line.parts += part.parts
        if not last:
            line.append(("" if columns[number] in right else blanks) + " " * GAP)
    return line
