"""A second claimant of an address: answers ARP late, by unicast alone, or not at all, and says that it has the address.

Run as a module inside a network namespace, on an adapter without that address, so that no kernel answers for it.
"""

from __future__ import annotations

import argparse
import contextlib
import heapq
import select
import socket
import time
from ipaddress import IPv4Address

from even_roster.core.mac import Mac
from even_roster.wire import arp, ethernet


def main() -> None:
    """Until it is ended; says when it spoke first."""
    parser = argparse.ArgumentParser()
    parser.add_argument("mac")
    parser.add_argument("addresses", nargs="+")
    parser.add_argument("--device", default="eth0")
    parser.add_argument("--delay", type=float, default=0.0, help="every answer comes so many seconds late")
    parser.add_argument("--unicast", action="store_true", help="it answers only what is sent to its own MAC")
    parser.add_argument("--mute", action="store_true", help="it answers nothing")
    parser.add_argument("--every", type=float, default=0.0, help="it says so again every so many seconds")
    options = parser.parse_args()
    mac = Mac.parse(options.mac)
    mine = [IPv4Address(one) for one in options.addresses]
    words = [ethernet.encode(arp.announcement(mac, one)) for one in mine]
    with socket.socket(socket.AF_PACKET, socket.SOCK_RAW, socket.htons(0x0806)) as sock:
        sock.bind((options.device, 0x0806))
        print(time.time(), flush=True)
        due, waiting = time.monotonic(), list[tuple[float, bytes]]()
        while True:
            now = time.monotonic()
            if now >= due:
                for word in words:
                    _send(sock, word)
                due = now + options.every if options.every else float("inf")
            while waiting and waiting[0][0] <= now:
                _send(sock, heapq.heappop(waiting)[1])
            soonest = min(due, waiting[0][0] if waiting else due, now + 1.0)
            if not select.select([sock], [], [], max(soonest - now, 0.0))[0]:
                continue
            frame = ethernet.decode(sock.recv(2048))
            asked = arp.decode(frame.payload)
            wanted = (
                asked.operation is arp.Operation.REQUEST and asked.target_address in mine and asked.sender_mac != mac
            )
            if not wanted or options.mute or (options.unicast and frame.destination != mac):
                continue
            answer = arp.reply_to(asked, mac, asked.target_address)
            heapq.heappush(waiting, (time.monotonic() + options.delay, ethernet.encode(answer)))


def _send(sock: socket.socket, frame: bytes) -> None:
    with contextlib.suppress(OSError):  # until its cable is pulled
        sock.send(frame)


if __name__ == "__main__":
    main()
