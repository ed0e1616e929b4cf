"""Floods a link with ARP announcements that contradict what is known there, at a pace, until it is ended.

foreign: two MACs claim 20,000 addresses of other subnets in turn. planned: two MACs claim the 254 addresses of the street. made-up: a
MAC apiece claims an address of the street.
"""

from __future__ import annotations

import contextlib
import itertools
import socket
import sys
import time
from collections.abc import Iterator
from ipaddress import IPv4Address

from even_roster.core.mac import Mac, MacNumber
from even_roster.wire import arp, ethernet

_STREET, _FOREIGN = int(IPv4Address("10.77.0.0")), int(IPv4Address("192.168.0.1"))


def _claims(what: str) -> Iterator[tuple[int, int]]:
    """MACs and addresses, for ever."""
    for number in itertools.count():
        if what == "foreign":
            yield 0x02C0EEEE0000 + number % 2, _FOREIGN + number % 20_000
        elif what == "planned":
            yield 0x02C0EEEE0010 + number // 254 % 2, _STREET + 1 + number % 254
        else:
            yield 0x02C0EF000000 + number, _STREET + 1 + number % 254


def main() -> None:
    """Says when it begins; what came of it at its end."""
    what, pace = sys.argv[1], int(sys.argv[2])
    with socket.socket(socket.AF_PACKET, socket.SOCK_RAW) as sock:
        sock.bind(("eth0", 0))
        print(time.time(), flush=True)
        began = time.monotonic()
        for sent, (mac, address) in enumerate(_claims(what)):
            ahead = began + sent / pace - time.monotonic()
            if ahead > 0:
                time.sleep(ahead)
            with contextlib.suppress(OSError):
                sock.send(ethernet.encode(arp.announcement(Mac(MacNumber(mac)), IPv4Address(address))))


if __name__ == "__main__":
    main()
