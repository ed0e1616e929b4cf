"""A simulated site: hosts on VLANs, a router between them, a DNS server, and the way a frame takes. In memory only."""

from __future__ import annotations

import functools
import heapq
import math
import threading
import time
from collections import defaultdict, deque
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Network
from typing import Any, Concatenate, ParamSpec, TypeVar

from ..core.adapters import Adapter
from ..core.address import address_of
from ..core.dhcp import Scope
from ..core.mac import BROADCAST, Mac, MacNumber
from ..wire import arp, dhcp, dns_messages, ethernet, ipv4, wake
from ..wire.errors import WireError
from .dhcp_clients import Clients
from .dhcp_server import StandinDhcp
from .hosts import Awake, Host, Timed

ROUTER_DELAY = 0.0006
CHATTER_EVERY = 0.6
WAKES_IN = 3.0
SNMP_PORT = 161
TALK_EVERY = 30
P = ParamSpec("P")
T = TypeVar("T")


def _in_turn(method: Callable[Concatenate[Any, P], T]) -> Callable[Concatenate[Any, P], T]:
    """One thread at a time: what is due by now is done before anybody else looks."""

    @functools.wraps(method)
    def whole(site: Any, /, *args: P.args, **kwargs: P.kwargs) -> T:
        with site.turn:
            return method(site, *args, **kwargs)

    return whole


@dataclass(frozen=True, slots=True)
class SiteSubnet:
    """One subnet of the site and its VLAN."""

    name: str
    network: IPv4Network
    vlan: int


