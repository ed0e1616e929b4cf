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
import selectors
import shutil
import signal
import socket
import struct
import subprocess
import sys
import tempfile
import threading
import time
import traceback
from collections.abc import Mapping
from pathlib import Path

from .lab import Rights, environment
from .patience import PATIENCE

NOBODY = 65534
CAP_NET_RAW = 13

_lock = threading.Lock()
_server: _Server | None = None


class _Server:
    """The process that forks, and where it is asked to."""

    def __init__(self, pid: int, folder: Path) -> None:
        self.pid, self.folder, self.place = pid, folder, folder / "line"

    def end(self) -> None:
        """End it, and what it keeps in files; the time that its children used is counted with ours. A fork that has only just begun
        still has its parent's handlers, and would lose any other signal."""
        with contextlib.suppress(ProcessLookupError, ChildProcessError):
            os.kill(self.pid, signal.SIGKILL)
            os.waitpid(self.pid, 0)
        shutil.rmtree(self.folder, ignore_errors=True)


def roster(
    arguments: list[str], timeout: float, inside: str = "", fed: str = "", given: Mapping[str, str] | None = None
) -> subprocess.CompletedProcess[str]:  # fmt: skip
    """Run one command, perhaps inside a network namespace, with `fed` on its standard input and more environment variables; gives
    its exit code and what it said."""
    with tempfile.TemporaryDirectory() as folder:
        out, err, read = Path(folder) / "out", Path(folder) / "err", Path(folder) / "in"
        read.write_text(fed)
        with out.open("wb") as said, err.open("wb") as complained, read.open("rb") as reads:
            files = (reads.fileno(), said.fileno(), complained.fileno())
            started = Started(arguments, files, inside, given)
        try:
            code = started.wait(timeout)
        finally:
            started.close()
        return subprocess.CompletedProcess(arguments, code, out.read_text(), err.read_text())


class Started:
    """A process that was started so, with three files (standard input, output, error). Its parent tells its exit code over a line."""

    def __init__(
        self, arguments: list[str], files: tuple[int, int, int], inside: str = "", given: Mapping[str, str] | None = None,
        *, service: bool = False, rights: Rights = Rights.ALL,
    ) -> None:  # fmt: skip
        self._line = socket.socket(socket.AF_UNIX)
        self._line.settimeout(PATIENCE)
        self._line.connect(str(_place()))
        asked = json.dumps([arguments, inside, dict(given or {}), service, rights]).encode()
        socket.send_fds(self._line, [asked + b"\n"], list(files))
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


class Process(Started):
    """A service that writes what it says into a file."""

    def __init__(
        self, arguments: list[str], said: int, inside: str = "", rights: Rights = Rights.ALL, given: Mapping[str, str] | None = None
    ) -> None:  # fmt: skip
        with open(os.devnull, "rb") as nothing:
            super().__init__(arguments, (nothing.fileno(), said, said), inside, given, service=True, rights=rights)


def fork_server() -> None:
    """Begin with a fork of this process, which has imported much already and has no threads yet."""
    global _server
    folder = Path(tempfile.mkdtemp())
    with _door(folder / "line") as door:
        pid = os.fork()
        if not pid:
            try:
                signal.signal(signal.SIGTERM, signal.SIG_DFL)
                _serve(door)
            finally:
                os._exit(70)
    _server = _Server(pid, folder)


def end_server() -> None:
    """End the process that forks."""
    global _server
    if _server is not None:
        _server.end()
        _server = None


def _place() -> Path:
    """Where the process that forks is asked; it is begun where there is none."""
    global _server
    with _lock:
        if _server is None:
            folder = Path(tempfile.mkdtemp())
            process = subprocess.Popen(
                [sys.executable, "-m", "tests.support.quick_start", str(folder / "line")], env=environment(), stdout=subprocess.PIPE,
                stdin=subprocess.DEVNULL,
            )  # fmt: skip
            assert process.stdout is not None
            process.stdout.readline()
            process.stdout.close()
            _server = _Server(process.pid, folder)
            process.returncode = 0  # we wait for it ourselves
            atexit.register(end_server)
        return _server.place


