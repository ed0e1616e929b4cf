"""The scan engine over raw frames: told the time and what arrived, it says what to send. No I/O, no clock.

Addresses on the link are asked by ARP, those behind the gateway by echo. An answer is a reply to our own MAC for an address that
was asked for; two of them for one address are both told. Requests and announcements of others, and what is answered to somebody
else, are overheard: they say nothing of who is there, and nobody is asked less because of them. Times are monotonic seconds, above
zero."""

from __future__ import annotations

from collections import deque
from collections.abc import Collection
from dataclasses import dataclass
from ipaddress import IPv4Address

from ..core.adapters import Adapter
from ..core.address import Address, address_of
from ..core.mac import Mac, MacNumber
from ..core.span import SpanSet
from ..core.stays import Source
from ..wire import arp, ethernet, fast, ipv4
from ..wire.errors import WireError
from .front import Front, Heard
from .rtt import WaitingTime
from .templates import ArpTemplate, EchoTemplate

GATEWAY_TRIES = 4
GATEWAY_WAIT = 0.5
_ARP_TYPE = b"\x08\x06"
_IPV4_TYPE = b"\x08\x00"
_NO_TIME = Heard(None, False)


@dataclass(frozen=True, slots=True)
class SweepPlan:
    """What to ask: `expected` are addresses the roster knows and that are asked up to `extra_rounds` more, `slow` those that
    answered late before."""

    targets: SpanSet
    rounds: int = 3
    extra_rounds: int = 2
    expected: Collection[int] = ()
    echo: bool = True
    slow: Collection[int] = ()


@dataclass(frozen=True, slots=True)
class Answer:
    """One observation. `mac` is None behind the gateway; `rtt` in seconds when it is certain which question was answered;
    `late` when it is not because the address had to be asked again."""

    address: Address
    mac: Mac | None
    by: Source
    at: float
    rtt: float | None
    foreign: bool
    late: bool = False