class Site:
    """Everything that is plugged in. `clock` and `sleep` can be a test's own. Any thread may ask: one has its `turn` at a time."""

    def __init__(
        self,
        name: str,
        subnets: Sequence[SiteSubnet],
        hosts: Iterable[Host],
        adapters: Sequence[Adapter],
        own_name: str,
        *,
        clock: Callable[[], float] = time.monotonic,
        sleep: Callable[[float], None] = time.sleep,
        epoch: float | None = None,
    ) -> None:
        self.name, self.subnets, self.adapters, self.own_name = name, tuple(subnets), tuple(adapters), own_name
        self.clock, self.sleep = clock, sleep
        self.turn = threading.RLock()
        self.started = clock()
        self.hosts: list[Host] = []
        self._holders: dict[tuple[int, int], list[Host]] = defaultdict(list)
        self._by_address: dict[int, list[Host]] = defaultdict(list)
        self._proxies: list[Host] = []
        self._vlan_of = {adapter.name: self._vlan(adapter) for adapter in adapters}
        self._routers: dict[int, set[Mac]] = defaultdict(set)
        self.epoch = time.time() if epoch is None else epoch
        self._dhcp: list[StandinDhcp] = []
        self._script: list[tuple[float, int, Callable[[], None]]] = []
        self._said: deque[tuple[float, int, bytes]] = deque(maxlen=4096)
        self._talkers: dict[int, list[list[Host]]] = {}
        self._clients = Clients(self._ask_dhcp, self.readdress)
        self.agents: dict[int, Callable[[bytes], bytes | None]] = {}
        self.slow: dict[int, float] = {}
        self.hearers: list[Callable[[int, ethernet.Frame], None]] = []
        for host in hosts:
            self.plug(host)

    @_in_turn
    def plug(self, host: Host) -> None:
        """Add a host to the site."""
        self.hosts.append(host)
        for address in host.addresses:
            self._holders[host.vlan, int(address)].append(host)
            self._by_address[int(address)].append(host)
        if host.proxy_for:
            self._proxies.append(host)
        if host.routes:
            self._routers[host.vlan].add(host.mac)
        self._talkers.pop(host.vlan, None)

    @_in_turn
    def at(self, seconds: float, action: Callable[[], None]) -> None:
        """Let something happen at a time of the site."""
        heapq.heappush(self._script, (seconds, len(self._script), action))

    @_in_turn
    def catch_up(self) -> None:
        """Do everything that is due by now: the script, renewals of leases."""
        now = self.elapsed()
        while self._script and self._script[0][0] <= now:
            heapq.heappop(self._script)[2]()
        self._clients.catch_up(now)

    @_in_turn
    def serve_dhcp(
        self, name: str, address: IPv4Address, scopes: list[Scope], *, joined: bool = True
    ) -> StandinDhcp:  # fmt: skip
        """Switch a DHCP server on. With `joined` the site's DHCP clients ask for their addresses then."""
        server = StandinDhcp(name, address, scopes, self.elapsed, self.epoch, self.turn)
        self._dhcp.append(server)
        for host in self.hosts if joined else ():
            if host.by_dhcp:
                self._clients.join(host, self.elapsed())
        return server

    @_in_turn
    def join_dhcp(self, host: Host) -> None:
        """A host that is plugged in asks for an address."""
        self._clients.join(host, self.elapsed())

    @_in_turn
    def leave(self, host: Host) -> None:
        """A host is taken away for good."""
        self._clients.leave(host)
        self.unplug(host)

    @_in_turn
    def stop_dhcp(self, name: str) -> None:
        """Switch a DHCP server off."""
        self._dhcp = [server for server in self._dhcp if server.name != name]

    @_in_turn
    def dhcp_server(self, name: str) -> StandinDhcp | None:
        """A DHCP server of the site by name."""
        self.catch_up()
        return next((server for server in self._dhcp if server.name == name), None)

    def _ask_dhcp(self, host: Host, message: bytes) -> bytes | None:
        """A client's message on its way to the server and back."""
        asked = dhcp.decode(message)
        answers = self._dhcp_answers(host.vlan, asked)
        now = self.elapsed()
        self._said.append((now, host.vlan, dhcp.frame(asked, host.mac, BROADCAST)))
        return dhcp.encode(answers[0][1]) if answers else None

    def _dhcp_answers(self, vlan: int, message: dhcp.Message) -> list[tuple[StandinDhcp, dhcp.Message]]:
        """What the servers say to a client of a VLAN: their own VLAN's, and those a relay brings the question to."""
        network = next(subnet.network for subnet in self.subnets if subnet.vlan == vlan)
        found = ((server, server.answer(message, network)) for server in self._dhcp)
        return [(server, answer) for server, answer in found if answer is not None]

    @_in_turn
    def say(self, vlan: int, frame: bytes) -> None:
        """A host sends something that everybody on its VLAN hears, now."""
        self._said.append((self.elapsed(), vlan, frame))

    @_in_turn
    def ask_dhcp(self, vlan: int, message: dhcp.Message) -> list[dhcp.Message]:
        """What the site's DHCP servers answer to a client of a VLAN."""
        return [answer for _, answer in self._dhcp_answers(vlan, message)]

    @_in_turn
    def readdress(self, host: Host, address: IPv4Address) -> None:
        """A host got another address."""
        self.unplug(host)
        host.addresses = (address, *host.addresses[1:])
        self.plug(host)

    @_in_turn
    def unplug(self, host: Host) -> None:
        """Take a host away."""
        self.hosts.remove(host)
        self._talkers.pop(host.vlan, None)
        for address in host.addresses:
            self._holders[host.vlan, int(address)].remove(host)
            self._by_address[int(address)].remove(host)
        if host in self._proxies:
            self._proxies.remove(host)

    def elapsed(self) -> float:
        """Seconds since the site was switched on."""
        return self.clock() - self.started

    @_in_turn
    def chatter(self, adapter: str) -> list[bytes]:
        """Frames that hosts of an adapter's VLAN send unasked."""
        vlan, now = self._vlan_of[adapter], self.elapsed()
        return [frame for host in self.hosts if host.vlan == vlan and host.awake.at(now) for frame in host.chatter]

    @_in_turn
    def overheard(self, adapter: str, since: float, until: float) -> list[Timed]:
        """What everybody on an adapter's VLAN could hear between two times of the site: (time, frame) pairs.

        Every host that is awake asks for its gateway or a neighbour once in TALK_EVERY seconds, announces its mDNS name
        with it, and sends its other announcements; DHCP clients are heard when they ask.
        """
        self.catch_up()
        vlan = self._vlan_of[adapter]
        found = [(at, frame) for at, where, frame in self._said if where == vlan and since < at <= until]
        if vlan not in self._talkers:
            places: list[list[Host]] = [[] for _ in range(TALK_EVERY)]
            for host in self.hosts:
                if host.vlan == vlan:
                    places[host.mac.value * 7919 % TALK_EVERY].append(host)
            self._talkers[vlan] = places
        first = max(math.floor(since) + 1, math.floor(until) - TALK_EVERY)
        for second in range(first, math.floor(until) + 1):
            for host in self._talkers[vlan][second % TALK_EVERY]:
                if host.awake.at(second):
                    found += [(float(second), frame) for frame in self._talk(host)]
        return sorted(found, key=lambda one: one[0])

    def _talk(self, host: Host) -> list[bytes]:
        frames = [*host.chatter, *host.announces]
        if host.mute or not host.addresses:
            return frames
        own = host.addresses[0]
        network = next((subnet.network for subnet in self.subnets if subnet.vlan == host.vlan), None)
        if network is not None and own in network:
            frames.append(ethernet.encode(arp.request(host.mac, own, network.network_address + 1)))
        frames += [ethernet.encode(arp.announcement(host.mac, other)) for other in host.addresses[1:]]
        if host.names.mdns:
            frames.append(_announcement(host.names.mdns, own, host.mac))
        return frames

    @_in_turn
    def deliver(self, adapter: str, data: bytes) -> list[Timed]:
        """What comes back to an adapter for a frame it sent: (seconds from now, frame) pairs."""
        self.catch_up()
        try:
            frame = ethernet.decode(data)
            self._wake(self._vlan_of[adapter], frame)
            if frame.ethertype == ethernet.EtherType.ARP:
                return self._arp(self._vlan_of[adapter], frame.destination, arp.decode(frame.payload))
            if frame.ethertype == ethernet.EtherType.IPV4:
                for hears in self.hearers:
                    hears(self._vlan_of[adapter], frame)
                return self._route(self._vlan_of[adapter], frame, ipv4.decode(frame.payload))
        except WireError:
            pass
        return []

    def _wake(self, vlan: int, frame: ethernet.Frame) -> None:
        """A magic packet in a frame: whom it names, and whom the frame reaches, wakes and stays awake."""
        if frame.payload.find(b"\xff" * 6) < 0:
            return
        try:
            mac, _ = wake.decode(frame.payload)
        except WireError:
            return
        for host in self.hosts:
            if host.mac == mac and host.vlan == vlan and frame.destination in (mac, BROADCAST) and host.awake.period:
                self.at(self.elapsed() + WAKES_IN, lambda host=host: setattr(host, "awake", Awake()))  # type: ignore[misc]

    def _arp(self, vlan: int, to: Mac, question: arp.Arp) -> list[Timed]:
        now = self.elapsed()
        asked = [*self._holders.get((vlan, address_of(question.target_address)), ())]
        asked += [host for host in self._proxies if host.vlan == vlan and host not in asked]
        asked = asked if to == BROADCAST else [host for host in asked if host.mac == to]
        return [reply for host in asked if host.awake.at(now) for reply in host.on_arp(question)]

    def _route(self, vlan: int, frame: ethernet.Frame, packet: ipv4.Packet) -> list[Timed]:
        """A packet to a host on the VLAN, or through the router to one behind it."""
        if frame.destination == BROADCAST:
            return self._broadcast(vlan, frame)
        now, address = self.elapsed(), int(packet.destination)
        for host in self._holders.get((vlan, address), ()):
            if host.mac == frame.destination and host.awake.at(now):
                return self._reply(host, frame, host.mac, packet, host.delay)
        for host in self._proxies:
            if host.vlan == vlan and host.mac == frame.destination and packet.destination in host.proxy_for:
                return [
                    (
                        host.delay,
                        ethernet.encode(ethernet.Frame(frame.source, host.mac, frame.ethertype, host.nobody(packet))),
                    )
                ]
        if frame.destination not in self._routers[vlan]:
            return []
        for host in self._by_address.get(address, ()):
            if host.vlan != vlan and host.awake.at(now):
                return self._reply(host, frame, frame.destination, packet, host.delay + ROUTER_DELAY)
        return []

    def _broadcast(self, vlan: int, frame: ethernet.Frame) -> list[Timed]:
        """A broadcast datagram: DHCP servers are the ones that answer those."""
        message = dhcp.of_frame(ethernet.encode(frame))
        if message is None or not self._dhcp:
            return []
        return [
            (0.002, dhcp.frame(answer, self._sender(server, vlan, frame.source), BROADCAST, server.address))
            for server, answer in self._dhcp_answers(vlan, message)
        ]

    def _sender(self, server: StandinDhcp, vlan: int, otherwise: Mac) -> Mac:
        """Whose frame an answer comes in: the server's own on its VLAN, the router's behind it."""
        own = next((host.mac for host in self._holders.get((vlan, int(server.address)), ())), None)
        return own or next(iter(self._routers[vlan]), otherwise)

    def _reply(self, host: Host, frame: ethernet.Frame, hop: Mac, packet: ipv4.Packet, delay: float) -> list[Timed]:
        answer = host.on_packet(packet)
        if answer is None:
            return []
        back = ethernet.Frame(frame.source, hop, ethernet.EtherType.IPV4, answer)
        return [(delay, ethernet.encode(back))]

    @_in_turn
    def datagram(
        self, adapter: str, to: IPv4Address, port: int, payload: bytes
    ) -> list[tuple[float, IPv4Address, bytes]]:
        """The answers to a UDP payload: (seconds from now, sender, payload). A group reaches the own VLAN."""
        now = self.elapsed()
        if port == dns_messages.DNS_PORT:
            return self._dns(to, payload)
        if port == SNMP_PORT and not to.is_multicast:
            return self._agent(to, payload)
        if to.is_multicast:
            return self._group(self._vlan_of[adapter], port, payload)
        found = []
        for host in self._by_address.get(int(to), ()):
            if host.awake.at(now) and (answer := host.on_datagram(to, port, payload)):
                found.append((host.delay, to, answer))
        return found

    def _agent(self, to: IPv4Address, payload: bytes) -> list[tuple[float, IPv4Address, bytes]]:
        """An SNMP agent answers while its host is on, and is not cut off."""
        here = (one for one in self._by_address.get(int(to), ()) if one.awake.at(self.elapsed()) and not one.mute)
        host = next(here, None)
        agent = self.agents.get(int(to))
        answer = agent(payload) if agent is not None and host is not None else None
        delay = self.slow.get(int(to), 0.0) + (host.delay if host is not None else 0.0)
        return [(delay, to, answer)] if host is not None and answer is not None else []

    def _group(self, vlan: int, port: int, payload: bytes) -> list[tuple[float, IPv4Address, bytes]]:
        """Only the holder of the address in question answers (RFC 4795, RFC 6762), so only it is asked."""
        try:
            _, address = dns_messages.decode_question(payload)
        except WireError:
            return []
        now, found = self.elapsed(), []
        for host in self._holders.get((vlan, int(address)), ()):
            if host.awake.at(now) and (answer := host.on_datagram(address, port, payload)):
                found.append((host.delay, address, answer))
        return found

    def _dns(self, server: IPv4Address, payload: bytes) -> list[tuple[float, IPv4Address, bytes]]:
        """The site's DNS server knows every host that has a DNS name."""
        if not any(53 in host.ports for host in self._by_address.get(address_of(server), ())):
            return []
        try:
            transaction, name = dns_messages.decode_name_question(payload)
            found = [
                host.addresses[0] for host in self.hosts if host.names.dns and host.names.dns.lower() == name.lower()
            ]
            return [(0.001, server, dns_messages.encode_addresses(transaction, name, tuple(found[:4])))]
        except WireError:
            pass
        try:
            transaction, address = dns_messages.decode_question(payload)
        except WireError:
            return []
        names = tuple(host.names.dns for host in self._by_address.get(int(address), ()) if host.names.dns)
        return [(0.001, server, dns_messages.encode_answer(transaction, address, names[:1]))]

    @_in_turn
    def connects(self, to: IPv4Address, port: int) -> tuple[float, bool] | None:
        """How a TCP connect ends: seconds, and whether it is accepted; None when nothing comes back."""
        now = self.elapsed()
        for host in self._by_address.get(int(to), ()):
            if host.awake.at(now) and not host.mute:
                accepted = port in host.ports
                return (host.delay, accepted) if accepted or host.echo else None
        return None

    def vlan_of(self, adapter: str) -> int:
        """The VLAN that an adapter of the service's machine is plugged into."""
        return self._vlan_of[adapter]

    def _vlan(self, adapter: Adapter) -> int:
        for subnet in self.subnets:
            if adapter.addresses and adapter.addresses[0].ip in subnet.network:
                return subnet.vlan
        raise ValueError(f"adapter {adapter.name} stands in no subnet of the site")


@functools.lru_cache(4096)
def _announcement(name: str, own: IPv4Address, mac: Mac) -> bytes:
    """A host's unasked mDNS message to the group (RFC 6762 8.3), in its frame."""
    payload = dns_messages.encode_announcement(name, (own,))
    group, port = dns_messages.MDNS_GROUP, dns_messages.MDNS_PORT
    body = ipv4.encode_udp(ipv4.Udp(port, port, payload), own, group)
    packet = ipv4.encode(ipv4.Packet(own, group, ipv4.Protocol.UDP, body, ttl=255))
    return ethernet.encode(ethernet.Frame(Mac(MacNumber(0x01005E0000FB)), mac, ethernet.EtherType.IPV4, packet))
