"""Looks for certain MACs on one link: takes every frame they send, and asks for each of them again and again. No I/O, no clock.

A look at a MAC lasts LOOK seconds. Its new address is asked for by everybody (a broadcast, so that whoever else sits there answers
too); every other address is asked of that MAC alone, in frames to it, so that a factory address that is also somebody else's, or
that many cartons share, disturbs nobody and proves who answers (RFC 826; the questions claim nothing, RFC 5227 2.1.1). What a
frame says is hearsay; what answers a question of ours, to us, is an answer.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from ipaddress import IPv4Address, IPv4Interface

from ..core.address import Address, address_of
from ..core.fitting.progress import Means
from ..core.mac import BROADCAST, Mac, MacNumber
from ..wire import arp, dhcp, ethernet, ipv4
from ..wire.errors import WireError

QUESTIONS = 3
BETWEEN = 0.22
LISTEN = 0.4
FAST = 0.1
SWEPT_AT_ONCE = 64
SWEEP_EVERY = 0.25
_SPREAD = 0.03
_NONE = Address(0)
_EVERYBODY = address_of(dhcp.EVERYBODY)
_MOST_ASKED, _MOST_RESTARTS = 16, 3


@dataclass(frozen=True, slots=True)
class Sought:
    """One MAC to look for: its new address, every address to ask it for, stretches (first, last) to go through while nothing
    of it is known, addresses to ask along as controls, and the seconds between two looks; `beside` is the address that a
    person's computer is given to reach it, for which everybody is asked once a look."""

    mac: MacNumber
    target: Address | None = None
    ask: tuple[Address, ...] = ()
    stretches: tuple[tuple[int, int], ...] = ()
    controls: tuple[Address, ...] = ()
    pace: float = FAST
    beside: Address | None = None


@dataclass(frozen=True, slots=True)
class Shown:
    """A MAC sent a frame, or answered; `address` is 0 where it named none. `asks` is whom it asked for by ARP, `broadcast` the
    subnet's broadcast address it sent to, 0 for none; `message` what it asked by DHCP or BOOTP."""

    mac: MacNumber
    address: Address
    means: Means
    asks: Address = _NONE
    broadcast: Address = _NONE
    message: bytes = b""


@dataclass(frozen=True, slots=True)
class Done:
    """A look is over: who answered at each address that was asked for; `counts` when anybody did or nobody else was asked."""

    mac: MacNumber
    answers: Mapping[Address, tuple[MacNumber, ...]]
    counts: bool


Event = Shown | Done


@dataclass(slots=True)
class _Hunt:
    """The looks at one MAC."""

    sought: Sought
    due: float
    began: float | None = None
    asked: int = 0
    addresses: list[Address] = field(default_factory=list)
    answers: dict[Address, list[MacNumber]] = field(default_factory=dict)
    controlled: bool = False
    restarts: int = 0
    known: bool = False
    swept: int = 0
    sweep_due: float = 0.0


