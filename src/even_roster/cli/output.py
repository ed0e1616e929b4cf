"""How commands speak: tables and sentences for people, one JSON document for programs, errors on stderr.

Text from the network is printed as it is stored (cleaned of control characters) and never read as markup.
"""

from __future__ import annotations

import contextlib
import json
import sys
from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime
from typing import Any

from pydantic import BaseModel
from rich.console import Console
from rich.table import Table
from rich.text import Text

PIPED_WIDTH = 250
Cell = str | Text | None


class Out:
    """Standard output of one command."""

    def __init__(self, as_json: bool) -> None:
        self.as_json = as_json
        width = None if sys.stdout.isatty() else PIPED_WIDTH
        self.console = Console(markup=False, emoji=False, highlight=False, width=width, soft_wrap=False)
        self.notices = Console(
            stderr=True, markup=False, emoji=False, highlight=False, soft_wrap=not sys.stderr.isatty()
        )

    def json(self, value: Any) -> None:
        """The one document of a command with --json."""
        sys.stdout.write(json.dumps(_plain(value), ensure_ascii=False, indent=2) + "\n")

    def json_stream(self, key: str, items: Iterable[Any], **head: Any) -> None:
        """One document with a long list, written item by item: the list is never held."""
        write = sys.stdout.write
        write("{")
        for name, value in head.items():
            write(f"{json.dumps(name)}: {json.dumps(_plain(value), ensure_ascii=False)}, ")
        write(f"{json.dumps(key)}: [")
        separator = "\n"
        for item in items:
            write(f"{separator}  {json.dumps(_plain(item), ensure_ascii=False)}")
            separator = ",\n"
        write("\n]}\n")

    def raw(self, text: str) -> None:
        """A text exactly as it is: a file's contents."""
        sys.stdout.write(text)

    def say(self, text: str, style: str = "") -> None:
        """A line for people; nothing with --json."""
        if not self.as_json:
            self.console.print(Text(text, style=style))

    def notice(self, text: str) -> None:
        """A line beside the result, on stderr."""
        self.notices.print(Text(text, style="dim"))

    @contextlib.contextmanager
    def waiting(self, what: str) -> Iterator[None]:
        """A turning mark on a terminal while something takes long; Ctrl-C stops it."""
        if not what or not sys.stderr.isatty():
            yield
            return
        with self.notices.status(Text(f"{what} …")):
            yield

    def table(self, columns: Sequence[str], rows: Iterable[Sequence[Cell]], right: Sequence[str] = ()) -> None:
        """A table with fine rules; `right` columns are numbers."""
        table = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 2, 0, 0))
        for column in columns:
            keep = column in ("address", "mac", "id", "last seen", "state")
            table.add_column(
                Text(column),
                justify="right" if column in right else "left",
                no_wrap=column != "what",
                overflow="fold" if column == "what" else "ellipsis",
                min_width=_floor(column) if keep else None,
            )
        for row in rows:
            table.add_row(*(cell if isinstance(cell, Text) else Text(cell or "") for cell in row))
        self._print(table)

    def facts(self, rows: Iterable[tuple[str, Cell]]) -> None:
        """Pairs of a word and what it is, one a line; empty ones are left out."""
        table = Table(box=None, pad_edge=False, show_header=False, padding=(0, 2, 0, 0))
        table.add_column(style="dim", no_wrap=True)
        table.add_column(overflow="fold")
        for name, value in rows:
            if value:
                table.add_row(Text(name), value if isinstance(value, Text) else Text(value))
        self._print(table)

    def _print(self, table: Table) -> None:
        """A terminal gets the table as it is; a pipe gets it without the blanks that fill lines up."""
        if self.console.is_terminal:
            self.console.print(table)
            return
        with self.console.capture() as captured:
            self.console.print(table)
        sys.stdout.write("".join(f"{line.rstrip()}\n" for line in captured.get().splitlines()))


def _floor(column: str) -> int:
    return {"mac": 17, "address": 9}.get(column, len(column))


def _plain(value: Any) -> Any:
    if isinstance(value, BaseModel):
        return value.model_dump(mode="json")
    if isinstance(value, list | tuple):
        return [_plain(item) for item in value]
    if isinstance(value, dict):
        return {name: _plain(item) for name, item in value.items()}
    return value


def error(sentence: str) -> None:
    """One sentence on stderr."""
    console = Console(stderr=True, markup=False, emoji=False, highlight=False, soft_wrap=True)
    console.print(Text.assemble(("roster: ", "bold red"), sentence))


def point_at(text: str, start: int, end: int) -> None:
    """Show on a terminal where in a text something is wrong."""
    if sys.stderr.isatty() and text.isprintable():
        sys.stderr.write(f"  {text}\n  {' ' * start}{'^' * max(end - start, 1)}\n")


def ago(moment: datetime | None) -> str:
    """How long ago, short: '12 s', '5 min', '3 h', '2 d'; then the date."""
    if moment is None:
        return "never"
    seconds = max((datetime.now(UTC) - moment).total_seconds(), 0)
    if seconds < 90:
        return f"{seconds:.0f} s ago"
    if seconds < 5400:
        return f"{seconds / 60:.0f} min ago"
    if seconds < 36 * 3600:
        return f"{seconds / 3600:.0f} h ago"
    return f"{seconds / 86400:.0f} d ago" if seconds < 14 * 86400 else clock(moment)


def clock(moment: datetime | None) -> str:
    """Date and time of day, local."""
    return moment.astimezone().strftime("%Y-%m-%d %H:%M:%S") if moment else "-"


def duration(seconds: float) -> str:
    """A length of time, short."""
    if seconds < 10:
        return f"{seconds:.1f} s"
    return f"{seconds:.0f} s" if seconds < 90 else f"{seconds / 60:.0f} min"
