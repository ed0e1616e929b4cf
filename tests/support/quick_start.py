"""Runs commands, and services, in processes of their own that need not import everything anew.

A server process imports the program once and forks for everything that is started; the child is a process like any other, with its own
standard output and error, and ends with the command's exit code. What a person starts is the same entry, `cli.main.run`.
"""

from __future__ import annotations

import atexit
import contextlib
import ctypes
import json
import os
import select
import signal
import socket
import subprocess
import sys
import tempfile
import threading
from io import TextIOWrapper
from pathlib import Path

from .lab import environment
from .patience import PATIENCE

_lock = threading.Lock()
_server: tuple[subprocess.Popen[bytes], Path] | None = None


def roster(arguments: list[str], timeout: float, inside: str = "") -> subprocess.CompletedProcess[str]:
    """Run one command, perhaps inside a network namespace; gives its exit code and what it said."""
    with tempfile.TemporaryDirectory() as folder:
        out, err = Path(folder) / "out", Path(folder) / "err"
        with out.open("wb") as said, err.open("wb") as complained:
            started = _Started(arguments, said.fileno(), complained.fileno(), inside, service=False)
        try:
            code = started.wait(timeout)
        finally:
            started.close()
        return subprocess.CompletedProcess(arguments, code, out.read_text(), err.read_text())


class _Started:
    """A process that was started so. Its parent tells its exit code over a line."""

    def __init__(self, arguments: list[str], out: int, err: int, inside: str, *, service: bool) -> None:
        self._line = socket.socket(socket.AF_UNIX)
        self._line.settimeout(PATIENCE)
        self._line.connect(str(_place()))
        socket.send_fds(self._line, [json.dumps([arguments, inside, service]).encode() + b"\n"], [out, err])
        self._said = self._line.makefile("rb")
        self.pid = int(self._said.readline())
        self.returncode: int | None = None

    def poll(self) -> int | None:
        """The exit code; None while it runs. What a signal ended has that signal's number below 0."""
        if self.returncode is None and select.select([self._line], [], [], 0)[0]:
            self.returncode = int(self._said.readline() or b"70")  # its parent died without a word
        return self.returncode

    def wait(self, timeout: float | None = None) -> int:
        """See subprocess.Popen.wait."""
        if self.returncode is None and not select.select([self._line], [], [], timeout)[0]:
            raise subprocess.TimeoutExpired(str(self.pid), timeout or 0)
        code = self.poll()
        assert code is not None
        return code

    def send_signal(self, how: int) -> None:
        """Send it a signal, as long as it runs."""
        if self.poll() is None:
            with contextlib.suppress(ProcessLookupError):
                os.kill(self.pid, how)

    def terminate(self) -> None:
        """Ask it to end."""
        self.send_signal(signal.SIGTERM)

    def kill(self) -> None:
        """End it."""
        self.send_signal(signal.SIGKILL)

    def close(self) -> None:
        """Give back what was held open for it."""
        self._said.close()
        self._line.close()


class Process(_Started):
    """A service, with what it says on its standard output and error."""

    def __init__(self, arguments: list[str], inside: str = "") -> None:
        said, written = os.pipe()
        try:
            super().__init__(arguments, written, written, inside, service=True)
        finally:
            os.close(written)
        self.stdout = TextIOWrapper(os.fdopen(said, "rb"), line_buffering=True)


def _place() -> Path:
    global _server
    with _lock:
        if _server is None or _server[0].poll() is not None:
            folder = Path(tempfile.mkdtemp())
            place = folder / "line"
            process = subprocess.Popen(
                [sys.executable, "-m", "tests.support.quick_start", str(place)], env=environment(), stdout=subprocess.PIPE,
                stdin=subprocess.DEVNULL,
            )  # fmt: skip
            assert process.stdout is not None
            process.stdout.readline()
            process.stdout.close()
            atexit.register(_end, process, folder)
            _server = process, place
        return _server[1]


def _end(process: subprocess.Popen[bytes], folder: Path) -> None:
    process.kill()
    process.wait()
    for path in (folder / "line", folder):
        with contextlib.suppress(OSError):
            path.unlink() if path.is_socket() else path.rmdir()


def enter(name: str) -> None:
    """Move this process into a network namespace, with the mounts that belong to it (see ip-netns(8))."""
    libc = ctypes.CDLL(None, use_errno=True)
    new_net, new_mounts, detach, bind, recursive, slave = 0x40000000, 0x00020000, 2, 0x1000, 0x4000, 0x80000

    def must(result: int, what: str) -> None:
        if result:
            raise OSError(ctypes.get_errno(), what)

    with open(f"/var/run/netns/{name}") as file:
        must(libc.setns(file.fileno(), new_net), "setns")
    must(libc.unshare(new_mounts), "unshare")
    must(libc.mount(b"", b"/", b"none", slave | recursive, None), "mount /")
    libc.umount2(b"/sys", detach)
    must(libc.mount(name.encode(), b"/sys", b"sysfs", 0, None), "mount /sys")
    for path in Path("/etc/netns", name).iterdir():
        must(libc.mount(str(path).encode(), f"/etc/{path.name}".encode(), b"none", bind, None), str(path))


def main() -> None:
    """Serve until killed."""
    from even_roster.cli import main as commands

    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    with socket.socket(socket.AF_UNIX) as door:
        door.bind(sys.argv[1])
        door.listen(64)
        print("ready", flush=True)
        while True:
            line, _ = door.accept()
            asked, (out, err), _, _ = socket.recv_fds(line, 1 << 16, 2)
            arguments, inside, service = json.loads(asked)
            if service:
                from even_roster.service import run  # noqa: F401  once for all that are started

            if os.fork():
                for one in (out, err):
                    os.close(one)
                line.close()
                continue
            door.close()
            signal.signal(signal.SIGCHLD, signal.SIG_DFL)
            child = os.fork()
            if child:
                for one in (out, err):
                    os.close(one)
                line.sendall(f"{child}\n".encode())
                _, status = os.waitpid(child, 0)
                with contextlib.suppress(OSError):  # nobody may care any more
                    line.sendall(f"{os.waitstatus_to_exitcode(status)}\n".encode())
                os._exit(0)
            line.close()
            for one, number in ((out, 1), (err, 2)):
                os.dup2(one, number)
                os.close(one)
            if inside:
                enter(inside)
            sys.argv = ["roster", *arguments]
            code = 70
            try:
                code = commands.run(arguments)
            finally:
                sys.stdout.flush()
                sys.stderr.flush()
                os._exit(code)


if __name__ == "__main__":
    main()
