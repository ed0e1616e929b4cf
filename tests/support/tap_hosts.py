"""Simulated hosts on a TAP link: a process of its own that answers ARP and echo at full speed.

Run as a module inside a network namespace: it makes the TAP device, gives it the scanner's address, and answers for
as many hosts as asked until it is ended. It is a test's own counterpart, independent of the product's codecs.
"""

from __future__ import annotations

import argparse
import fcntl
import os
import random
import select
import struct
import subprocess
import sys
import time
from collections import deque
from ipaddress import IPv4Interface

from even_roster.core.mac import MacNumber

_TUNSETIFF = 0x400454CA
_TAP_NO_INFO = 0x0002 | 0x1000
MAC_BASE = MacNumber(0x02C0F0000000)


def main() -> None:
    """Answer until stdin closes; then print the counts as one line."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--device", default="site0")
    parser.add_argument("--address", required=True, help="the scanner's own address with its prefix")
    parser.add_argument("--hosts", type=int, required=True)
    parser.add_argument("--first", type=int, default=10, help="offset of the first host in the subnet")
    parser.add_argument("--step", type=int, default=1, help="distance between hosts")
    parser.add_argument("--lose", type=float, default=0.0, help="part of the replies that is lost")
    parser.add_argument("--twice", type=int, default=0, help="so many hosts have a second MAC answering")
    parser.add_argument("--no-echo", action="store_true")
    parser.add_argument("--late", type=float, default=0.0, help="hosts at odd places come up after these seconds")
    parser.add_argument("--delay", type=float, default=0.0, help="every reply comes so many seconds later")
    parser.add_argument("--times", help="write the arrival time of every frame of a sweep to this file")
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    interface = IPv4Interface(options.address)
    handle = _tap(options.device, options.address)
    base = int(interface.network.network_address)
    places = [base + options.first + i * options.step for i in range(options.hosts)]
    print("ready", flush=True)
    _answer(handle, places, options)


def _tap(name: str, address: str) -> int:
    handle = os.open("/dev/net/tun", os.O_RDWR)
    fcntl.ioctl(handle, _TUNSETIFF, struct.pack("16sH", name.encode(), _TAP_NO_INFO))
    for command in (
        ["ip", "address", "add", address, "dev", name],
        ["ip", "link", "set", name, "txqueuelen", "10000"],
        ["ip", "link", "set", name, "up"],
    ):
        subprocess.run(command, check=True)
    os.set_blocking(handle, False)
    return handle


def _answer(handle: int, places: list[int], options: argparse.Namespace) -> None:
    hosts = {place: (MAC_BASE | number).to_bytes(6, "big") for number, place in enumerate(places)}
    second = {place: (MAC_BASE | 0x800000 | n).to_bytes(6, "big") for n, place in enumerate(places[: options.twice])}
    source = random.Random(options.seed)
    lose, echo, began = options.lose, not options.no_echo, 0.0
    times: list[float] | None = [] if options.times else None
    waiter = select.poll()
    waiter.register(handle, select.POLLIN)
    waiter.register(0, select.POLLIN | select.POLLHUP)
    asked = answered = 0
    waiting: deque[tuple[float, bytes]] = deque()

    def send(frame: bytes) -> None:
        if options.delay:
            waiting.append((time.monotonic() + options.delay, frame))
        else:
            _write(handle, frame)

    while True:
        if any(ready == 0 for ready, _ in waiter.poll(20 if waiting else None)) and not sys.stdin.readline():
            break
        while waiting and waiting[0][0] <= time.monotonic():
            _write(handle, waiting.popleft()[1])
        for _ in range(256):
            try:
                frame = os.read(handle, 2048)
            except BlockingIOError:
                break
            kind = frame[12:14]
            if kind == b"\x08\x06" and frame[20:22] == b"\0\1":
                asked += 1
                now = time.monotonic()
                began = began or now
                if times is not None:
                    times.append(now)
                target = int.from_bytes(frame[38:42], "big")
                mac = hosts.get(target)
                if mac is None or (options.late and target & 1 and now - began < options.late):
                    continue
                if lose and source.random() < lose:
                    continue
                answered += 1
                send(_arp_reply(frame, mac))
                if other := second.get(target):
                    send(_arp_reply(frame, other))
            elif kind == b"\x08\x00" and echo and frame[23] == 1 and frame[34] == 8:
                if times is not None:
                    times.append(time.monotonic())
                if not (lose and source.random() < lose):
                    send(_echo_reply(frame))
    if options.times:
        with open(options.times, "w") as file:
            file.write("\n".join(f"{moment:.6f}" for moment in times or []))
    print(f"asked {asked} answered {answered}", flush=True)


def _write(handle: int, frame: bytes) -> None:
    for _ in range(1000):
        try:
            os.write(handle, frame)
            return
        except BlockingIOError:
            time.sleep(0.0001)


def _arp_reply(frame: bytes, mac: bytes) -> bytes:
    reply = frame[6:12] + mac + b"\x08\x06" + frame[14:20] + b"\0\2" + mac + frame[38:42] + frame[22:28] + frame[28:32]
    return reply.ljust(60, b"\0")


def _echo_reply(frame: bytes) -> bytes:
    total = int.from_bytes(frame[16:18], "big")
    body = frame[38 : 14 + total]
    old = int.from_bytes(frame[36:38], "big")
    checksum = old + 0x0800
    checksum = (checksum & 0xFFFF) + (checksum >> 16)
    head = frame[6:12] + frame[:6] + frame[12:26] + frame[30:34] + frame[26:30]
    return head + b"\0\0" + checksum.to_bytes(2, "big") + body


if __name__ == "__main__":
    main()