def give_up_rights(rights: Rights) -> None:
    """Make this process one of an account without rights, but for those that it keeps (see capabilities(7))."""
    libc = ctypes.CDLL(None, use_errno=True)
    keep_capabilities, drop_bound, ambient, ambient_raise, last = 8, 24, 47, 2, 40
    kept = [CAP_NET_RAW] if rights is Rights.RAW_FRAMES else []
    for capability in range(last + 1):
        if capability not in kept:
            libc.prctl(drop_bound, capability, 0, 0, 0)
    libc.prctl(keep_capabilities, 1 if kept else 0, 0, 0, 0)
    os.setgroups([])
    os.setresgid(NOBODY, NOBODY, NOBODY)
    os.setresuid(NOBODY, NOBODY, NOBODY)
    mask = sum(1 << capability for capability in kept)
    head = struct.pack("=Ii", 0x20080522, 0)
    body = struct.pack("=6I", mask, mask, mask, 0, 0, 0)
    if libc.capset(head, body):
        raise OSError(ctypes.get_errno(), "capset")
    for capability in kept:
        libc.prctl(ambient, ambient_raise, capability, 0, 0)
    libc.prctl(4, 1, 0, 0, 0)  # PR_SET_DUMPABLE: what it says of itself in /proc stays its own account's


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


def leave(code: int) -> None:
    """End a process that was forked: only what it said is written out."""
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(code)


def main() -> None:
    """Serve until killed."""
    with _door(Path(sys.argv[1])) as door:
        print("ready", flush=True)
        _serve(door)


def _door(place: Path) -> socket.socket:
    door = socket.socket(socket.AF_UNIX)
    door.bind(str(place))
    door.listen(64)
    return door


def _serve(door: socket.socket) -> None:
    os.environ.update(environment())
    time.tzset()
    waiting = selectors.DefaultSelector()
    waiting.register(door, selectors.EVENT_READ)
    while True:
        for key, _ in waiting.select():
            if key.data is None:
                _fork(door, waiting)
            else:
                waiting.unregister(key.fd)
                os.close(key.fd)
                _told(*key.data)


def _fork(door: socket.socket, waiting: selectors.BaseSelector) -> None:
    """Start what is asked for; `waiting` then says when it has ended."""
    line, _ = door.accept()
    asked, files, _, _ = socket.recv_fds(line, 1 << 16, 3)
    arguments, inside, given, service, rights = json.loads(asked)
    if service:
        from even_roster.service import run  # noqa: F401  once for all that are started
    else:
        from even_roster.cli import main as commands  # noqa: F401

    child = os.fork()
    if not child:
        door.close()
        for key in waiting.get_map().values():
            if key.data is not None:
                os.close(key.fd)
                key.data[1].close()
        line.close()
        os.environ.update(given)
        _run(arguments, files, inside, Rights(rights))
    for one in files:
        os.close(one)
    line.sendall(f"{child}\n".encode())
    waiting.register(os.pidfd_open(child), selectors.EVENT_READ, (child, line))


def _told(child: int, line: socket.socket) -> None:
    """Collect what has ended, so that its processor time is counted, and tell whoever started it."""
    _, status = os.waitpid(child, 0)
    with line, contextlib.suppress(OSError):  # its reader may have ended
        line.sendall(f"{os.waitstatus_to_exitcode(status)}\n".encode())


def _run(arguments: list[str], files: list[int], inside: str, rights: Rights) -> None:
    """In a process of its own: the command; never returns."""
    code = 70
    try:
        for number, one in enumerate(files):
            os.dup2(one, number)
            os.close(one)
        if inside:
            enter(inside)
        if rights is not Rights.ALL:
            give_up_rights(rights)
        from even_roster.cli import main as commands

        sys.argv = ["roster", *arguments]
        code = commands.run(arguments)
    except BaseException:
        traceback.print_exc()
    finally:
        leave(code)


if __name__ == "__main__":
    main()
