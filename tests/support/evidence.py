"""What a failing test leaves behind: the logs, pictures and addresses of what it used, in one folder that the runner names.

Whatever a test uses registers how to write down its state (`at_hand`); all of them write when a test fails, and each writes
when its own block is left by an error, before what it shows is gone.
"""

from __future__ import annotations

import contextlib
import os
import re
import traceback
import unittest
from collections.abc import Callable, Iterator
from pathlib import Path

FOLDER_VARIABLE = "EVEN_ROSTER_TEST_EVIDENCE"
"""The environment variable that names the folder; without it nothing is kept."""
Writer = Callable[[Path], None]
"""Writes files into a folder; how it names them is its own."""

_writers: list[tuple[str, Writer]] = []
_test = "setup"


def begin(test: str) -> None:
    """A test begins: what is kept from now on belongs to it."""
    global _test
    _test = test


def end() -> None:
    """A test has ended."""
    begin("setup")


@contextlib.contextmanager
def at_hand(name: str, write: Writer) -> Iterator[None]:
    """While the block runs, `write` is called for each test that fails; also when an error leaves the block."""
    entry = (name, write)
    _writers.append(entry)
    try:
        yield
    except (unittest.SkipTest, GeneratorExit):
        raise
    except BaseException:
        _write(_test, [entry])
        raise
    finally:
        _writers.remove(entry)


def keep(test: str, error: str) -> None:
    """A test failed: keep its error and the state of all that is at hand."""
    folder = _folder(test)
    if folder is not None:
        with (folder / "error.txt").open("a") as file:
            file.write(error + "\n")
        _write(test, list(_writers))


def _write(test: str, writers: list[tuple[str, Writer]]) -> None:
    folder = _folder(test)
    if folder is None:
        return
    for number, (name, write) in enumerate(writers):
        place = folder / (name if not number else f"{name}-{number}")
        place.mkdir(exist_ok=True)
        try:
            write(place)
        except Exception:  # whatever is broken already must not hide the failure that is told
            (place / "could-not-be-read.txt").write_text(traceback.format_exc())


def _folder(test: str) -> Path | None:
    given = os.environ.get(FOLDER_VARIABLE)
    if not given:
        return None
    folder = Path(given) / re.sub(r"[^\w.-]+", "_", test)[:150]
    folder.mkdir(parents=True, exist_ok=True)
    return folder
