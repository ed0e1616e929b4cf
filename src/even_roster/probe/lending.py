"""Lends an adapter an address for a short time, over rtnetlink (RFC 3549) through pyroute2. The kernel itself ends it: what is lent
has a lifetime (RFC 3549 3.2, IFA_CACHEINFO), so that nothing stays when the service dies. Needs CAP_NET_ADMIN.
"""

from __future__ import annotations

import contextlib
import errno
import socket
from collections.abc import Iterator
from ipaddress import IPv4Address, IPv4Network
from pathlib import Path
from typing import Any

from .segment import SegmentError

EARLIER = 2
"""So many seconds before the promised time the kernel is told to end it: it takes an address back up to a second late."""
_NET_ADMIN = 12
_UNICAST = 1
_SCOPE_LINK = 253
_STATUS = Path("/proc/self/status")


class KernelLender:
    """Addresses lent to the adapters of this machine."""

    def __init__(self) -> None:
        self.lent: set[IPv4Address] = set()

    def why_not(self) -> str:
        """Why this process may not lend anything; empty where it may."""
        with contextlib.suppress(OSError):
            for line in _STATUS.read_text().splitlines():
                if line.startswith("CapEff:") and int(line.split()[1], 16) >> _NET_ADMIN & 1:
                    return ""
        return "this account may not change adapters (CAP_NET_ADMIN is missing)"

    def routes(self) -> list[IPv4Network]:
        """Every unicast route but the default and those of what is lent, in every table."""
        with _kernel() as kernel:
            found = []
            for row in kernel.get_routes(family=socket.AF_INET):
                target = row.get_attr("RTA_DST")
                ours = IPv4Address(row.get_attr("RTA_PREFSRC") or 0) in self.lent
                if row["type"] == _UNICAST and row["dst_len"] and target and not ours:
                    found.append(IPv4Network((target, row["dst_len"]), strict=False))
            return found

    def lend(self, adapter: str, own: IPv4Address, device: IPv4Address, seconds: int) -> None:
        """Lend an adapter `own`, so that `device` is reached through it, for `seconds` from now; again for the same, it is for so
        long from now. Raises SegmentError."""
        lifetime = max(seconds - EARLIER, 1)
        fresh = own not in self.lent
        self.lent.add(own)
        try:
            self._put(adapter, own, device, lifetime)
        except SegmentError:
            if fresh:
                self.lent.discard(own)
            raise

    def _put(self, adapter: str, own: IPv4Address, device: IPv4Address, lifetime: int) -> None:
        with _kernel() as kernel:
            kernel.addr(
                "replace", index=_index(adapter), family=socket.AF_INET, local=str(own), address=str(device), prefixlen=32,
                scope=_SCOPE_LINK, preferred=lifetime, valid=lifetime,
            )  # fmt: skip

    def take_back(self, adapter: str, own: IPv4Address, device: IPv4Address) -> None:
        """Take an address back; nothing happens where it is gone already. Raises SegmentError."""
        try:
            with _kernel() as kernel, contextlib.suppress(OSError):
                index = socket.if_nametoindex(adapter)
                kernel.addr(
                    "del", index=index, family=socket.AF_INET, local=str(own), address=str(device), prefixlen=32
                )  # fmt: skip
        finally:
            self.lent.discard(own)


def _index(adapter: str) -> int:
    try:
        return socket.if_nametoindex(adapter)
    except OSError as error:
        raise SegmentError(f"there is no adapter {adapter} any more") from error


@contextlib.contextmanager
def _kernel() -> Iterator[Any]:
    """A conversation with the kernel; what it refuses is a SegmentError."""
    from pyroute2 import IPRoute  # a third of a second to import, and few ever need it
    from pyroute2.netlink.exceptions import NetlinkError

    try:
        with IPRoute() as kernel:
            yield kernel
    except NetlinkError as error:
        if error.code in (errno.EADDRNOTAVAIL, errno.ENODEV):
            return
        raise SegmentError(f"the kernel refused: {error.args[-1]}") from error
