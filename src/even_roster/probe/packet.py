"""The packet segment: raw frames for the sweep, the kernel's sockets for names and ports."""

from __future__ import annotations

import socket
from collections.abc import Sequence

from ..core.adapters import Adapter
from ..core.mac import Mac
from .binding import bind_to
from .packet_door import PacketDoor
from .segment import Abilities, NeighbourDoor, SegmentError
from .sockets import KernelSockets


class PacketSegment:
    """Raw frames for the sweep, the kernel's sockets for names and ports."""

    kind = "packet"
    own_process = True

    def __init__(self, adapter: Adapter) -> None:
        self.adapter = adapter
        self._sockets = KernelSockets(adapter)
        self.datagram = self._sockets.datagram
        self.stream = self._sockets.stream
        self.close = self._sockets.close

    def abilities(self) -> Abilities:
        """Everything on the link is visible."""
        return Abilities(frames=True, echo=True, neighbours=False)

    def frames(self) -> PacketDoor:
        """Open raw frames. Raises SegmentError."""
        return PacketDoor(self.adapter)

    def frames_as(self, client: Mac) -> PacketDoor:
        """Open raw frames for a DHCP client that is not this machine. Raises SegmentError."""
        return PacketDoor(self.adapter, client=client)

    def arp_answers(self) -> PacketDoor:
        """Open raw frames for ARP replies alone. Raises SegmentError."""
        return PacketDoor(self.adapter, replies=True)

    def listen(self) -> PacketDoor:
        """Open a door for what devices tell everybody. Raises SegmentError."""
        return PacketDoor(self.adapter, listening=True)

    def seek(self, macs: Sequence[Mac]) -> PacketDoor:
        """Open a door for ARP and all that some MACs send. Raises SegmentError."""
        return PacketDoor(self.adapter, sought=macs)

    def neighbours(self) -> NeighbourDoor:
        """Never possible here; raw frames see more."""
        raise SegmentError("this segment works with raw frames")


def frames_permitted(adapter: Adapter) -> bool:
    """True when this process may open raw frames on the adapter: found out by trying."""
    if adapter.mac is None:
        return False
    try:
        with socket.socket(socket.AF_PACKET, socket.SOCK_RAW, 0) as sock:
            bind_to(sock, adapter)
    except (OSError, AttributeError):
        return False
    return True
