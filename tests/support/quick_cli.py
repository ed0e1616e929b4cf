"""Runs commands of the command line in processes of their own that need not import everything anew.

A server process imports the command line once and forks for every command; the child is a process like any other, with its own
standard output and error, and ends with the command's exit code. What a person starts is the same entry, `cli.main.run`.
"""

from __future__ import annotations

import atexit
import contextlib
import json
import os
import socket
import subprocess
import sys
import tempfile
import threading
from pathlib import Path

from .lab import environment

_lock = threading.Lock()
_server: tuple[subprocess.Popen[bytes], Path] | None = None


def roster(arguments: list[str], timeout: float) -> subprocess.CompletedProcess[str]:
    """Run one command; gives its exit code and what it said."""
    place = _place()
    with tempfile.TemporaryDirectory() as folder, socket.socket(socket.AF_UNIX) as line:
        out, err = Path(folder) / "out", Path(folder) / "err"
        line.settimeout(timeout)
        line.connect(str(place))
        line.sendall(json.dumps([arguments, str(out), str(err)]).encode() + b"\n")
        answer = line.recv(16)
        code = int(answer) if answer else 70  # it died without a word
        return subprocess.CompletedProcess(arguments, code, out.read_text(), err.read_text())


def _place() -> Path:
    global _server
    with _lock:
        if _server is None or _server[0].poll() is not None:
            folder = Path(tempfile.mkdtemp())
            place = folder / "line"
            process = subprocess.Popen(
                [sys.executable, "-m", "tests.support.quick_cli", str(place)], env=environment(), stdout=subprocess.PIPE,
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


def main() -> None:
    """Serve until killed."""
    import signal

    from even_roster.cli import main as commands

    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    with socket.socket(socket.AF_UNIX) as door:
        door.bind(sys.argv[1])
        door.listen(64)
        print("ready", flush=True)
        while True:
            line, _ = door.accept()
            if os.fork():
                line.close()
                continue
            signal.signal(signal.SIGCHLD, signal.SIG_DFL)
            arguments, out, err = json.loads(line.makefile("rb").readline())
            for name, number in ((out, 1), (err, 2)):
                os.dup2(os.open(name, os.O_WRONLY | os.O_CREAT, 0o600), number)
            sys.argv = ["roster", *arguments]
            code = 70
            try:
                code = commands.run(arguments)
            finally:
                sys.stdout.flush()
                sys.stderr.flush()
                line.sendall(str(code).encode())
                os._exit(code)


if __name__ == "__main__":
    main()
