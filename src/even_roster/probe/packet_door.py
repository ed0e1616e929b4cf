"""Raw frames through AF_PACKET (packet(7)), with a filter in the kernel. Needs CAP_NET_RAW, nothing else."""

from __future__ import annotations

import contextlib
import ctypes
import errno
import select
import socket
import struct
import time
from collections.abc import Sequence

from ..core.adapters import Adapter
from ..core.mac import Mac
from .segment import SegmentError

_ETH_P_ALL = 0x0003
_SO_ATTACH_FILTER = 26
_SO_RCVBUFFORCE = 33
_SOL_PACKET, _PACKET_IGNORE_OUTGOING = 263, 23
_PACKET_ADD_MEMBERSHIP, _PACKET_STATISTICS = 1, 6
_PACKET_MR_MULTICAST, _PACKET_MR_ALLMULTI, _PACKET_MR_UNICAST = 0, 2, 3
MOST_SOUGHT = 200
_GROUPS = (
    bytes.fromhex("0180c200000e"), bytes.fromhex("01005e0000fb"), bytes.fromhex("01005e000012"),
)  # LLDP, mDNS, VRRP  # fmt: skip
_BATCH = 512
_WANTED_BUFFER = 8 << 20


class PacketDoor:
    """One AF_PACKET socket on one interface, with a kernel-side filter so that a busy link costs nothing here."""

    def __init__(
        self, adapter: Adapter, *, listening: bool = False, client: Mac | None = None, replies: bool = False,
        sought: Sequence[Mac] | None = None,
    ) -> None:  # fmt: skip
        """`listening` lets through what devices tell everybody instead of what answers a sweep; with `client` it is what
        DHCP servers answer to that MAC, which need not be the adapter's; with `replies` it is ARP replies alone; with `sought`
        it is ARP, and all that up to MOST_SOUGHT MACs send."""
        assert adapter.mac is not None
        try:
            self._socket = socket.socket(socket.AF_PACKET, socket.SOCK_RAW, 0)
        except OSError as error:
            raise SegmentError("this account may not open raw frames (CAP_NET_RAW is missing)") from error
        try:
            if sought is not None:
                program = _sought(sought[:MOST_SOUGHT])
            else:
                program = (
                    _LISTENING
                    if listening
                    else _DHCP_ANSWERS
                    if client
                    else _REPLIES
                    if replies
                    else _program(adapter.mac)
                )
            _attach_filter(self._socket, program)
            with contextlib.suppress(OSError):
                self._socket.setsockopt(_SOL_PACKET, _PACKET_IGNORE_OUTGOING, 1)
            try:
                self._socket.setsockopt(socket.SOL_SOCKET, _SO_RCVBUFFORCE, _WANTED_BUFFER)
            except OSError:
                self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, _WANTED_BUFFER)
            self._socket.bind((adapter.name, _ETH_P_ALL))
            if listening:
                _join(self._socket, adapter, _PACKET_MR_MULTICAST, _GROUPS)
            elif client is not None:
                _join(self._socket, adapter, _PACKET_MR_UNICAST, (client.to_bytes(),))
            elif sought is not None:
                _join(self._socket, adapter, _PACKET_MR_ALLMULTI, (b"",))
        except OSError as error:
            self._socket.close()
            raise SegmentError(f"raw frames on {adapter.name} are not possible: {error.strerror}") from error
        self._socket.setblocking(False)
        self._read_until = time.monotonic()
        self._poll = select.poll()
        self._poll.register(self._socket, select.POLLIN)

    def now(self) -> float:
        """Monotonic seconds."""
        return time.monotonic()

    def send(self, frame: bytes) -> None:
        """Send one frame; waits briefly while the adapter's queue is full. Raises SegmentError."""
        for _ in range(200):
            try:
                self._socket.send(frame)
                return
            except OSError as error:
                if error.errno not in (errno.ENOBUFS, errno.EAGAIN):
                    raise SegmentError(f"the link is gone: {error.strerror}") from error
                time.sleep(0.0005)
        raise SegmentError("the adapter's queue stays full: it sends nothing")

    def receive(self, timeout: float) -> Sequence[tuple[float, bytes]]:
        """See FrameDoor.receive."""
        empty = not self._poll.poll(max(timeout, 0.0) * 1000)
        at = time.monotonic()
        if empty:
            self._read_until = at
            return ()
        frames = []
        for _ in range(_BATCH):
            try:
                frames.append((at, self._socket.recv(2048)))
            except BlockingIOError:
                self._read_until = at
                break
            except OSError as error:
                raise SegmentError(f"the link is gone: {error.strerror}") from error
        return frames

    def read_until(self) -> float:
        """See FrameDoor.read_until."""
        return self._read_until

    def lost(self) -> int:
        """Frames that the kernel had no room for since the last call (packet(7), PACKET_STATISTICS)."""
        _, dropped = struct.unpack("II", self._socket.getsockopt(_SOL_PACKET, _PACKET_STATISTICS, 8))
        return int(dropped)

    def close(self) -> None:
        """Close the socket."""
        self._socket.close()


_Instruction = tuple[int, int, int, int]
_LOAD_HALF, _LOAD_BYTE, _LOAD_WORD = 0x28, 0x30, 0x20
_HEADER_SIZE, _LOAD_HALF_BEHIND = 0xB1, 0x48
_JUMP_EQUAL, _JUMP_BITS, _RETURN = 0x15, 0x45, 0x06


