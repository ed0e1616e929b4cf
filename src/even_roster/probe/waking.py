"""Sends magic packets on a link: as raw frames where they are permitted, else as a broadcast datagram."""

from __future__ import annotations

import contextlib
import socket
import threading
from ipaddress import IPv4Address, IPv4Network

from ..core.mac import Mac
from ..wire import wake
from .binding import bind_to
from .door_work import work_on
from .segment import FrameDoor, Segment, SegmentError

TIMES = 3
BETWEEN = 0.3


async def send(segment: Segment, mac: Mac, subnet: IPv4Network | None, password: bytes = b"") -> None:
    """Wake a MAC on a segment's link, TIMES times; `subnet` is the one it is in there. Raises SegmentError."""
    adapter = segment.adapter
    if adapter.mac is None:
        raise SegmentError(f"{adapter.name} has no MAC to send from")
    own = next((one.ip for one in adapter.addresses if subnet is not None and one.ip in subnet), None)
    broadcast = subnet.broadcast_address if subnet is not None else None
    if not segment.abilities().frames:
        _datagrams(segment, mac, broadcast or IPv4Address("255.255.255.255"), password)
        return
    frames = wake.frames(mac, adapter.mac, own, broadcast, password)
    door = segment.frames()

    def work(stop: threading.Event) -> None:
        for _ in range(TIMES):
            for frame in frames:
                door.send(frame)
            _rest(door, stop)

    await work_on(door, work)


def _rest(door: FrameDoor, stop: threading.Event) -> None:
    until = door.now() + BETWEEN
    while not stop.is_set() and (left := until - door.now()) > 0:
        door.receive(min(left, 0.1))


def _datagrams(segment: Segment, mac: Mac, broadcast: IPv4Address, password: bytes) -> None:
    try:
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sock:
            sock.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)
            with contextlib.suppress(SegmentError):
                bind_to(sock, segment.adapter)
            for _ in range(TIMES):
                sock.sendto(wake.encode(mac, password), (str(broadcast), wake.PORT))
    except OSError as error:
        raise SegmentError(f"nothing could be sent on {segment.adapter.name}: {error.strerror}") from error
