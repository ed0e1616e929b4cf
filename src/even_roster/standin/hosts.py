"""A simulated host: what it does with a frame, a datagram or a connection. Bytes in, bytes out, no clock of its own."""

from __future__ import annotations

from dataclasses import dataclass, field
from ipaddress import IPv4Address

from ..core.mac import Mac
from ..core.span import SpanSet
from ..wire import arp, dns_messages, ethernet, icmp, ipv4, netbios
from ..wire.errors import WireError

Timed = tuple[float, bytes]


@dataclass(frozen=True, slots=True)
class HostNames:
    """How a host is called, by whom: `dns` is what the site's DNS server says, the others what it says itself."""

    dns: str | None = None
    mdns: str | None = None
    netbios: str | None = None
    llmnr: str | None = None


@dataclass(frozen=True, slots=True)
class Awake:
    """When a host is on: for `on` of every `period` seconds, beginning at `offset`; always when `period` is 0."""

    period: float = 0.0
    on: float = 0.0
    offset: float = 0.0

    def at(self, now: float) -> bool:
        """True when the host is on at this time of the site."""
        return self.period == 0.0 or (now - self.offset) % self.period < self.on

    def sleeps_on(self, now: float) -> float:
        """Seconds until the host is on; 0 when it is."""
        return 0.0 if self.at(now) else self.period - (now - self.offset) % self.period


@dataclass(slots=True, eq=False)
class Host:
    """One adapter of one device on one VLAN.

    `delay` is its reply time in seconds; `echo` False is a firewall that drops echo; `mute` means it answers nothing
    and only its own `chatter` (frames sent every few seconds, unasked) gives it away; `routes` makes it
    a router between VLANs, `proxy_for` are addresses it answers ARP for; `by_dhcp` means it asks the site's server
    for its address, with its label as hostname where `says_name`; a `stubborn` one keeps what it once got and never
    renews. `announces` are frames it sends every half minute, such as LLDP.
    """

    label: str
    mac: Mac
    addresses: tuple[IPv4Address, ...]
    vlan: int
    names: HostNames = field(default_factory=HostNames)
    ports: frozenset[int] = frozenset()
    delay: float = 0.001
    echo: bool = True
    mute: bool = False
    routes: bool = False
    awake: Awake = field(default_factory=Awake)
    proxy_for: SpanSet = field(default_factory=SpanSet)
    chatter: tuple[bytes, ...] = ()
    by_dhcp: bool = False
    says_name: bool = True
    stubborn: bool = False
    announces: tuple[bytes, ...] = ()

    def on_arp(self, question: arp.Arp) -> list[Timed]:
        """Answer a question for an own address or one this host stands in for."""
        mine = question.target_address in self.addresses or question.target_address in self.proxy_for
        if self.mute or not mine or question.operation is not arp.Operation.REQUEST:
            return []
        return [(self.delay, ethernet.encode(arp.reply_to(question, self.mac, question.target_address)))]

    def nobody(self, packet: ipv4.Packet) -> bytes:
        """The word of a host that stands in for others: nobody is behind it at this address (RFC 792, host unreachable)."""
        original = ipv4.encode(packet)[:28]
        told = icmp.encode(icmp.Unreachable(1, original))
        return ipv4.encode(ipv4.Packet(self.addresses[0], packet.source, ipv4.Protocol.ICMP, told))

    def on_packet(self, packet: ipv4.Packet) -> bytes | None:
        """The answer to a packet sent to this host, as an IPv4 packet."""
        if self.mute or not self.echo or packet.protocol != ipv4.Protocol.ICMP:
            return None
        try:
            message = icmp.decode(packet.payload)
        except WireError:
            return None
        if not isinstance(message, icmp.Echo) or message.reply:
            return None
        reply = icmp.encode(icmp.Echo(True, message.identifier, message.sequence, message.payload))
        return ipv4.encode(ipv4.Packet(packet.destination, packet.source, ipv4.Protocol.ICMP, reply))

    def on_datagram(self, own: IPv4Address, port: int, payload: bytes) -> bytes | None:
        """The answer to a UDP payload sent to this host, or to a group it belongs to."""
        if self.mute:
            return None
        try:
            if port == netbios.PORT and self.names.netbios:
                return self._node_status(netbios.decode_request(payload), self.names.netbios)
            said = {dns_messages.MDNS_PORT: self.names.mdns, dns_messages.LLMNR_PORT: self.names.llmnr}.get(port)
            if said is None:
                return None
            transaction, address = dns_messages.decode_question(payload)
        except WireError:
            return None
        return dns_messages.encode_answer(transaction, address, (said,)) if address == own else None

    def _node_status(self, transaction: int, name: str) -> bytes:
        rows = (
            netbios.NodeName(name, netbios.WORKSTATION, False, True),
            netbios.NodeName("LARKSPUR", netbios.WORKSTATION, True, True),
            netbios.NodeName(name, netbios.SERVER, False, True),
        )
        return netbios.encode_status(netbios.NodeStatus(transaction, rows, self.mac))
