"""Network namespaces for tests: made, used and taken away here; nothing outside them is ever touched."""

from __future__ import annotations

import contextlib
import ctypes
import os
import shutil
import subprocess
import sys
import tempfile
import unittest
import uuid
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from enum import StrEnum
from pathlib import Path
from typing import TypeVar

from . import evidence
from .patience import PATIENCE, until

T = TypeVar("T")
ROOT = Path(__file__).resolve().parents[2]
PREFIX_VARIABLE = "EVEN_ROSTER_TEST_LAB"
"""The environment variable with what names of namespaces begin with, so that the runner finds those that were left behind."""
NO_LAB = "network namespaces need root and iproute2"


def possible() -> bool:
    """True where namespaces and TAP devices can be made."""
    if os.geteuid() != 0 or not Path("/dev/net/tun").exists():
        return False
    name = _new_name()
    made = subprocess.run(["ip", "netns", "add", name], capture_output=True, check=False)
    subprocess.run(["ip", "netns", "delete", name], capture_output=True, check=False)
    return made.returncode == 0


def _new_name() -> str:
    return f"{os.environ.get(PREFIX_VARIABLE, 'lab-')}{uuid.uuid4().hex[:8]}"


needs_lab = unittest.skipUnless(possible(), NO_LAB)


class Rights(StrEnum):
    """What a process may do: all that its starter may, only send and receive raw frames, or nothing beyond an ordinary account."""

    ALL = "all"
    RAW_FRAMES = "raw frames"
    NONE = "none"

    def words(self) -> list[str]:
        """What stands before a command to run it so."""
        if self is Rights.ALL:
            return []
        keep = ",+net_raw" if self is Rights.RAW_FRAMES else ""
        ambient = ["--ambient-caps=-all,+net_raw"] if keep else []
        account = ["--reuid=65534", "--regid=65534", "--clear-groups"]
        return ["setpriv", f"--bounding-set=-all{keep}", f"--inh-caps=-all{keep}", *ambient, *account]


class Namespace:
    """One network namespace with its loopback up."""

    def __init__(self) -> None:
        self.name = _new_name()
        run("ip", "netns", "add", self.name)
        self._etc = Path("/etc/netns") / self.name
        self._etc.mkdir(parents=True, exist_ok=True)
        (self._etc / "resolv.conf").write_text("nameserver 127.0.0.1\n")
        self.ip("link", "set", "lo", "up")

    def ip(self, *arguments: str) -> str:
        """An `ip` command inside."""
        return self.run("ip", *arguments)

    def run(self, *command: str, check: bool = True) -> str:
        """Any command inside; gives its output."""
        return run(*self.inside(command), check=check)

    def inside(self, command: Sequence[str]) -> list[str]:
        """The command line that runs a command inside."""
        return ["ip", "netns", "exec", self.name, *command]

    def start(self, *command: str, **options: object) -> subprocess.Popen[str]:
        """A process inside, with pipes."""
        pipes = {"stdin": subprocess.PIPE, "stdout": subprocess.PIPE, "text": True, **options}
        return subprocess.Popen(self.inside(command), env=environment(), **pipes)  # type: ignore[call-overload,no-any-return]

    def keep(self, to: Path) -> None:
        """Write down its addresses, links, routes, neighbours, sockets and processes."""
        for what in ("address", "link", "route", "neighbour"):
            (to / f"{what}.txt").write_text(self.run("ip", "-s", "-d", what, "show", check=False))
        (to / "sockets.txt").write_text(self.run("ss", "-anp", check=False))
        pids = run("ip", "netns", "pids", self.name, check=False).split()
        (to / "processes.txt").write_text(run("ps", "-fp", ",".join(pids), check=False) if pids else "")

    def delete(self) -> None:
        """End everything inside and take the namespace away."""
        for pid in run("ip", "netns", "pids", self.name, check=False).split():
            with contextlib.suppress(ProcessLookupError, ValueError):
                os.kill(int(pid), 9)
        run("ip", "netns", "delete", self.name, check=False)
        shutil.rmtree(self._etc, ignore_errors=True)


def run(*command: str, check: bool = True) -> str:
    """Run a command; gives its output, raises with its errors."""
    done = subprocess.run(command, capture_output=True, text=True, check=False, env=environment(), timeout=PATIENCE)
    if check and done.returncode:
        raise RuntimeError(f"{' '.join(command)} ended with {done.returncode}: {done.stderr or done.stdout}")
    return done.stdout


def environment() -> dict[str, str]:
    """The environment of processes that tests start: the source tree, UTC, no home of the account."""
    return {**os.environ, "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}", "TZ": "UTC", "EVEN_ROSTER_HOME": "/nonexistent"}


class Inside:
    """Runs functions of this process inside a namespace: on one thread that has moved there (setns(2))."""

    def __init__(self, where: Namespace) -> None:
        self._pool = ThreadPoolExecutor(1, initializer=_move, initargs=(where.name,))

    def do(self, work: Callable[[], T]) -> T:
        """What a function gives when it is run inside."""
        return self._pool.submit(work).result(timeout=PATIENCE)

    def close(self) -> None:
        """End the thread."""
        self._pool.shutdown()


def _move(name: str) -> None:
    with open(f"/var/run/netns/{name}") as file:
        if ctypes.CDLL(None, use_errno=True).setns(file.fileno(), 0x40000000):
            raise OSError(ctypes.get_errno(), "setns")


@contextlib.contextmanager
def namespace() -> Iterator[Namespace]:
    """A namespace for the length of a block."""
    made = Namespace()
    try:
        with evidence.at_hand("namespace", made.keep):
            yield made
    finally:
        made.delete()


@contextlib.contextmanager
def tap_hosts(inside: Namespace, address: str, hosts: int, *more: str) -> Iterator[subprocess.Popen[str]]:
    """Simulated hosts on a TAP link of a namespace, for the length of a block."""
    process = inside.start(
        sys.executable, "-m", "tests.support.tap_hosts", "--address", address, "--hosts", str(hosts), *more
    )
    try:
        assert process.stdout is not None
        if process.stdout.readline().strip() != "ready":
            raise RuntimeError("the simulated hosts did not start")
        yield process
    finally:
        with contextlib.suppress(OSError, subprocess.TimeoutExpired):
            process.communicate(timeout=PATIENCE)
        process.kill()
        process.wait()


@contextlib.contextmanager
def veth_hosts(scanner: Namespace, other: Namespace, address: str, theirs: Sequence[str]) -> Iterator[None]:
    """A veth link between two namespaces; the other end has all of `theirs` (with prefix), answered by its kernel."""
    run(
        "ip", "link", "add", "site0", "netns", scanner.name, "type", "veth", "peer", "name", "far0", "netns", other.name
    )
    scanner.ip("address", "add", address, "dev", "site0")
    scanner.ip("link", "set", "site0", "up")
    batch = "".join(f"address add {one} dev far0\n" for one in theirs) + "link set far0 up\n"
    with tempfile.NamedTemporaryFile("w", suffix=".batch") as file:
        file.write(batch)
        file.flush()
        other.ip("-batch", file.name)
    # An end that is not up yet drops what its kernel answers.
    until(lambda: "state UP" in scanner.ip("link", "show", "site0"), "the link does not come up")
    until(lambda: "state UP" in other.ip("link", "show", "far0"), "the other end does not come up")
    yield