class SweepEngine:
    """A sweep of one range from one adapter. Feed frames to `heard`, send what `due` gives, until `finished`."""

    def __init__(self, plan: SweepPlan, adapter: Adapter, identifier: int) -> None:
        if adapter.mac is None or not adapter.addresses:
            raise ValueError(f"adapter {adapter.name} has no MAC or no address to ask from")
        self._mac = adapter.mac
        self._own = {int(address.ip) for address in adapter.addresses}
        self._onlink = adapter.onlink
        self._identifier = identifier
        self._waiting = WaitingTime()
        own = SpanSet(tuple(sorted((address, address) for address in self._own)))
        near = (plan.targets & self._onlink) - own
        far = plan.targets - self._onlink
        self._gateway = adapter.gateway
        self._near = Front(
            near, plan.rounds, plan.extra_rounds, plan.expected, lambda: self._waiting.seconds, plan.slow
        )
        self._far = Front(far, plan.rounds, plan.extra_rounds, plan.expected, lambda: self._waiting.seconds, plan.slow)
        self._arp = [(a.network, ArpTemplate(adapter.mac, a.ip)) for a in adapter.addresses]
        self._echo = EchoTemplate(adapter.mac, adapter.addresses[0].ip, identifier, 1)
        self._want_echo = plan.echo
        self._to_echo: deque[tuple[int, bytes]] = deque()
        self._echoed: dict[tuple[int, bytes], float] = {}
        self._said: set[tuple[int, int | None, int]] = set()
        self._answers: list[Answer] = []
        self._gateway_mac: bytes | None = None
        self._gateway_asked = 0
        self._gateway_next = 0.0
        self._last_echo = float("-inf")
        self._read_until = 0.0
        self.probes = 0
        self.rejected = 0
        if far and self._gateway is None:
            self._far.ask_no_more()

    @property
    def answered(self) -> int:
        """Targets that have answered so far."""
        return self._near.answered + self._far.answered

    @property
    def round(self) -> int:
        """The round that is under way, from 1."""
        return min(front.round for front in (self._near, self._far) if front.total) if self.total else 1

    @property
    def total(self) -> int:
        """Targets that are asked; own addresses are not."""
        return self._near.total + self._far.total

    @property
    def gateway_silent(self) -> bool:
        """True when targets lie behind a gateway that is missing or did not answer."""
        return self._far.total > 0 and self._far.done and self._gateway_mac is None

    def probes_left(self) -> int:
        """An upper estimate of the sends still to come."""
        left = (self._near, self._far)
        return sum(front.probes_left() for front in left if not front.done) + len(self._to_echo)

    def take(self) -> list[Answer]:
        """The answers since the last call."""
        answers, self._answers = self._answers, []
        return answers

    def due(self, now: float, room: int, read_until: float | None = None) -> list[bytes]:
        """At most `room` frames to send at this moment; what arrived until `read_until` was told by `heard`."""
        self._read_until = now if read_until is None else read_until
        frames: list[bytes] = []
        while len(frames) < room:
            frame = self._next_frame(now)
            if frame is None:
                break
            frames.append(frame)
        self.probes += len(frames)
        return frames

    def _next_frame(self, now: float) -> bytes | None:
        if self._to_echo:  # first, so that a responder's reply time is known together with its MAC
            address, mac = self._to_echo.popleft()
            self._echoed[address, mac] = self._last_echo = now
            return self._echo.frame(address, mac)
        target = self._near.next(now, self._read_until)
        if target is not None:
            return self._arp_template(target).frame(target)
        if self._far.done:
            return None
        if self._gateway_mac is None:
            return self._ask_gateway(now)
        target = self._far.next(now, self._read_until)
        return None if target is None else self._echo.frame(target, self._gateway_mac)

    def _arp_template(self, target: int) -> ArpTemplate:
        if len(self._arp) > 1:
            address = IPv4Address(target)
            for network, template in self._arp:
                if address in network:
                    return template
        return self._arp[0][1]

    def _ask_gateway(self, now: float) -> bytes | None:
        assert self._gateway is not None
        if now < self._gateway_next:
            return None
        if self._gateway_asked >= GATEWAY_TRIES:
            self._far.ask_no_more()
            return None
        self._gateway_asked += 1
        self._gateway_next = now + GATEWAY_WAIT
        return self._arp_template(int(self._gateway)).frame(int(self._gateway))

    def wake(self, now: float) -> float | None:
        """When `due` may have something again, if nothing arrives before; None when it is all over."""
        times = [front.wake for front in (self._near, self._far) if not front.done and front.wake is not None]
        if not self._far.done and self._gateway_mac is None:
            times = [t for t in times if t > now] + [self._gateway_next]
        if self._echoed:
            times.append(self._last_echo + self._waiting.seconds)
        return min(times, default=None)

    def finished(self, read_until: float) -> bool:
        """True when nothing is left to ask and nothing to wait for; see `due`."""
        if not (self._near.done and self._far.done) or self._to_echo:
            return False
        return not self._echoed or read_until >= self._last_echo + self._waiting.seconds

    def heard(self, data: bytes, at: float) -> None:
        """A frame arrived. Frames that are not what they claim to be are counted in `rejected`, never raised."""
        try:
            if data[12:14] == _ARP_TYPE:
                self._heard_arp(*fast.read_arp(data), at)
            elif data[12:14] == _IPV4_TYPE and not data[0] & 1:
                if (reply := fast.read_echo_reply(data)) is not None:
                    self._heard_echo(*reply, at)
            else:
                self._heard_other(ethernet.decode(data), at)
        except WireError:
            self.rejected += 1

    def _heard_arp(self, operation: int, mac: MacNumber, address: Address, target: MacNumber, at: float) -> None:
        if mac == self._mac.value or mac == 0 or mac >> 40 & 1:
            return
        foreign = address not in self._onlink
        if operation == arp.Operation.REPLY and target == self._mac.value and not foreign:
            if self._gateway_asked and self._gateway_mac is None and address == int(self._gateway or 0):
                self._gateway_mac = mac.to_bytes(6, "big")
            if self._near.asked(address):
                self._answered(address, mac, at)
                return
        if address and address >> 28 != 0xE and address != 0xFFFFFFFF:
            self._say(address, mac, Source.OVERHEARD, at, None, foreign)

    def _answered(self, address: Address, mac: MacNumber, at: float) -> None:
        heard = self._near.heard(address, at) or _NO_TIME
        if heard.rtt is not None:
            self._waiting.measured(heard.rtt)
        if self._say(address, mac, Source.ARP, at, heard.rtt, False, heard.late) and self._want_echo:
            self._to_echo.append((address, mac.to_bytes(6, "big")))

    def _heard_echo(self, mac: MacNumber, address: Address, destination: int, identifier: int, at: float) -> None:
        if mac == self._mac.value or destination not in self._own or identifier != self._identifier:
            return
        sent = self._echoed.pop((address, mac.to_bytes(6, "big")), None)
        if sent is not None:
            self._say(address, mac, Source.ECHO, at, at - sent, False)
            return
        if self._far.total == 0:
            return
        heard = self._far.heard(address, at)
        if heard is not None:
            if heard.rtt is not None:
                self._waiting.measured(heard.rtt)
            self._say(address, None, Source.ECHO, at, heard.rtt, False, heard.late)

    def _heard_other(self, frame: ethernet.Frame, at: float) -> None:
        """Tagged frames, and packets to a group: the latter come from this link, whatever address they bear."""
        if frame.source == self._mac:
            return
        if frame.ethertype == ethernet.EtherType.ARP:
            packet = arp.decode(frame.payload)
            sender, target = packet.sender_mac.value, packet.target_mac.value
            self._heard_arp(packet.operation, sender, address_of(packet.sender_address), target, at)
        elif frame.ethertype == ethernet.EtherType.IPV4 and frame.destination.multicast:
            source = ipv4.decode(frame.payload).source
            harmless = frame.source.unusable_as_source or source.is_multicast or address_of(source) == 0xFFFFFFFF
            if not harmless and source not in self._onlink:
                self._say(address_of(source), frame.source.value, Source.OVERHEARD, at, None, True)

    def _say(
        self, address: Address, mac: MacNumber | None, by: Source, at: float, rtt: float | None, foreign: bool, late: bool = False
    ) -> bool:  # fmt: skip
        key = (address, mac, by.value)
        if key in self._said:
            return False
        self._said.add(key)
        self._answers.append(Answer(address, None if mac is None else Mac(mac), by, at, rtt, foreign, late))
        return True
