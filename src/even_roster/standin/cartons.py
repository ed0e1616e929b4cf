"""Cartons: devices of the simulated site that are still as they came from their makers, and what a person does with them: plug them
in, pull their power, type settings into their page. What they do on the wire is bytes; nothing here tells the product about it.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from ipaddress import IPv4Address, IPv4Interface

from ..core.mac import BROADCAST, Mac
from ..wire import arp, bootp, dhcp, ethernet, ipv4
from ..wire.dhcp import Kind, Message, Option
from ..wire.errors import WireError
from .cabling import Cabling
from .hosts import Host, HostNames
from .site import Site

STARTS_IN = 2.0
ASKS_EVERY = 5.0
QUIET_AFTER = 600.0


class CartonError(ValueError):
    """Something cannot be done with a carton; the message says why."""


@dataclass(frozen=True, slots=True)
class Settings:
    """What is typed into a device's page."""

    interface: IPv4Interface
    gateway: IPv4Address | None = None
    name: str = ""


@dataclass(slots=True, eq=False)
class Carton:
    """One device in its carton. `comes` is how it asks for or has its address: `address` with `factory`, `dhcp` or `bootp`.

    `forgets` what is typed in unless it is stored apart; `mask` is one it keeps whatever is typed in; a `dead` one says nothing.
    """

    label: str
    what: str
    mac: Mac
    vlan: int
    comes: str
    factory: IPv4Interface | None = None
    names: HostNames = field(default_factory=HostNames)
    ports: frozenset[int] = frozenset({80})
    forgets: bool = False
    mask: IPv4Interface | None = None
    dead: bool = False
    running: Settings | None = None
    stored: Settings | None = None
    host: Host | None = None
    starts: int = 0

    @property
    def powered(self) -> bool:
        """True when it has power; a dead one has it too."""
        return self.starts % 2 == 1

    @property
    def address(self) -> IPv4Address | None:
        """The address it has now."""
        return next(iter(self.host.addresses), None) if self.host is not None else None


