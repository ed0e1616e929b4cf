"""Where whoever orders a port sits: that device is not cut off, and an order from a place that is not known is refused. Only
reads."""

from __future__ import annotations

from dataclasses import dataclass
from ipaddress import IPv4Address, IPv6Address, ip_address

from fastapi import Request
from sqlalchemy import Connection

from ...core.address import address_of
from ...core.mac import Mac, MacError, MacNumber
from ...store.edits import EditError
from ..context import Context
from ..switches.picture import Names
from ..switches.where import holders

HERE, UNKNOWN = "here", "unknown"
HOW = "say where you sit with my_device (--my-device): a MAC, an address, or SWITCH:PORT"
_FORWARDED = ("forwarded", "x-forwarded-for", "x-real-ip", "via")
"""Fields of a request that came through another server (RFC 7239, RFC 9110 7.6.3)."""


@dataclass(frozen=True, slots=True)
class Seat:
    """From where an order comes: the address of its connection, whether it came through another server, what is said besides."""

    client: str
    forwarded: bool = False
    said: str = ""


@dataclass(frozen=True, slots=True)
class Person:
    """Whoever sits there: by which MACs, at which port as is said (0: not said); `unknown` says why it is not known."""

    macs: tuple[MacNumber, ...] = ()
    port: int = 0
    unknown: str = ""


def seat(request: Request, said: str) -> Seat:
    """From where a request comes; `said` is an address, a MAC, SWITCH:PORT, here, unknown, or empty."""
    client = request.client.host if request.client is not None else ""
    return Seat(client, any(name in request.headers for name in _FORWARDED), said.strip())


def person(context: Context, connection: Connection, seat: Seat) -> Person:
    """Whoever sits there. At this machine itself there is nobody else. Raises EditError for words that mean nothing."""
    if seat.said == UNKNOWN:
        return Person(unknown=f"it is not known from where it is ordered: {HOW}")
    if seat.forwarded and seat.said in ("", HERE):
        return Person(unknown=f"it comes through another server, so it is not known from where: {HOW}")
    by_line = Person() if seat.forwarded else _at(context, connection, seat.client)
    if seat.said in ("", HERE):
        return by_line
    said = _said(context, connection, seat.said)
    return Person((*by_line.macs, *said.macs), said.port, by_line.unknown or said.unknown)


def _said(context: Context, connection: Connection, word: str) -> Person:
    try:
        return Person((Mac.parse(word).value,))
    except MacError:
        pass
    try:
        ip_address(word.partition("%")[0])
    except ValueError:
        return _by_port(context, connection, word)
    return _at(context, connection, word)


def _by_port(context: Context, connection: Connection, word: str) -> Person:
    name, _, port = word.partition(":")
    names = Names(context, connection)
    for switch in context.switches.switches.values():
        if names.switch(switch)[1].casefold() != name.strip().casefold():
            continue
        for one in switch.ports.values():
            if one.name.casefold() == port.strip().casefold():
                return Person(tuple(one.stays), one.id)
        raise EditError(f"{name.strip()} tells of no port {port.strip()!r}", "my_device")
    raise EditError(
        f"{word!r} is neither a MAC, an address, SWITCH:PORT of a switch that is read, nor 'here'", "my_device"
    )


def _at(context: Context, connection: Connection, text: str) -> Person:
    """The MACs of whoever is at an address, by which it reaches this machine."""
    try:
        given: IPv4Address | IPv6Address = ip_address(text.partition("%")[0])
    except ValueError:
        return Person()
    if given.is_loopback:
        return Person()
    if isinstance(given, IPv6Address):
        mapped = given.ipv4_mapped
        if mapped is None:
            return Person(
                unknown=f"it is not known on which port the device that orders it is connected, it comes by IPv6: {HOW}"
            )
        given = mapped
    adapters = context.machine.adapters()
    if given.is_loopback or any(given == one.ip for adapter in adapters for one in adapter.addresses):
        return Person()
    address = address_of(given)
    macs = holders(context, connection, address, None)
    if not macs:
        return Person(
            unknown=f"it is not known on which port the device that orders it is connected, nobody is known at {given}: {HOW}"
        )
    return Person(tuple(macs))
