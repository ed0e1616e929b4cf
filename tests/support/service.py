"""A real service process for tests: started on loopback with a home of its own, ended cleanly."""

from __future__ import annotations

import contextlib
import json
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Mapping
from pathlib import Path

from even_roster.client import Roster

from . import evidence, quick_start
from .lab import Namespace, Rights, environment
from .patience import PATIENCE, until

Process = subprocess.Popen[bytes] | quick_start.Process


class Service:
    """A running service process."""

    def __init__(self, process: Process, home: Path, log: Path, inside: str) -> None:
        self.process, self.home, self.log, self._inside = process, home, log, inside

    @property
    def sign_in(self) -> str:
        """An address that signs a browser in, once, by a press of its button."""
        with self.client() as roster:
            return self.url + roster.sign_in().path

    @property
    def url(self) -> str:
        """Where it listens."""
        return str(json.loads((self.home / "service.json").read_text())["url"])

    def client(self) -> Roster:
        """A client of it, from this network namespace."""
        return Roster(home=self.home)

    def roster(self, *arguments: str, fed: str = "", **given: str) -> subprocess.CompletedProcess[str]:
        """A command of the command line, as a process, where the service runs, with `fed` on its standard input; what is `given` more
        are environment variables."""
        return quick_start.roster(["--home", str(self.home), *arguments], PATIENCE, self._inside, fed, given)

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
    *arguments: str, home: Path | None = None, inside: Namespace | None = None, rights: Rights = Rights.ALL,
    watch: bool = False, anew: bool = False, environ: Mapping[str, str] | None = None,
) -> Iterator[Service]:  # fmt: skip
    """`roster …` (serve or demo with its options) for the length of a block; it does nothing by itself unless `watch`. With `anew` its
    process imports everything itself, as a person's does; `environ` are further variables of its environment."""
    with contextlib.ExitStack() as stack:
        folder = Path(stack.enter_context(tempfile.TemporaryDirectory()))
        folder.chmod(0o777)
        place, log = home or folder / "home", folder / "log"
        stack.enter_context(evidence.at_hand("service", lambda to: _keep(log, place, to)))
        given = [*arguments, "--home", str(place), *(() if watch else ("--no-watch",))]
        if "--listen" not in arguments:
            given += ["--listen", "127.0.0.1:0"]
        process = stack.enter_context(_started(given, inside, rights, log, anew, environ or {}))
        _wait(process, log)
        yield Service(process, place, log, inside.name if inside else "")


@contextlib.contextmanager
def _started(
    given: list[str], inside: Namespace | None, rights: Rights, log: Path, anew: bool, environ: Mapping[str, str]
) -> Iterator[Process]:  # fmt: skip
    process: Process
    with log.open("wb") as said:
        if anew:
            command = [
                *(inside.inside([]) if inside else []),
                *rights.words(),
                sys.executable,
                "-m",
                "even_roster.cli.main",
                *given,
            ]
            env = {**environment(), **environ}
            process = subprocess.Popen(command, stdout=said, stderr=said, stdin=subprocess.DEVNULL, env=env)
        else:
            process = quick_start.Process(given, said.fileno(), inside.name if inside else "", rights, environ)
    try:
        yield process
    finally:
        if process.poll() is None:
            process.terminate()
            with contextlib.suppress(subprocess.TimeoutExpired):
                process.wait(timeout=PATIENCE / 4)
        process.kill()
        process.wait()
        if isinstance(process, quick_start.Process):
            process.close()


def _keep(log: Path, home: Path, to: Path) -> None:
    """What is left of a service for whoever reads about a failed test."""
    shutil.copy(log, to / "log.txt")
    for path in home.glob("*.json"):
        shutil.copy(path, to)


def demo(
    *arguments: str, home: Path | None = None, watch: bool = False, anew: bool = False,
    environ: Mapping[str, str] | None = None,
) -> contextlib.AbstractContextManager[Service]:  # fmt: skip
    """The demo service."""
    return service("demo", "--no-open", *arguments, home=home, watch=watch, anew=anew, environ=environ)


def _wait(process: Process, log: Path) -> None:
    """Until it says where it is."""

    def said() -> re.Match[str] | bool | None:
        ended = process.poll() is not None
        return re.search(r"(?m)^API +https?://", log.read_text(errors="replace")) or ended

    if not isinstance(until(said, "the service does not start", pause=0.02), re.Match):
        raise AssertionError(f"the service did not start: {log.read_text(errors='replace')}")
