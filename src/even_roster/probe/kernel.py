"""The kernel segment: a scan without any privileges."""

from __future__ import annotations

from collections.abc import Sequence

from ..core.adapters import Adapter
from ..core.mac import Mac
from .kernel_door import KernelDoor, echo_socket
from .segment import Abilities, FrameDoor, SegmentError
from .sockets import KernelSockets

NO_FRAMES = (
    "without raw frames a second MAC answering for one address cannot be seen; "
    "give the service CAP_NET_RAW to detect duplicates"
)
NO_FOREIGN = "without raw frames devices at foreign addresses (factory settings, 169.254.x.y) cannot be seen"
NO_ECHO = (
    "echo is not permitted to this account: reply times are not measured, "
    "and hosts behind the gateway are found by TCP connects only"
)


class KernelSegment:
    """What an ordinary account can see of a network."""

    kind = "kernel"
    own_process = False  # its pace is set by the size of the kernel's table, far below what could be disturbed

    def __init__(self, adapter: Adapter) -> None:
        self.adapter = adapter
        self._sockets = KernelSockets(adapter)
        self.datagram = self._sockets.datagram
        self.stream = self._sockets.stream
        self.close = self._sockets.close
        probe = echo_socket(adapter)
        self._echo = probe is not None
        if probe is not None:
            probe.close()

    def abilities(self) -> Abilities:
        """No raw frames; the limits say what that costs."""
        limits = (NO_FRAMES, NO_FOREIGN) if self._echo else (NO_FRAMES, NO_FOREIGN, NO_ECHO)
        return Abilities(frames=False, echo=self._echo, neighbours=True, limits=limits)

    def frames(self) -> FrameDoor:
        """Never possible here."""
        raise SegmentError("this account may not open raw frames (CAP_NET_RAW is missing)")

    def arp_answers(self) -> FrameDoor:
        """Never possible here."""
        raise SegmentError("this account may not open raw frames (CAP_NET_RAW is missing)")

    def frames_as(self, client: Mac) -> FrameDoor:
        """Never possible here."""
        raise SegmentError("this account may not ask for DHCP servers (CAP_NET_RAW is missing)")

    def listen(self) -> FrameDoor:
        """Never possible here."""
        raise SegmentError("this account may not listen (CAP_NET_RAW is missing)")

    def seek(self, macs: Sequence[Mac]) -> FrameDoor:
        """Never possible here."""
        raise SegmentError("this account may not look for a single device (CAP_NET_RAW is missing)")

    def neighbours(self) -> KernelDoor:
        """Open the kernel's table. Raises SegmentError."""
        return KernelDoor(self.adapter, self._echo)
