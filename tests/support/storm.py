"""Storms a service's door as somebody does who wants it shut: python -m tests.support.storm WHAT HOST PORT ADDRESSES COUNT [SECONDS].

silent: connections that say nothing. half: heads that never end. unread: downloads of the console that nobody reads. requests: one
after the other without credentials. ADDRESSES are ours, with commas. Says on a line how many it has, and how many were refused or ended,
when it has tried them all; then holds them until its standard input ends."""

from __future__ import annotations

import contextlib
import itertools
import re
import selectors
import socket
import sys
import time


def main() -> None:
    """See the module."""
    what, host, port, addresses, count = sys.argv[1:6]
    until = time.monotonic() + float(sys.argv[6]) if len(sys.argv) > 6 else 0.0
    ours = itertools.cycle(addresses.split(","))
    there = (host, int(port))
    if what == "requests":
        print(_requests(there, ours, int(count), until), 0, flush=True)
        return
    words = {"silent": b"", "half": b"GET /api/v1/here HTTP/1.1\r\nHost: x\r\nX-Long: ", "unread": b""}[what]
    if what == "unread":
        words = f"GET {_largest(there, ours)} HTTP/1.1\r\nHost: {host}\r\n\r\n".encode()
    lines, refused = [], 0
    for _ in range(int(count)):
        try:
            line = _connected(there, next(ours), buffer=2048 if what == "unread" else 0)
            line.sendall(words)
            lines.append(line)
        except OSError:
            refused += 1
    ended = 0
    with selectors.DefaultSelector() as looking:
        for line in lines:
            line.setblocking(False)
            looking.register(line, selectors.EVENT_READ)
        for key, _ in looking.select(0.5) if what != "unread" else []:
            try:
                ended += not isinstance(key.fileobj, int) and not key.fileobj.recv(1)  # type: ignore[attr-defined]
            except OSError:
                ended += 1
    print(len(lines), refused + ended, flush=True)
    sys.stdin.read()


def _connected(there: tuple[str, int], ours: str, buffer: int = 0) -> socket.socket:
    line = socket.socket()
    if buffer:
        line.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, buffer)
    line.settimeout(5)
    line.bind((ours, 0))
    line.connect(there)
    return line


def _largest(there: tuple[str, int], ours: itertools.cycle[str]) -> str:
    """The script that the console's first page names; asked for until there is a place."""
    while True:
        found = b""
        with contextlib.suppress(OSError), _connected(there, next(ours)) as line:
            line.sendall(f"GET / HTTP/1.1\r\nHost: {there[0]}\r\nConnection: close\r\n\r\n".encode())
            while part := line.recv(65536):
                found += part
        if (script := re.search(rb"/assets/index-[\w-]+\.js", found)) is not None:
            return script.group().decode()
        time.sleep(0.2)


def _requests(there: tuple[str, int], ours: itertools.cycle[str], at_once: int, until: float) -> int:
    """Ask on some connections at once, for a time and until one was answered; gives how many were."""
    answered = 0
    asked = f"GET /api/v1/here HTTP/1.1\r\nHost: {there[0]}\r\n\r\n".encode()
    with selectors.DefaultSelector() as looking:
        while time.monotonic() < until or not answered:
            while len(looking.get_map()) < at_once:
                try:
                    line = _connected(there, next(ours))
                    line.sendall(asked)
                    looking.register(line, selectors.EVENT_READ)
                except OSError:
                    break
            for key, _ in looking.select(0.1):
                line = key.fileobj  # type: ignore[assignment]
                try:
                    if part := line.recv(4096):
                        if part.endswith(b"}"):  # the answer is whole
                            answered += 1
                            line.sendall(asked)
                        continue
                except OSError:
                    pass
                looking.unregister(line)
                line.close()
    return answered


if __name__ == "__main__":
    main()
