"""Listening: frames in, what they tell out. An engine without I/O; `service` runs it in a thread beside a door.

Two steps, so that a busy link stays cheap: a frame that was read before within the same flush is only counted; the others
are kept as they are, up to a bound, and read when the batch is taken. Beyond the bound a sample is read, and the
batch says how many frames were not. Frames are hostile: whatever cannot be read is counted and forgotten.
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from dataclasses import dataclass, field
from ipaddress import IPv4Address, IPv4Network

from ..core.address import Address, address_of, dotted
from ..core.findings.offers import Offer
from ..core.mac import BROADCAST, Mac, MacNumber
from ..core.names import Name, NameSource, heard
from ..core.stays import Sighting, Source
from ..wire import dhcp, dns_messages, ethernet, ipv4, lldp, vrrp
from ..wire.dhcp import Kind, Option
from ..wire.errors import WireError
from .dhcp_ask import offer_of

MOST_KEPT = 8_000
SAMPLE_EVERY = 8
MOST_LINES = 40
_ARP = b"\x08\x06"
_IPV4 = b"\x08\x00"
_LLDP = b"\x88\xcc"
_ARP_BODY = struct.Struct("!HHIIHII")  # of octets 20..42: operation, sender MAC and address, target MAC and address
_LINK_LOCAL = 0xA9FE


@dataclass(frozen=True, slots=True)
class NameTold:
    """A device (mac) at an address (0 when it has none yet) told its name."""

    mac: MacNumber
    address: Address
    name: Name


@dataclass(frozen=True, slots=True)
class NeighbourHeard:
    """An LLDP announcement and the MAC it came from."""

    mac: MacNumber
    neighbour: lldp.Neighbour


@dataclass(frozen=True, slots=True)
class Line:
    """One frame in words, for whoever watches: what protocol, who, and what it says."""

    protocol: str
    mac: MacNumber
    said: str


@dataclass(slots=True)
class Batch:
    """What was heard since the last batch; counts are frames, of which `unread` were left out in a storm. `replies` are ARP replies
    to this machine: they may answer a question of ours."""

    sightings: list[Sighting] = field(default_factory=list)
    replies: list[tuple[Address, MacNumber]] = field(default_factory=list)
    names: list[NameTold] = field(default_factory=list)
    offers: list[Offer] = field(default_factory=list)
    named_servers: list[tuple[MacNumber, int]] = field(default_factory=list)
    neighbours: list[NeighbourHeard] = field(default_factory=list)
    adverts: list[tuple[MacNumber, vrrp.Advertisement]] = field(default_factory=list)
    stray_questions: list[tuple[MacNumber, Address]] = field(default_factory=list)
    stray_broadcasts: list[tuple[MacNumber, Address]] = field(default_factory=list)
    lines: list[Line] = field(default_factory=list)
    frames: int = 0
    unread: int = 0
    broken: int = 0
    unforeseen: str = ""


class Ear:
    """Collects the frames of one link. `own` are MACs of this machine: what they say is not heard."""

    def __init__(self, own: frozenset[int], networks: tuple[IPv4Network, ...]) -> None:
        self._own, self._networks = own, networks
        self._fresh: dict[bytes, None] = {}
        self._others: list[bytes] = []
        self._frames = 0
        self._unread = 0

    def take(self, frame: bytes) -> None:
        """One frame came."""
        self._frames += 1
        if frame[12:14] == _ARP:
            key = frame[14:42]
            if key in self._fresh:
                return
            if len(self._fresh) >= MOST_KEPT and self._frames % SAMPLE_EVERY:
                self._unread += 1
                return
            self._fresh[key] = None
        elif len(self._others) < MOST_KEPT:
            self._others.append(frame)
        else:
            self._unread += 1

    def batch(self, at: int) -> Batch:
        """Read what was kept; `at` is the time of it, UTC ms."""
        found = Batch(frames=self._frames, unread=self._unread)
        fresh, self._fresh = self._fresh, {}
        others, self._others = self._others, []
        self._frames = self._unread = 0
        pairs: set[tuple[Address, MacNumber]] = set()
        for key in fresh:
            self._one(self._arp, key, found, pairs)
        for frame in dict.fromkeys(others):
            self._one(self._other, frame, found, pairs)
        found.sightings = [Sighting(address, mac, at, Source.OVERHEARD) for address, mac in pairs]
        return found

    def _one(
        self, read: Callable[[bytes, Batch, set[tuple[Address, MacNumber]]], None], frame: bytes, found: Batch,
        pairs: set[tuple[Address, MacNumber]],
    ) -> None:  # fmt: skip
        """Read one frame: whatever is wrong with it, the next one is read."""
        try:
            read(frame, found, pairs)
        except WireError:
            found.broken += 1
        except Exception as error:
            found.broken += 1
            found.unforeseen = f"{type(error).__name__}: {error} ({frame[:64].hex()})"

    def _arp(self, body: bytes, found: Batch, pairs: set[tuple[Address, MacNumber]]) -> None:
        if len(body) < 28 or body[:6] != b"\x00\x01\x08\x00\x06\x04":
            found.broken += 1
            return
        operation, high, low, sender, to_high, to_low, target = _ARP_BODY.unpack_from(body, 6)
        mac = high << 32 | low
        if operation not in (1, 2) or mac in self._own or not mac or high & 0x100:
            return
        if sender and operation == 2 and to_high << 32 | to_low in self._own:
            found.replies.append((sender, mac))
        elif sender:
            pairs.add((sender, mac))
            if operation == 1 and sender != target and self._outside(sender, target):
                found.stray_questions.append((mac, target))
        if len(found.lines) < MOST_LINES:
            found.lines.append(Line("ARP", mac, _arp_said(operation, sender, target)))

    def _outside(self, sender: int, target: int) -> bool:
        """True when a sender of one of our subnets asks for an address of none."""
        if target >> 16 == _LINK_LOCAL or not target or target >> 24 in (0, 127) or target >> 28 >= 0xE:
            return False
        mine = next((n for n in self._networks if IPv4Address(sender) in n), None)
        return mine is not None and not any(IPv4Address(target) in n for n in self._networks)

    def _other(self, frame: bytes, found: Batch, pairs: set[tuple[Address, MacNumber]]) -> None:
        outer = ethernet.decode(frame)
        mac = outer.source
        if mac.value in self._own or mac.unusable_as_source:
            return
        if outer.ethertype == lldp.ETHERTYPE:
            neighbour = lldp.decode(outer.payload)
            found.neighbours.append(NeighbourHeard(mac.value, neighbour))
            self._line(found, "LLDP", mac, f"I am {neighbour.name or neighbour.chassis}, port {neighbour.port}")
        elif outer.ethertype == ethernet.EtherType.IPV4:
            self._packet(outer, ipv4.decode(outer.payload), found, pairs)

    def _packet(
        self, outer: ethernet.Frame, packet: ipv4.Packet, found: Batch, pairs: set[tuple[Address, MacNumber]]
    ) -> None:  # fmt: skip
        mac = outer.source
        if packet.protocol == vrrp.PROTOCOL:
            advert = vrrp.decode(packet)
            found.adverts.append((mac.value, advert))
            shown = ", ".join(str(a) for a in advert.addresses[:4])
            self._line(found, "VRRP", mac, f"virtual router {advert.router} of {shown}, priority {advert.priority}")
            return
        if packet.protocol != ipv4.Protocol.UDP or packet.fragment_offset:
            return
        if outer.destination == BROADCAST:
            self._broadcast(mac, packet, found)
        datagram = ipv4.decode_udp(packet, check=False)
        if {datagram.source_port, datagram.destination_port} <= {dhcp.SERVER_PORT, dhcp.CLIENT_PORT}:
            self._dhcp(mac, dhcp.decode(datagram.payload), found)
        elif datagram.source_port == dns_messages.MDNS_PORT:
            self._mdns(mac, packet.source, datagram.payload, found, pairs)

    def _broadcast(self, mac: Mac, packet: ipv4.Packet, found: Batch) -> None:
        """A directed broadcast tells which subnet its sender believes to be in (RFC 919)."""
        target = address_of(packet.destination)
        mine = next((n for n in self._networks if packet.source in n), None)
        if mine is None or target == 0xFFFFFFFF or target == address_of(mine.broadcast_address):
            return
        if packet.destination.is_multicast or target == address_of(mine.network_address):
            return
        found.stray_broadcasts.append((mac.value, target))
        self._line(found, "IPv4", mac, f"{packet.source} sends to the broadcast address {packet.destination}")

    def _dhcp(self, mac: Mac, message: dhcp.Message, found: Batch) -> None:
        if message.reply:
            offer = offer_of(message, mac)
            if offer is not None:
                found.offers.append(offer)
            said = f"{message.kind.name} {message.yours} for {message.mac}"
        else:
            name = heard(message.text(Option.HOSTNAME), NameSource.DHCP_HEARD)
            if name is not None:
                found.names.append(NameTold(message.mac.value, address_of(message.client), name))
            server = message.address(Option.SERVER)
            if (
                server is not None
                and address_of(server)
                and not server.is_multicast
                and len(found.named_servers) < MOST_LINES
            ):
                found.named_servers.append((message.mac.value, address_of(server)))
            wanted = message.address(Option.ADDRESS)
            said = f"{message.kind.name}{f' {wanted}' if wanted else ''}{f', I am {name.name}' if name else ''}"
        if message.kind is not Kind.INFORM:
            self._line(found, "DHCP", mac, said)

    def _mdns(
        self, mac: Mac, source: IPv4Address, payload: bytes, found: Batch, pairs: set[tuple[Address, MacNumber]]
    ) -> None:  # fmt: skip
        """A host announces its own name: only one that fits the sender's address is believed (RFC 6762 8.3)."""
        if any(source in network for network in self._networks):
            pairs.add((address_of(source), mac.value))
        for text, address in dns_messages.decode_announcement(payload):
            name = heard(text, NameSource.MDNS_HEARD)
            if name is not None and address == source:
                found.names.append(NameTold(mac.value, address_of(address), name))
                self._line(found, "mDNS", mac, f"{address} is {name.name}")

    def _line(self, found: Batch, protocol: str, mac: Mac, said: str) -> None:
        if len(found.lines) < MOST_LINES:
            found.lines.append(Line(protocol, mac.value, said))


def _arp_said(operation: int, sender: int, target: int) -> str:
    if not sender:
        return f"does anybody have {dotted(target)}?"
    if sender == target:
        return f"{dotted(sender)} is mine"
    return f"{dotted(sender)} asks for {dotted(target)}" if operation == 1 else f"{dotted(sender)} answers"