class SeekEngine:
    """The hunts on one link. `own` and `addresses` are the adapter's; `patience` is how long the last answer is waited for."""

    def __init__(self, own: Mac, addresses: Sequence[IPv4Interface], patience: float = LISTEN) -> None:
        self._own, self._addresses = own, tuple(addresses)
        self._patience = max(patience, LISTEN)
        self._hunts: dict[MacNumber, _Hunt] = {}
        self._events: list[Event] = []

    def want(self, sought: Iterable[Sought], now: float) -> None:
        """Look for these from now on, and for nobody else; a look that goes on keeps what it has."""
        wanted = {one.mac: one for one in sought}
        before = self._hunts
        self._hunts = {}
        for number, (mac, one) in enumerate(wanted.items()):
            hunt = before.get(mac)
            if hunt is None:
                hunt = _Hunt(one, now + number * _SPREAD % 0.6)
            elif hunt.sought.target != one.target:
                hunt.began, hunt.due = None, now
            hunt.sought = one
            hunt.due = min(hunt.due, now + one.pace)
            self._hunts[mac] = hunt

    def events(self) -> list[Event]:
        """What happened since the last call."""
        found, self._events = self._events, []
        return found

    def take(self, data: bytes, now: float) -> None:
        """A frame came; frames are hostile, and what cannot be read says nothing but that it was sent."""
        source = int.from_bytes(data[6:12], "big")
        hunt = self._hunts.get(MacNumber(source))
        try:
            frame = ethernet.decode(data)
            if frame.ethertype == ethernet.EtherType.ARP:
                self._arp(frame, arp.decode(frame.payload), hunt, now)
            elif hunt is not None:
                self._other(frame, hunt, now)
        except WireError:
            if hunt is not None:
                self._shown(hunt, Shown(hunt.sought.mac, Address(0), Means.FRAME), now)

    def _arp(self, frame: ethernet.Frame, packet: arp.Arp, hunt: _Hunt | None, now: float) -> None:
        address, sender = address_of(packet.sender_address), packet.sender_mac
        if sender != frame.source or sender.unusable_as_source or sender == self._own:
            return
        answer = packet.operation is arp.Operation.REPLY and frame.destination == self._own and not packet.announcement
        if answer:
            for one in self._hunts.values():
                if one.began is None:
                    continue
                if address in one.sought.controls:
                    one.controlled = True
                if address in one.addresses and sender.value not in one.answers.setdefault(address, []):
                    one.answers[address].append(sender.value)
        if hunt is not None:
            answer = answer and self._was_asked(hunt, address)
            asks = address_of(packet.target_address) if packet.operation is arp.Operation.REQUEST else Address(0)
            means = Means.ANSWER if answer else Means.ARP
            self._shown(hunt, Shown(hunt.sought.mac, address, means, _NONE if asks == address else asks), now)

    def _was_asked(self, hunt: _Hunt, address: Address) -> bool:
        """Whether a MAC was asked for an address at all: what nobody asked for proves nothing."""
        swept = not hunt.known and any(first <= address <= last for first, last in hunt.sought.stretches)
        return swept or address in hunt.addresses

    def _other(self, frame: ethernet.Frame, hunt: _Hunt, now: float) -> None:
        mac = hunt.sought.mac
        if frame.ethertype != ethernet.EtherType.IPV4:
            self._shown(hunt, Shown(mac, Address(0), Means.FRAME), now)
            return
        packet = ipv4.decode(frame.payload)
        address = address_of(packet.source)
        if packet.protocol == ipv4.Protocol.UDP and not packet.fragment_offset:
            datagram = ipv4.decode_udp(packet, check=False)
            if (datagram.source_port, datagram.destination_port) == (dhcp.CLIENT_PORT, dhcp.SERVER_PORT):
                self._shown(hunt, Shown(mac, address, _means(datagram.payload), message=datagram.payload), now)
                return
        to = address_of(packet.destination) if frame.destination == BROADCAST else Address(0)
        directed = to if to and to != _EVERYBODY and not packet.destination.is_multicast else Address(0)
        self._shown(hunt, Shown(mac, address, Means.FRAME, broadcast=directed), now)

    def _shown(self, hunt: _Hunt, shown: Shown, now: float) -> None:
        hunt.known = hunt.known or bool(shown.address)
        self._events.append(shown)
        if not shown.address or shown.means is Means.ANSWER:
            return
        fresh = shown.address not in hunt.addresses
        if fresh:
            hunt.sought = _with(hunt.sought, shown.address)
        if hunt.began is None:
            hunt.due = now if fresh else hunt.due
        elif fresh and hunt.asked < QUESTIONS and len(hunt.addresses) < _MOST_ASKED:
            hunt.addresses.append(shown.address)
        elif (fresh or shown.address == hunt.sought.target) and hunt.restarts < _MOST_RESTARTS:
            # Where it says it is now, it is asked at once: the look that goes on asked before it was there.
            hunt.began, hunt.due, hunt.restarts = None, now, hunt.restarts + 1

    def due(self, now: float) -> list[bytes]:
        """The frames to send now."""
        found: list[bytes] = []
        for hunt in self._hunts.values():
            if hunt.began is None and now >= hunt.due:
                hunt.began, hunt.asked, hunt.controlled = now, 0, False
                hunt.addresses, hunt.answers = list(dict.fromkeys((*hunt.sought.ask, *_beside(hunt.sought)))), {}
            if hunt.began is not None:
                found += self._ask(hunt, now)
            if not hunt.known and hunt.sought.stretches and now >= hunt.sweep_due:
                hunt.sweep_due = now + SWEEP_EVERY
                found += self._sweep(hunt)
        return found

    def _ask(self, hunt: _Hunt, now: float) -> list[bytes]:
        assert hunt.began is not None
        sought = hunt.sought
        if hunt.asked < QUESTIONS and now >= hunt.began + hunt.asked * BETWEEN:
            hunt.asked += 1
            alone = [address for address in hunt.addresses if address != sought.beside]
            return [
                *(self._question(sought, address, hunt.asked) for address in alone),
                *(self._as_ourselves(address) for address in _beside(sought) if hunt.asked == 1),
                *(self._everybody(address) for address in sought.controls if not hunt.controlled),
            ]
        if hunt.asked == QUESTIONS and now >= hunt.began + (QUESTIONS - 1) * BETWEEN + self._patience:
            answers = {address: tuple(hunt.answers.get(address, ())) for address in hunt.addresses}
            counts = not sought.controls or hunt.controlled or any(answers.values())
            self._events.append(Done(sought.mac, answers, counts))
            hunt.began, hunt.due, hunt.restarts = None, now + sought.pace, 0
        return []

    def _question(self, sought: Sought, address: Address, number: int) -> bytes:
        if address == sought.target:
            return self._everybody(address)
        return self._alone(sought.mac, address, number)

    def _everybody(self, address: Address) -> bytes:
        """A question to all, from an own address of the subnet where there is one: some hosts ignore probes."""
        target = IPv4Address(address)
        mine = next((one.ip for one in self._addresses if target in one.network), None)
        known = mine is not None and mine != target
        question = arp.request(self._own, mine, target) if known and mine is not None else arp.probe(self._own, target)
        return ethernet.encode(question)

    def _as_ourselves(self, address: Address) -> bytes:
        """A question to all that is no probe: whoever is about to take the address would think it a rival's (RFC 5227 2.1.1)."""
        own = next((one.ip for one in self._addresses if int(one.ip) != address), IPv4Address(0))
        return ethernet.encode(arp.request(self._own, own, IPv4Address(address)))

    def _alone(self, mac: MacNumber, address: Address, number: int) -> bytes:
        """A question that only one MAC gets: from nobody, and the second time as ourselves, for hosts that ignore probes."""
        target, to = IPv4Address(address), Mac(mac)
        own = next((one.ip for one in self._addresses if one.ip != target), None) if number == 2 else None
        packet = arp.Arp(arp.Operation.REQUEST, self._own, own or IPv4Address(0), arp.NO_MAC, target)
        return ethernet.encode(ethernet.Frame(to, self._own, ethernet.EtherType.ARP, arp.encode(packet)))

    def _sweep(self, hunt: _Hunt) -> list[bytes]:
        """Some more addresses of the factory subnets, asked of this MAC alone."""
        total = sum(last - first + 1 for first, last in hunt.sought.stretches)
        places = [(hunt.swept + step) % total for step in range(min(SWEPT_AT_ONCE, total))]
        hunt.swept = (hunt.swept + len(places)) % total
        return [self._alone(hunt.sought.mac, _at(hunt.sought.stretches, place), 1) for place in places]

    def wake(self, now: float) -> float:
        """When `due` is to be called again at the latest."""
        times = [now + 1.0]
        for hunt in self._hunts.values():
            if hunt.began is None:
                times.append(hunt.due)
            elif hunt.asked < QUESTIONS:
                times.append(hunt.began + hunt.asked * BETWEEN)
            else:
                times.append(hunt.began + (QUESTIONS - 1) * BETWEEN + self._patience)
            if not hunt.known and hunt.sought.stretches:
                times.append(hunt.sweep_due)
        return min(times)


def _means(payload: bytes) -> Means:
    """DHCP by its option 53, else BOOTP."""
    try:
        dhcp.decode(payload)
    except WireError:
        return Means.BOOTP
    return Means.DHCP


def _beside(sought: Sought) -> tuple[Address, ...]:
    return (sought.beside,) if sought.beside is not None and sought.beside not in sought.ask else ()


def _with(sought: Sought, address: Address) -> Sought:
    asked = tuple(dict.fromkeys((*sought.ask, address)))
    return replace(sought, ask=asked[-12:])


def _at(stretches: Sequence[tuple[int, int]], place: int) -> Address:
    for first, last in stretches:
        if place <= last - first:
            return Address(first + place)
        place -= last - first + 1
    raise IndexError(place)
