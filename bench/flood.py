"""Sends ARP questions of 2,000 hosts out of a device at a pace: `python -m bench.flood DEVICE PACE SECONDS`.

Prints 'ready', then how many frames were sent, then the processor seconds it took. Only for a link that a benchmark made.
"""

from __future__ import annotations

import socket
import sys
import time
from ipaddress import IPv4Address

from even_roster.core.mac import Mac, MacNumber
from even_roster.wire import arp, ethernet

HOSTS = 2000


def main() -> None:
    """Send, spread evenly over each millisecond."""
    device, pace, seconds = sys.argv[1], int(sys.argv[2]), int(sys.argv[3])
    base = int(IPv4Address("10.48.1.0"))
    frames = [
        ethernet.encode(
            arp.request(Mac(MacNumber(0x02C044000000 + n)), IPv4Address(base + n), IPv4Address("10.48.0.1"))
        )
        for n in range(HOSTS)
    ]
    with socket.socket(socket.AF_PACKET, socket.SOCK_RAW) as sock:
        sock.bind((device, 0))
        print("ready", flush=True)
        began, used, sent, total = time.monotonic(), time.process_time(), 0, pace * seconds
        while sent < total:
            due = min(int((time.monotonic() - began) * pace) + 1, total)
            for number in range(sent, due):
                sock.send(frames[number % HOSTS])
            sent = max(sent, due)
            time.sleep(0.001)
        print(sent, flush=True)
        print(f"{time.process_time() - used:.3f}", flush=True)


if __name__ == "__main__":
    main()