def _program(own: Mac) -> list[_Instruction]:
    """Classic BPF: ARP; IPv4 to a group or to everyone; ICMP to us. Everything else stays in the kernel.

    Each row is (code, rows to skip if true, rows to skip if false, constant).
    """
    return [
        (_LOAD_HALF, 0, 0, 12),  # EtherType
        (_JUMP_EQUAL, 7, 0, 0x0806),
        (_JUMP_EQUAL, 0, 7, 0x0800),
        (_LOAD_BYTE, 0, 0, 0),  # first octet of the destination: its group bit
        (_JUMP_BITS, 4, 0, 0x01),
        (_LOAD_WORD, 0, 0, 0),  # first four octets of the destination
        (_JUMP_EQUAL, 0, 3, own.value >> 16),
        (_LOAD_BYTE, 0, 0, 23),  # IP protocol
        (_JUMP_EQUAL, 0, 1, 1),
        (_RETURN, 0, 0, 0xFFFF),
        (_RETURN, 0, 0, 0),
    ]


# ARP; LLDP; IPv4 that is no later fragment and is VRRP, or UDP to 67, 68 or 5353, or UDP to everyone. Nothing else.
_LISTENING: list[_Instruction] = [
    (_LOAD_HALF, 0, 0, 12),  # EtherType
    (_JUMP_EQUAL, 15, 0, 0x0806),
    (_JUMP_EQUAL, 14, 0, 0x88CC),
    (_JUMP_EQUAL, 0, 12, 0x0800),
    (_LOAD_BYTE, 0, 0, 23),  # IP protocol
    (_JUMP_EQUAL, 11, 0, 112),
    (_JUMP_EQUAL, 0, 9, 17),
    (_LOAD_HALF, 0, 0, 20),  # fragment offset
    (_JUMP_BITS, 7, 0, 0x1FFF),
    (_HEADER_SIZE, 0, 0, 14),
    (_LOAD_HALF_BEHIND, 0, 0, 16),  # destination port
    (_JUMP_EQUAL, 5, 0, 67),
    (_JUMP_EQUAL, 4, 0, 68),
    (_JUMP_EQUAL, 3, 0, 5353),
    (_LOAD_WORD, 0, 0, 0),  # first four octets of the destination
    (_JUMP_EQUAL, 1, 0, 0xFFFFFFFF),
    (_RETURN, 0, 0, 0),
    (_RETURN, 0, 0, 0xFFFF),
]


# ARP replies.
_REPLIES: list[_Instruction] = [
    (_LOAD_HALF, 0, 0, 12),  # EtherType
    (_JUMP_EQUAL, 0, 3, 0x0806),
    (_LOAD_HALF, 0, 0, 20),  # operation
    (_JUMP_EQUAL, 0, 1, 2),
    (_RETURN, 0, 0, 0xFFFF),
    (_RETURN, 0, 0, 0),
]


# UDP to the client's port, in packets that are no later fragments.
_DHCP_ANSWERS: list[_Instruction] = [
    (_LOAD_HALF, 0, 0, 12),  # EtherType
    (_JUMP_EQUAL, 0, 8, 0x0800),
    (_LOAD_BYTE, 0, 0, 23),  # IP protocol
    (_JUMP_EQUAL, 0, 6, 17),
    (_LOAD_HALF, 0, 0, 20),  # fragment offset
    (_JUMP_BITS, 4, 0, 0x1FFF),
    (_HEADER_SIZE, 0, 0, 14),
    (_LOAD_HALF_BEHIND, 0, 0, 16),  # destination port
    (_JUMP_EQUAL, 0, 1, 68),
    (_RETURN, 0, 0, 0xFFFF),
    (_RETURN, 0, 0, 0),
]


def _sought(macs: Sequence[Mac]) -> list[_Instruction]:
    """ARP, and frames whose source ends in the last four octets of one of some MACs; the rest is told apart behind it."""
    count = len(macs)
    ends = [(_JUMP_EQUAL, count - place, 0, mac.value & 0xFFFFFFFF) for place, mac in enumerate(macs)]
    return [
        (_LOAD_HALF, 0, 0, 12),  # EtherType
        (_JUMP_EQUAL, count + 2, 0, 0x0806),
        (_LOAD_WORD, 0, 0, 8),  # last four octets of the source
        *ends,
        (_RETURN, 0, 0, 0),
        (_RETURN, 0, 0, 0xFFFF),
    ]


def _join(sock: socket.socket, adapter: Adapter, kind: int, addresses: Sequence[bytes]) -> None:
    """Have the adapter hand over frames to more addresses than its own (struct packet_mreq of packet(7))."""
    index = socket.if_nametoindex(adapter.name)
    for address in addresses:
        request = struct.pack("iHH8s", index, kind, len(address), address)
        with contextlib.suppress(OSError):
            sock.setsockopt(_SOL_PACKET, _PACKET_ADD_MEMBERSHIP, request)


def _attach_filter(sock: socket.socket, program: list[_Instruction]) -> None:
    """Hand a filter to the kernel (struct sock_fprog of linux/filter.h); it copies the rows during the call."""
    rows = ctypes.create_string_buffer(b"".join(struct.pack("=HBBI", *row) for row in program))
    head = struct.pack("@HP", len(program), ctypes.addressof(rows))
    sock.setsockopt(socket.SOL_SOCKET, _SO_ATTACH_FILTER, head)