class Shelf:
    """The cartons of a site."""

    def __init__(self, site: Site, cartons: Iterable[Carton]) -> None:
        self._site = site
        self.cartons = {carton.label: carton for carton in cartons}
        site.hearers.append(self._hears)

    def of(self, label: str) -> Carton:
        """One carton. Raises CartonError."""
        if label not in self.cartons:
            raise CartonError(f"there is no carton {label!r}; there are: {', '.join(self.cartons)}")
        return self.cartons[label]

    def power(self, label: str, on: bool) -> Carton:
        """Plug a device in, or pull its plug. Nothing happens where that is so already."""
        carton = self.of(label)
        with self._site.turn:
            if carton.powered == on:
                return carton
            carton.starts += 1
            if on:
                start = carton.starts
                self._site.at(self._site.elapsed() + STARTS_IN, lambda: self._start(carton, start))
            elif carton.host is not None:
                self._site.leave(carton.host)
                carton.host, carton.running = None, None
        return carton

    def type_in(self, label: str, settings: Settings, store: bool) -> Carton:
        """Type settings into a device's page, and press store where it has that. Raises CartonError."""
        carton = self.of(label)
        with self._site.turn:
            if carton.host is None:
                state = "is dead" if carton.dead and carton.powered else "has no power, or is still starting"
                raise CartonError(f"{label} {state}: its page cannot be opened")
            if not carton.host.addresses:
                raise CartonError(f"{label} has no address yet: its page cannot be opened")
            carton.running = settings
            if store or not carton.forgets:
                carton.stored = settings
            self._live(carton, settings.interface.ip)
        return carton

    def _start(self, carton: Carton, start: int) -> None:
        if carton.starts != start or carton.dead:
            return
        carton.running = carton.stored
        had = carton.running.interface.ip if carton.running else carton.factory.ip if carton.factory else None
        carton.host = Host(
            carton.label, carton.mac, (), carton.vlan, names=carton.names, ports=carton.ports, delay=0.004, says_name=False
        )  # fmt: skip
        self._site.plug(carton.host)
        if had is not None:
            self._live(carton, had)
        else:
            self._ask(carton, start, self._site.elapsed() + QUIET_AFTER)

    def _live(self, carton: Carton, address: IPv4Address) -> None:
        """It has an address now, and says so (RFC 5227 2.3)."""
        assert carton.host is not None
        self._site.readdress(carton.host, address)
        for frame in (arp.announcement(carton.mac, address), *self._strays(carton, address)):
            self._site.say(carton.vlan, ethernet.encode(frame))

    def _strays(self, carton: Carton, address: IPv4Address) -> list[ethernet.Frame]:
        """What betrays a mask: a datagram to the broadcast address that it makes with the address (RFC 919)."""
        if carton.mask is None or carton.running is None:
            return []
        to = IPv4Interface(f"{address}/{carton.mask.network.prefixlen}").network.broadcast_address
        body = ipv4.encode_udp(ipv4.Udp(137, 137, bytes(50)), address, to)
        packet = ipv4.encode(ipv4.Packet(address, to, ipv4.Protocol.UDP, body))
        return [ethernet.Frame(BROADCAST, carton.mac, ethernet.EtherType.IPV4, packet)]

    def _ask(self, carton: Carton, start: int, until: float) -> None:
        """Ask for an address, again and again (RFC 2131 4.4.1, RFC 951 7.1)."""
        if carton.starts != start or carton.host is None or carton.host.addresses or self._site.elapsed() > until:
            return
        number = int(self._site.elapsed() * 1000) & 0xFFFFFFFF
        if carton.comes == "bootp":
            asked = bootp.encode(bootp.Request(number, carton.mac, broadcast=True))
            self._site.say(carton.vlan, bootp.frame(asked, carton.mac, BROADCAST, dhcp.NOBODY, dhcp.EVERYBODY, False))
        else:
            message = Message(False, number, carton.mac, Kind.DISCOVER, broadcast=True)
            self._site.say(carton.vlan, dhcp.frame(message, carton.mac, BROADCAST))
            for answer in self._site.ask_dhcp(carton.vlan, message):
                self._answered(carton, answer)
        self._site.at(self._site.elapsed() + ASKS_EVERY, lambda: self._ask(carton, start, until))

    def _hears(self, vlan: int, frame: ethernet.Frame) -> None:
        """A frame goes over the wire that may be an answer to a carton (RFC 2131 4.1)."""
        try:
            packet = ipv4.decode(frame.payload)
            datagram = ipv4.decode_udp(packet, check=False)
        except WireError:
            return
        if datagram.destination_port != dhcp.CLIENT_PORT:
            return
        for carton in self.cartons.values():
            if carton.vlan != vlan or carton.host is None or carton.host.addresses:
                continue
            if carton.mac.to_bytes() != datagram.payload[28:34]:
                continue
            if carton.comes == "bootp":
                self._live(carton, IPv4Address(datagram.payload[16:20]))
                return
            try:
                self._answered(carton, dhcp.decode(datagram.payload))
            except WireError:
                continue

    def _answered(self, carton: Carton, answer: Message) -> None:
        """Take an offer, or an address (RFC 2131 3.1)."""
        if carton.host is None or carton.host.addresses:
            return
        server = answer.option(Option.SERVER)
        if answer.kind is Kind.ACK:
            self._live(carton, answer.yours)
        elif answer.kind is Kind.OFFER and server is not None:
            chosen = ((Option.ADDRESS, answer.yours.packed), (Option.SERVER, server))
            message = Message(False, answer.transaction, carton.mac, Kind.REQUEST, broadcast=True, options=chosen)
            self._site.say(carton.vlan, dhcp.frame(message, carton.mac, BROADCAST))
            for one in self._site.ask_dhcp(carton.vlan, message):
                self._answered(carton, one)


class StockedSite(Site):
    """A site with a shelf of cartons that nobody has unpacked, and with its cables."""

    shelf: Shelf
    cabling: Cabling

    def stock(self, cartons: Iterable[Carton]) -> None:
        """Put them on the shelf."""
        self.shelf = Shelf(self, cartons)
