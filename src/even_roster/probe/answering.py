"""Answers the DHCP or BOOTP questions of one MAC, where no server is, with one address. An engine without I/O, and its thread.

It offers what it was told and nothing else: LEASE seconds, no gateway, no DNS server (RFC 2131 4.3.1, RFC 951 7.3). It never says
no: what it does not answer is somebody else's. It ends at once when another server shows itself, in a frame of its own or in
what the device asks (RFC 2131 4.3.2), and when the device declines."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from ipaddress import IPv4Address

from ..core.mac import BROADCAST, Mac
from ..wire import bootp, dhcp, ethernet, ipv4
from ..wire.dhcp import Kind, Message, Option
from ..wire.errors import WireError
from .segment import Segment, SegmentError

LEASE = 300


@dataclass(frozen=True, slots=True)
class Given:
    """Whose questions are answered with what: the device, its new address and mask, and who answers."""

    mac: Mac
    address: IPv4Address
    mask: IPv4Address
    server: IPv4Address
    server_mac: Mac


class AnswerEngine:
    """Takes frames and gives those to send. `over` says why it ended; `said` what was answered last."""

    def __init__(self, given: Given) -> None:
        self._given = given
        self.over = ""
        self.said = ""

    def take(self, data: bytes) -> list[bytes]:
        """A frame came."""
        if self.over:
            return []
        try:
            frame = ethernet.decode(data)
            if frame.ethertype != ethernet.EtherType.IPV4 or frame.source == self._given.server_mac:
                return []
            packet = ipv4.decode(frame.payload)
            if packet.protocol != ipv4.Protocol.UDP or packet.fragment_offset:
                return []
            datagram = ipv4.decode_udp(packet, check=False)
        except WireError:
            return []
        if datagram.source_port == dhcp.SERVER_PORT:
            return self._other(datagram.payload, packet.source)
        if datagram.destination_port != dhcp.SERVER_PORT:
            return []
        try:
            message = dhcp.decode(datagram.payload)
        except WireError:
            return self._bootp(datagram.payload) if frame.source == self._given.mac else []
        if message.reply or frame.source != self._given.mac or message.mac != self._given.mac:
            return self._somebody(message)
        return self._dhcp(message)

    def _somebody(self, message: Message) -> list[bytes]:
        """Another client asks; whom it names is a server of this link, whose answers to it may never come by here."""
        named = message.address(Option.SERVER)
        if message.kind is Kind.REQUEST and not message.reply and named not in (None, self._given.server):
            self.over = f"a DHCP server answers here: {named}"
        return []

    def _other(self, payload: bytes, source: IPv4Address) -> list[bytes]:
        """Another server answers somebody here."""
        try:
            if dhcp.decode(payload).reply:
                self.over = f"a DHCP server answers here: {source}"
        except WireError:
            if payload[:1] == b"\2":
                self.over = f"a BOOTP server answers here: {source}"
        return []

    def _dhcp(self, message: Message) -> list[bytes]:
        named = message.address(Option.SERVER)
        if message.kind is Kind.DISCOVER:
            self.said = f"offered {self._given.address}"
            return [self._answer(message, Kind.OFFER)]
        if message.kind is Kind.DECLINE:
            self.over = f"it declined {self._given.address}: somebody has that address"
        elif message.kind is Kind.REQUEST:
            wanted = message.address(Option.ADDRESS) or message.client
            if named is not None and named != self._given.server:
                self.over = f"it chose another server: {named}"
            elif wanted == self._given.address:
                self.said = f"gave it {self._given.address} for {LEASE // 60} minutes"
                return [self._answer(message, Kind.ACK)]
        return []

    def _answer(self, asked: Message, kind: Kind) -> bytes:
        given = self._given
        seconds = LEASE.to_bytes(4, "big")
        options = ((Option.SERVER, given.server.packed), (Option.LEASE_TIME, seconds), (Option.MASK, given.mask.packed))
        answer = Message(
            True, asked.transaction, asked.mac, kind, client=asked.client, yours=given.address, broadcast=asked.broadcast,
            options=tuple((int(code), value) for code, value in options),
        )  # fmt: skip
        renews = bool(int(asked.client))
        everybody = asked.broadcast and not renews
        to = asked.client if renews else dhcp.EVERYBODY if everybody else given.address
        return dhcp.frame(answer, given.server_mac, BROADCAST if everybody else given.mac, given.server, to)

    def _bootp(self, payload: bytes) -> list[bytes]:
        try:
            asked = bootp.decode(payload)
        except WireError:
            return []
        given = self._given
        if asked.mac != given.mac:
            return []
        self.said = f"gave it {given.address} by BOOTP, for good"
        answer = bootp.reply(asked, given.address, given.mask, given.server)
        to = dhcp.EVERYBODY if asked.broadcast else given.address
        mac = BROADCAST if asked.broadcast else given.mac
        return [bootp.frame(answer, given.server_mac, mac, given.server, to, True)]


class Answerer:
    """Answers on one adapter's link until it is told to end or has to."""

    def __init__(self, segment: Segment, given: Given, tell: Callable[[], None], longest: float) -> None:
        """It ends by itself after `longest` seconds. `tell` is called, in another thread, whenever something was answered and
        when it is over."""
        self.engine = AnswerEngine(given)
        self._segment, self._tell, self._longest = segment, tell, longest
        self.ended = threading.Event()

    def run(self) -> None:
        """Until `ended` is set, or the engine or the link says that it is over."""
        try:
            door = self._segment.listen()
        except SegmentError as error:
            self.engine.over = str(error)
            self._tell()
            return
        try:
            until = door.now() + self._longest
            while not self.ended.is_set() and not self.engine.over and door.now() < until:
                for _, frame in door.receive(0.1):
                    before = self.engine.said, self.engine.over
                    for answer in self.engine.take(frame):
                        if not self.ended.is_set():
                            door.send(answer)
                    if (self.engine.said, self.engine.over) != before:
                        self._tell()
        except SegmentError as error:
            self.engine.over = str(error)
        finally:
            door.close()
            self._tell()
