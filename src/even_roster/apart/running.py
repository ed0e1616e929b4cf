"""Has files read and written by a process of its own (see child.py)."""

from __future__ import annotations

import json
import subprocess
import sys
import threading
from collections.abc import Iterable

from ..core.columns import SheetError
from .child import MEMORY, SECONDS, WRONG
from .spreadsheets import Table

_AT_ONCE = threading.BoundedSemaphore(2)
_OVER = f"it would take over {MEMORY >> 20} MB or {SECONDS} seconds to {{}}"


def read(data: bytes) -> Table:
    """The first sheet of a workbook, or a CSV file. Raises SheetError."""
    read_as, rows = json.loads(_done("read", data, _OVER.format("read this file") + "; save it as CSV, or split it"))
    return Table(rows, read_as)


def write_workbook(rows: Iterable[list[str]], title: str) -> bytes:
    """A workbook with one sheet of texts. Raises SheetError."""
    return _done(
        "write", json.dumps([title, list(rows)]).encode(), _OVER.format("write this workbook") + "; take it out as CSV"
    )


def _done(job: str, given: bytes, over: str) -> bytes:
    """What a child made. Raises SheetError with `over` where it was ended for what it took."""
    command = [sys.executable, "-m", f"{__package__}.child", job]
    with _AT_ONCE:
        try:
            done = subprocess.run(command, input=given, capture_output=True, timeout=SECONDS, check=False)
        except subprocess.TimeoutExpired:
            raise SheetError(over) from None
    if done.returncode == WRONG:
        raise SheetError(done.stderr.decode("utf-8", "replace"))
    if done.returncode:
        raise SheetError(over)
    return done.stdout
