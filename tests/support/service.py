"""A real service process for tests: started on loopback with a home of its own, ended cleanly."""

from __future__ import annotations

import contextlib
import json
import re
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from even_roster.client import Roster

from . import quick_start
from .lab import Namespace, environment
from .patience import PATIENCE

Process = subprocess.Popen[str] | quick_start.Process


class Service:
    """A running service process."""

    def __init__(self, process: Process, home: Path, sign_in: str, inside: str) -> None:
        self.process, self.home, self.sign_in, self._inside = process, home, sign_in, inside

    @property
    def url(self) -> str:
        """Where it listens."""
        return str(json.loads((self.home / "service.json").read_text())["url"])

    def client(self) -> Roster:
        """A client of it, from this network namespace."""
        return Roster(home=self.home)

    def roster(self, *arguments: str) -> subprocess.CompletedProcess[str]:
        """A command of the command line, as a process, where the service runs."""
        return quick_start.roster(["--home", str(self.home), *arguments], PATIENCE, self._inside)

    def json(self, *arguments: str) -> dict[str, object]:
        """A command with --json; gives its document, and fails loudly otherwise."""
        done = self.roster(*arguments, "--json")
        if done.returncode not in (0, 1) or not done.stdout:
            raise AssertionError(f"roster {' '.join(arguments)} ended with {done.returncode}: {done.stderr}")
        document: dict[str, object] = json.loads(done.stdout)
        return document

    def stop(self, how: signal.Signals = signal.SIGTERM) -> float:
        """End it with a signal; gives the seconds that took."""
        began = time.monotonic()
        self.process.send_signal(how)
        self.process.wait(timeout=PATIENCE)
        return time.monotonic() - began


@contextlib.contextmanager
def service(
    *arguments: str, home: Path | None = None, inside: Namespace | None = None, prefix: tuple[str, ...] = (),
    watch: bool = False, anew: bool = False,
) -> Iterator[Service]:  # fmt: skip
    """`roster …` (serve or demo with its options) for the length of a block; it does nothing by itself unless `watch`. With `anew` its
    process imports everything itself, as a person's does."""
    with tempfile.TemporaryDirectory() as folder:
        place = home or Path(folder) / "home"
        Path(folder).chmod(0o777)
        wrap = inside.inside([]) if inside else []
        given = [*arguments, "--home", str(place), *(() if watch else ("--no-watch",))]
        if "--listen" not in arguments:
            given += ["--listen", "127.0.0.1:0"]
        process: Process
        if prefix or anew:
            command = [*wrap, *prefix, sys.executable, "-m", "even_roster.cli.main", *given]
            process = subprocess.Popen(
                command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, env=environment()
            )
        else:
            process = quick_start.Process(given, inside.name if inside else "")
        try:
            yield Service(process, place, _sign_in(process), inside.name if inside else "")
        finally:
            if process.poll() is None:
                process.terminate()
                with contextlib.suppress(subprocess.TimeoutExpired):
                    process.wait(timeout=60)
            process.kill()
            process.wait()
            assert process.stdout is not None
            process.stdout.close()
            if isinstance(process, quick_start.Process):
                process.close()


def demo(
    *arguments: str, home: Path | None = None, watch: bool = False, anew: bool = False
) -> contextlib.AbstractContextManager[Service]:  # fmt: skip
    """The demo service."""
    return service("demo", "--no-open", *arguments, home=home, watch=watch, anew=anew)


def _sign_in(process: Process) -> str:
    assert process.stdout is not None
    said = []
    until = time.monotonic() + PATIENCE
    while time.monotonic() < until and (line := process.stdout.readline()):
        said.append(line)
        if match := re.search(r"(https?://\S+/enter\?ticket=\S+)", line):
            return match.group(1)
    raise AssertionError(f"the service did not start: {''.join(said)}")
