"""Reads this machine's own network settings: adapters, addresses, gateways, DNS servers. Nothing is sent."""

from __future__ import annotations

import contextlib
import socket
import struct
from collections.abc import Sequence
from dataclasses import replace
from ipaddress import IPv4Address, IPv4Interface
from pathlib import Path
from typing import Protocol

import dns.exception
import dns.resolver
import psutil

from ..core.adapters import Adapter
from ..core.mac import Mac, MacError
from .kernel import KernelSegment
from .lending import KernelLender
from .packet import PacketSegment, frames_permitted
from .segment import Segment


class _Entry(Protocol):
    """What psutil says of one address of an adapter."""

    @property
    def family(self) -> int: ...
    @property
    def address(self) -> str: ...
    @property
    def netmask(self) -> str | None: ...


_ROUTES = Path("/proc/net/route")
_CLASS = Path("/sys/class/net")
_FLAG_GATEWAY = 0x2


def adapters() -> list[Adapter]:
    """Every adapter of this machine, those with an address first."""
    gateways, servers = _gateways(), tuple(_dns_servers())
    stats = psutil.net_if_stats()
    found = []
    for name, entries in psutil.net_if_addrs().items():
        stat = stats.get(name)
        found.append(
            Adapter(
                name=name,
                mac=_mac(entries),
                addresses=tuple(_addresses(entries)),
                mtu=stat.mtu if stat else 0,
                medium=_medium(name),
                up=bool(stat and stat.isup),
                gateway=gateways.get(name),
                dns=servers,
            )
        )
    return sorted(found, key=lambda a: (a.medium == "loopback", not a.addresses, a.name))


class RealMachine:
    """The computer this runs on."""

    simulated = False

    def __init__(self) -> None:
        self.hostname = socket.gethostname()
        self._lender = KernelLender()

    def adapters(self) -> list[Adapter]:
        """Read anew at each call: cables are plugged and unplugged. Addresses that are lent are none of its own."""
        lent = self._lender.lent
        if not lent:
            return adapters()
        return [replace(one, addresses=tuple(a for a in one.addresses if a.ip not in lent)) for one in adapters()]

    def lender(self) -> KernelLender:
        """See Machine.lender."""
        return self._lender

    def open(self, adapter: Adapter) -> Segment:
        """The best door to an adapter's network that this account may use: raw frames, else the kernel's table."""
        return PacketSegment(adapter) if frames_permitted(adapter) else KernelSegment(adapter)

    def dhcp_control(self, name: str) -> None:
        """See Machine.dhcp_control."""
        return None


def _addresses(entries: Sequence[_Entry]) -> list[IPv4Interface]:
    found = []
    for entry in entries:
        if entry.family == socket.AF_INET and entry.netmask:
            with contextlib.suppress(ValueError):
                found.append(IPv4Interface(f"{entry.address}/{entry.netmask}"))
    return found


def _mac(entries: Sequence[_Entry]) -> Mac | None:
    for entry in entries:
        if entry.family == psutil.AF_LINK:
            with contextlib.suppress(MacError):
                mac = Mac.parse(entry.address)
                return mac if mac.value else None
    return None


def _medium(name: str) -> str:
    if name == "lo":
        return "loopback"
    if (_CLASS / name / "wireless").exists() or (_CLASS / name / "phy80211").exists():
        return "wireless"
    return "wired" if (_CLASS / name / "device").exists() else "virtual"


def _gateways() -> dict[str, IPv4Address]:
    """The default route's gateway of each adapter, the lowest metric first (proc(5), /proc/net/route)."""
    best: dict[str, tuple[int, IPv4Address]] = {}
    try:
        rows = _ROUTES.read_text().splitlines()[1:]
    except OSError:
        return {}
    for row in rows:
        fields = row.split()
        if len(fields) < 8 or int(fields[1], 16) or int(fields[7], 16) or not int(fields[3], 16) & _FLAG_GATEWAY:
            continue
        address = IPv4Address(struct.pack("=I", int(fields[2], 16)))
        metric = int(fields[6])
        if fields[0] not in best or metric < best[fields[0]][0]:
            best[fields[0]] = metric, address
    return {name: address for name, (_, address) in best.items()}


def _dns_servers() -> list[IPv4Address]:
    try:
        servers = dns.resolver.Resolver().nameservers
    except (dns.exception.DNSException, OSError):
        return []
    found = []
    for server in servers:
        with contextlib.suppress(ValueError):
            found.append(IPv4Address(str(server)))
    return found
