"""Adapters of this machine as values, and which of them a scan goes out of, with the reason. Pure."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Interface, IPv4Network

from .mac import Mac
from .span import SpanSet


class AdapterError(ValueError):
    """No adapter fits; the message says which there are."""


@dataclass(frozen=True, slots=True)
class Adapter:
    """A network interface of a computer. `medium` is 'wired', 'wireless', 'loopback' or 'virtual'; `mtu` in octets."""

    name: str
    mac: Mac | None
    addresses: tuple[IPv4Interface, ...]
    mtu: int = 1500
    medium: str = "wired"
    up: bool = True
    gateway: IPv4Address | None = None
    dns: tuple[IPv4Address, ...] = ()

    @property
    def networks(self) -> list[IPv4Network]:
        """The subnets this adapter stands in."""
        return [address.network for address in self.addresses]

    @property
    def onlink(self) -> SpanSet:
        """Every address that ARP on this adapter can reach."""
        return SpanSet.of(self.networks)


@dataclass(frozen=True, slots=True)
class Choice:
    """The adapter that is used, and why, as a sentence to show."""

    adapter: Adapter
    reason: str


def choose(adapters: Sequence[Adapter], targets: SpanSet | None, wanted: str | None) -> Choice:
    """The adapter to scan from. Raises AdapterError, never guesses between equals without saying so."""
    if wanted is not None:
        return _named(adapters, wanted)
    usable = [a for a in adapters if a.up and a.addresses and a.medium != "loopback"]
    if not usable:
        raise AdapterError("no adapter of this machine is up with an IPv4 address; plug in a cable or set an address")
    if targets:
        reach = [(len(targets & adapter.onlink), adapter) for adapter in usable]
        most, adapter = max(reach, key=lambda pair: pair[0])
        if most:
            rivals = [a.name for covered, a in reach if covered == most and a is not adapter]
            note = f"; {', '.join(rivals)} would do as well" if rivals else ""
            return Choice(adapter, f"{adapter.name} stands in the subnet of the range{note}")
    routed = [a for a in usable if a.gateway is not None]
    if routed:
        return Choice(routed[0], f"{routed[0].name} has the default route by {routed[0].gateway}")
    others = ", ".join(a.name for a in usable[1:])
    note = f" (the others: {others}; name one to change it)" if others else ""
    return Choice(usable[0], f"{usable[0].name} is the first adapter with an address{note}")


def _named(adapters: Sequence[Adapter], wanted: str) -> Choice:
    for adapter in adapters:
        if adapter.name == wanted:
            if not adapter.up:
                raise AdapterError(f"adapter {wanted} is down; bring it up or name another")
            if not adapter.addresses:
                raise AdapterError(f"adapter {wanted} has no IPv4 address; set one or name another")
            return Choice(adapter, f"{wanted} was asked for")
    there = ", ".join(a.name for a in adapters if a.addresses) or "none with an address"
    raise AdapterError(f"there is no adapter {wanted!r} here; there are: {there}")
