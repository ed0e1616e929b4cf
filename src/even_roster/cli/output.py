"""How commands speak: tables and sentences for people, one JSON document for programs, errors on stderr.

Text from the network is printed as it is stored (cleaned of control characters) and never read as markup.
"""

from __future__ import annotations

import contextlib
import json
import os
import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import UTC, datetime
from typing import IO, Any

from . import tables
from .tables import Text as Text
from .told import Told

Cell = str | Text | None
_TURNING = "|/-\\"


class Out:
    """Standard output of one command."""

    wide = False
    """Whether tables are shown whole (--wide): on a terminal through a pager, in which one moves sideways."""

    def __init__(self, as_json: bool) -> None:
        self.as_json = as_json
        self.terminal = sys.stdout.isatty()
        self.width = _width(sys.stdout) if self.terminal else None
        self._colour = _has_colours(sys.stdout)

    def json(self, value: Any) -> None:
        """The one document of a command with --json."""
        sys.stdout.write(json.dumps(plain(value), ensure_ascii=False, indent=2) + "\n")

    def json_list(self, items: Iterable[Any], **head: Any) -> None:
        """One document with a list, in the envelope of the API, written item by item: the list is never held."""
        write = sys.stdout.write
        write("{")
        for name, value in head.items():
            write(f"{json.dumps(name)}: {json.dumps(plain(value), ensure_ascii=False)}, ")
        write('"items": [')
        separator = "\n"
        for item in items:
            write(f"{separator}  {json.dumps(plain(item), ensure_ascii=False)}")
            separator = ",\n"
        write("\n]}\n")

    def raw(self, text: str) -> None:
        """A text exactly as it is: a file's contents."""
        sys.stdout.write(text)

    def line(self, text: Text, cut: bool = False) -> None:
        """A line, or several, for people; on a terminal broken between words, or with `cut` shortened."""
        for line in text.lines():
            width = self.width if self.width is not None else max(tables.cells(line.plain), 1)
            parts = [line.shortened(width)] if cut else line.folded(width)
            for part in parts:
                sys.stdout.write(f"{part.trimmed().shown(self._colour)}\n")

    def say(self, text: str, style: str = "") -> None:
        """A line for people; nothing with --json."""
        if not self.as_json:
            self.line(Text(text, style))

    def notice(self, text: str) -> None:
        """A line beside the result, on stderr."""
        sys.stderr.write(f"{Text(text, 'dim').shown(_has_colours(sys.stderr))}\n")

    @contextlib.contextmanager
    def waiting(self, what: str) -> Iterator[None]:
        """A turning mark on a terminal while something takes long; Ctrl-C stops it."""
        if not what or not sys.stderr.isatty():
            yield
            return
        with Progress() as progress:
            progress.turn(what)
            yield

    def table(self, columns: Sequence[str], rows: Iterable[Sequence[Cell]], right: Sequence[str] = ()) -> None:
        """A table; `right` columns are numbers. On a terminal it fits, and what had to leave for that is told."""
        lines, gone = tables.table(columns, rows, right, None if self.wide else self.width)
        if self.wide and self.width is not None and self._paged(lines, self.width):
            return
        self._write(lines)
        if gone:
            self.notice(f"left out for want of width: {', '.join(gone)}; --wide shows all")

    def facts(self, rows: Iterable[tuple[str, Cell]]) -> None:
        """Pairs of a word and what it is, one a line; empty ones are left out."""
        self._write(tables.facts(rows, self.width))

    def _paged(self, lines: Sequence[Text], width: int) -> bool:
        """Show lines that are longer than a terminal is wide in a pager; False where they fit or there is no pager."""
        if all(tables.cells(line.plain) <= width for line in lines):
            return False
        import shlex
        import signal
        import subprocess

        sys.stdout.flush()
        text = "".join(f"{line.trimmed().shown(self._colour)}\n" for line in lines)
        beside = {"LESS": os.environ.get("LESS", "SRX"), "LESSCHARSET": os.environ.get("LESSCHARSET", "utf-8")}
        stopped = signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is the pager's
        try:
            words = shlex.split(os.environ.get("PAGER") or "less")
            done = subprocess.run(words, input=text.encode(), env={**os.environ, **beside}, check=False)
        except (OSError, ValueError):
            return False
        finally:
            signal.signal(signal.SIGINT, stopped)
        return done.returncode == 0

    def _write(self, lines: Iterable[Text]) -> None:
        sys.stdout.write("".join(f"{line.trimmed().shown(self._colour)}\n" for line in lines))


class Progress:
    """One line on a terminal's stderr that tells how far something is; nothing where stderr is none."""

    def __init__(self) -> None:
        self._shows = sys.stderr.isatty()
        self._turning: Callable[[], None] | None = None

    def show(self, text: str) -> None:
        """Tell it in the place of what was told before."""
        if self._shows:
            sys.stderr.write(f"\r\x1b[2K{Text(text).shortened(_width(sys.stderr)).plain}")
            sys.stderr.flush()

    def turn(self, what: str) -> None:
        """Show that something goes on of which it cannot be told how far it is."""
        import threading

        over = threading.Event()

        def run() -> None:
            number = 0
            while not over.wait(0.12):
                self.show(f"{_TURNING[number % len(_TURNING)]} {what} …")
                number += 1

        turner = threading.Thread(target=run, daemon=True)
        turner.start()

        def stop() -> None:
            over.set()
            turner.join()

        self._turning = stop

    def __enter__(self) -> Progress:
        return self

    def __exit__(self, *_: object) -> None:
        if self._turning is not None:
            self._turning()
        if self._shows:
            sys.stderr.write("\r\x1b[2K")
            sys.stderr.flush()


def _width(stream: IO[str]) -> int:
    """The columns of a terminal."""
    given = os.environ.get("COLUMNS", "")
    if given.isdigit() and int(given):
        return int(given)
    try:
        return os.get_terminal_size(stream.fileno()).columns or 80
    except (OSError, ValueError):
        return 80


def _has_colours(stream: IO[str]) -> bool:
    """Whether styles are shown: on terminals that know them, unless people do not want them (NO_COLOR)."""
    return stream.isatty() and not os.environ.get("NO_COLOR") and os.environ.get("TERM") not in ("dumb", "")


def plain(value: Any) -> Any:
    """A value as it goes into JSON."""
    if isinstance(value, Told):
        return dict(value)  # what a service wrote is plain all the way down
    if hasattr(value, "model_dump"):
        return value.model_dump(mode="json")
    if isinstance(value, list | tuple):
        return [plain(item) for item in value]
    if isinstance(value, dict):
        return {name: plain(item) for name, item in dict.items(value)}
    return value


def error(sentence: str) -> None:
    """One sentence on stderr."""
    sys.stderr.write(f"{Text.assemble(('roster: ', 'bold red'), sentence).shown(_has_colours(sys.stderr))}\n")


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
