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

from . import quick_cli
from .lab import Namespace, environment
from .patience import PATIENCE


class Service:
    """A running service process."""

    def __init__(self, process: subprocess.Popen[str], home: Path, sign_in: str, wrap: list[str]) -> None:
        self.process, self.home, self.sign_in, self._wrap = process, home, sign_in, wrap

    @property
    def url(self) -> str:
        """Where it listens."""
        return str(json.loads((self.home / "service.json").read_text())["url"])

    def client(self) -> Roster:
        """A client of it, from this network namespace."""
        return Roster(home=self.home)

    def roster(self, *arguments: str) -> subprocess.CompletedProcess[str]:
        """A command of the command line, as a process, where the service runs."""
        if not self._wrap:
            return quick_cli.roster(["--home", str(self.home), *arguments], PATIENCE)
        command = [*self._wrap, sys.executable, "-m", "even_roster.cli.main", "--home", str(self.home), *arguments]
        return subprocess.run(command, capture_output=True, text=True, env=environment(), check=False, timeout=PATIENCE)

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
    watch: bool = False,
) -> Iterator[Service]:  # fmt: skip
    """`roster …` (serve or demo with its options) for the length of a block; it does nothing by itself unless `watch`."""
    with tempfile.TemporaryDirectory() as folder:
        place = home or Path(folder) / "home"
        Path(folder).chmod(0o777)
        wrap = inside.inside([]) if inside else []
        command = [*wrap, *prefix, sys.executable, "-m", "even_roster.cli.main", *arguments, "--home", str(place)]
        if not watch:
            command.append("--no-watch")
        if "--listen" not in arguments:
            command += ["--listen", "127.0.0.1:0"]
        process = subprocess.Popen(
            command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, env=environment()
        )
        try:
            yield Service(process, place, _sign_in(process), wrap)
        finally:
            if process.poll() is None:
                process.terminate()
                with contextlib.suppress(subprocess.TimeoutExpired):
                    process.wait(timeout=60)
            process.kill()
            process.wait()
            assert process.stdout is not None
            process.stdout.close()


def demo(
    *arguments: str, home: Path | None = None, watch: bool = False
) -> contextlib.AbstractContextManager[Service]:  # fmt: skip
    """The demo service."""
    return service("demo", "--no-open", *arguments, home=home, watch=watch)


def _sign_in(process: subprocess.Popen[str]) -> str:
    assert process.stdout is not None
    said = []
    until = time.monotonic() + PATIENCE
    while time.monotonic() < until and (line := process.stdout.readline()):
        said.append(line)
        if match := re.search(r"(https?://\S+/enter\?ticket=\S+)", line):
            return match.group(1)
    raise AssertionError(f"the service did not start: {''.join(said)}")
