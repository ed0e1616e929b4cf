"""Ties a socket to an adapter."""

from __future__ import annotations

import socket

from ..core.adapters import Adapter
from .segment import SegmentError

_SO_BINDTODEVICE = 25


def bind_to(sock: socket.socket, adapter: Adapter) -> None:
    """Tie a socket to an adapter, by name where the system allows it, else by its address."""
    try:
        sock.setsockopt(socket.SOL_SOCKET, _SO_BINDTODEVICE, adapter.name.encode() + b"\0")
    except OSError:
        if adapter.addresses and sock.type != socket.SOCK_RAW:
            sock.bind((str(adapter.addresses[0].ip), 0))


def interface_index(adapter: Adapter) -> int:
    """The kernel's number of an adapter. Raises SegmentError when it is gone."""
    try:
        return socket.if_nametoindex(adapter.name)
    except OSError as error:
        raise SegmentError(f"adapter {adapter.name} is gone: {error}") from error
