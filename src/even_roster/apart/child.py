"""The process that reads or writes one file: `python -m even_roster.apart.child JOB`, with what it needs on standard input and what
it made on standard output. It ends with 3 and a sentence where the file is wrong."""

from __future__ import annotations

import json
import resource
import sys

from ..core.columns import SheetError
from . import spreadsheets

MEMORY = 300 << 20
"""Octets that it may hold (RLIMIT_DATA)."""
SECONDS = 30
"""Of processor time."""
WRONG, TOO_MUCH = 3, 4


def main() -> int:
    """Do one job; gives the exit code."""
    resource.setrlimit(resource.RLIMIT_DATA, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS + 1))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    if sys.argv[1] == "read":
        resource.setrlimit(resource.RLIMIT_FSIZE, (0, 0))
    given = sys.stdin.buffer.read()
    try:
        made = _read(given) if sys.argv[1] == "read" else _written(given)
        sys.stdout.buffer.write(made)
        sys.stdout.buffer.flush()
    except SheetError as error:
        sys.stderr.write(str(error))
        return WRONG
    except (MemoryError, RecursionError):
        return TOO_MUCH
    return 0


def _read(given: bytes) -> bytes:
    table = spreadsheets.read(given)
    return json.dumps([table.read_as, table.rows]).encode()


def _written(given: bytes) -> bytes:
    title, rows = json.loads(given)
    return spreadsheets.write_workbook(rows, title)


if __name__ == "__main__":
    sys.exit(main())
