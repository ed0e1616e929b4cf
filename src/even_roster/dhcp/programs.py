"""Runs the programs by which servers check a configuration. Blocks; belongs in a thread."""

from __future__ import annotations

import subprocess
from collections.abc import Sequence

from .server import ServerTrouble

SECONDS = 30.0


def run_check(command: Sequence[str], what: str) -> subprocess.CompletedProcess[str]:
    """Run a server's own check of `what`. Raises ServerTrouble where it cannot be run; what it says is the caller's to read."""
    try:
        return subprocess.run(command, capture_output=True, text=True, timeout=SECONDS, check=False)
    except FileNotFoundError as error:
        raise ServerTrouble(f"{command[0]} is not installed here, so {what} cannot be checked") from error
    except OSError as error:
        raise ServerTrouble(f"{command[0]} cannot be run: {error.strerror}") from error
    except subprocess.TimeoutExpired as error:
        raise ServerTrouble(f"{command[0]} took longer than {SECONDS:.0f} s to check {what}") from error
