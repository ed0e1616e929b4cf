"""A host that answers with malice: markup and control characters as names, truncated frames, wrong checksums."""

from __future__ import annotations

import random
import socket
import sys
import threading
import time

NAME = b"\x1b]0;owned\x07<script>alert(1)</script>\xe2\x80\xae\x00.local"


def main() -> None:
    """Answer mDNS and NetBIOS questions at an address, and throw broken frames at the link, until ended; says when it begins."""
    device, address = sys.argv[1:3]
    threading.Thread(target=_throw, args=(device,), daemon=True).start()
    names, services = (socket.socket(socket.AF_INET, socket.SOCK_DGRAM) for _ in range(2))
    services.bind((address, 137))
    names.bind((address, 5353))
    threading.Thread(target=_netbios, args=(services,), daemon=True).start()
    print("ready", flush=True)
    _mdns(names)


def _mdns(sock: socket.socket) -> None:
    while True:
        data, peer = sock.recvfrom(4096)
        question = data[12:]
        target = bytes([len(NAME)]) + NAME + b"\0"
        record = b"\xc0\x0c\0\x0c\0\1\0\0\0\x78" + len(target).to_bytes(2, "big") + target
        for answer in (b"\xff" * 9000, data[:2] + b"\x84\0\0\1\xff\xff\0\0\0\0" + question, b""):
            sock.sendto(answer, peer)
        sock.sendto(data[:2] + b"\x84\0\0\1\0\1\0\0\0\0" + question + record, peer)


def _netbios(sock: socket.socket) -> None:
    while True:
        data, peer = sock.recvfrom(4096)
        for length in (0, 11, 40, 60):
            sock.sendto((data[:2] + b"\x84\0\0\0\0\1\0\0\0\0" + data[12:] + b"\0\0\0\0\xff\xff\xff")[:length], peer)


def _throw(device: str) -> None:
    sock = socket.socket(socket.AF_PACKET, socket.SOCK_RAW)
    sock.bind((device, 0))
    source = random.Random(3)
    arp = (
        b"\xff" * 6
        + b"\x02\0\0\0\0\x09\x08\x06\0\1\x08\0\6\4\0\1\x02\0\0\0\0\x09\x0a\x4d\0\x0b"
        + bytes(6)
        + b"\x0a\x4d\0\2"
    )
    while True:
        broken = bytearray(arp.ljust(60, b"\0"))
        for _ in range(3):
            broken[source.randrange(12, 22)] = source.randrange(256)
        for frame in (bytes(broken), arp[: source.randrange(15, 41)], b"\xff" * 6 + source.randbytes(60)):
            sock.send(frame)
        time.sleep(0.01)


if __name__ == "__main__":
    main()
