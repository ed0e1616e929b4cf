"""How much of a thing a test tries: what can be tried more often is tried a little in `make test`, more in `make endure`, and as long
as one likes by hand (`python -m tests --part endure --full`). What is stated is the same; with the same effort the same is tried.
"""

from __future__ import annotations

import os
from typing import Final

VARIABLE: Final = "EVEN_ROSTER_TEST_EFFORT"
"""The environment variable that names the effort: test, endure or full."""


def current() -> str:
    """The effort of this run; it is asked for when a module of tests is loaded, after the runner has set it."""
    return os.environ.get(VARIABLE, "test")


def effort(test: int, endure: int, full: int | None = None) -> int:
    """How many rounds, days or examples to try; by hand ten times what `make endure` does, where nothing else is said."""
    if current() == "test":
        return test
    return endure if current() == "endure" else (full if full is not None else 10 * endure)
