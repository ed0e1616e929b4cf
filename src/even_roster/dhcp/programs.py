"""Runs the programs by which servers check a configuration, and tells servers to read theirs. Blocks; belongs in a thread."""

from __future__ import annotations

import os
import signal
import subprocess
from collections.abc import Sequence
from pathlib import Path

from .files import octets_of
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


def tell_to_read(pid_file: Path, program: str) -> int:
    """Send SIGHUP to the process that a pid file names, when it is `program`: a stale file may name anybody. Gives the process.
    Raises ServerTrouble."""
    try:
        pid = int(octets_of(pid_file))
        if pid < 2:
            raise ValueError(f"{pid} is no process")
        name = Path(f"/proc/{pid}/comm").read_text().strip()
        if not name.startswith(program[:15]):
            raise ServerTrouble(f"{pid_file} names the process {pid}, which is {name or 'nobody'}, not {program}")
        os.kill(pid, signal.SIGHUP)
    except (OSError, ValueError) as error:
        raise ServerTrouble(f"{pid_file} names no process that can be told: {error}") from error
    return pid
