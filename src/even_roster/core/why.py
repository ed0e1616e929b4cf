"""Why an address is silent: what was found, weighed in the order of likelihood. Pure; `service` gathers the facts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from .address import Address, dotted
from .mac import Mac, MacNumber
from .plan.model import Assignment, Band, BandKind, Subnet
from .plan.proof import span_of


class Word(StrEnum):
    """Whether a check came out well."""

    WELL = "well"
    BAD = "bad"
    OPEN = "open"


@dataclass(frozen=True, slots=True)
class Checked:
    """One check: what, what it found, and whether that is well; `open` when it could not be decided."""

    what: str
    found: str
    word: Word


@dataclass(frozen=True, slots=True)
class SeenBefore:
    """A stay: by which MAC (None behind the gateway), how it is called, when last (UTC ms)."""

    mac: MacNumber | None
    name: str
    at: int


@dataclass(frozen=True, slots=True)
class PathWord:
    """A router or firewall said why an address cannot be reached: its address, how it is called, ICMP type and code (RFC 792)."""

    source: Address
    name: str
    kind: int
    code: int

    @property
    def who(self) -> str:
        """Who said it."""
        return f"{self.name} ({dotted(self.source)})" if self.name else dotted(self.source)


@dataclass(frozen=True, slots=True)
class Facts:
    """Everything that was found out. `adapter` None means there is none that is up; `arp` are the MACs that answered, None
    when ARP could not be asked; `gateway` whether the gateway answered, None off the way or not asked; `slowest` the longest time
    an echo took to come back, in seconds; `refused` are ports that the device itself refused; `words` what was said on the way."""

    address: Address
    now: int
    adapter: str | None
    why_adapter: str
    onlink: bool
    own: bool
    elsewhere: str
    usable: bool
    subnet: Subnet | None
    band: Band | None
    assignment: Assignment | None
    arp: Sequence[MacNumber] | None
    echo: bool
    ports: Sequence[int]
    asked_ports: int
    gateway: bool | None
    others_answer: int | None
    lease_to: MacNumber | None = None
    lease_name: str = ""
    lease_until: int | None = None
    stays: Sequence[SeenBefore] = field(default_factory=tuple)
    moved_to: Sequence[tuple[int, int]] = field(default_factory=tuple)
    dhcp_silent: bool = False
    slowest: float | None = None
    refused: Sequence[int] = ()
    words: Sequence[PathWord] = ()


@dataclass(frozen=True, slots=True)
class Reason:
    """The answer: whether it answers after all, the verdict, the checks, and what only a person can check."""

    answers: bool
    verdict: str
    checks: tuple[Checked, ...]
    by_hand: tuple[str, ...]


MOMENT_MS = 60_000
SLOW = 1.0
"""Seconds after which programs that ask begin to give up."""
FORBIDDEN = frozenset({9, 10, 13})


def reason(facts: Facts) -> Reason:
    """Weigh the facts."""
    checks = [*_this_machine(facts), *_the_address(facts), *_the_wire(facts), *_the_past(facts)]
    answers = bool(facts.arp) or facts.echo or bool(facts.ports) or bool(facts.refused) or facts.own
    return Reason(answers, _verdict(facts, answers), tuple(checks), tuple(_by_hand(facts, answers)))


def _this_machine(facts: Facts) -> list[Checked]:
    if facts.adapter is None:
        return [Checked("adapter", facts.why_adapter, Word.BAD)]
    checks = [Checked("adapter", facts.why_adapter, Word.WELL)]
    if facts.elsewhere:
        checks.append(Checked("network", facts.elsewhere, Word.BAD))
    if facts.onlink:
        if facts.others_answer is not None:
            found = (
                f"{facts.others_answer} other known devices answer on this link"
                if facts.others_answer
                else ("no other known device answers on this link either")
            )
            checks.append(Checked("link", found, Word.WELL if facts.others_answer else Word.BAD))
        return checks
    told = f"{dotted(facts.address)} is on none of this machine's links: it is reached through the gateway"
    checks.append(Checked("link", told, Word.OPEN))
    if facts.gateway is not None:
        found = "the gateway answers" if facts.gateway else "the gateway does not answer"
        checks.append(Checked("gateway", found, Word.WELL if facts.gateway else Word.BAD))
    return checks


def _the_address(facts: Facts) -> list[Checked]:
    if not facts.usable:
        return [Checked("address", "it is a network or broadcast address: no device can have it", Word.BAD)]
    if facts.subnet is None:
        return [Checked("subnet", "it lies in no subnet of the plan", Word.OPEN)]
    name = facts.subnet.name or str(facts.subnet.network)
    where = f"it lies in {name}{f', in the {facts.band.title}' if facts.band is not None else ''}"
    checks = [Checked("subnet", where, Word.WELL)]
    item = facts.assignment
    if item is None:
        in_pool = facts.band is not None and facts.band.kind is BandKind.POOL
        found = "the pool hands it out as needed" if in_pool else "the plan gives it to nobody"
        checks.append(Checked("plan", found, Word.WELL if in_pool else Word.OPEN))
    else:
        off = "" if item.on else ", but switched off"
        checks.append(Checked("plan", f"{item.kind} for {item.title}{off}", Word.WELL if item.on else Word.BAD))
    return checks


def _the_wire(facts: Facts) -> list[Checked]:
    if facts.own:
        return [Checked("this machine", "the address is this machine's own", Word.WELL)]
    checks = []
    if facts.onlink:
        if facts.arp is None:
            checks.append(Checked("ARP", "could not be asked without raw frames", Word.OPEN))
        elif facts.arp:
            told = " and ".join(str(Mac(mac)) for mac in facts.arp)
            word = Word.BAD if len(facts.arp) > 1 else Word.WELL
            checks.append(Checked("ARP", f"{told} answer{'s' if len(facts.arp) == 1 else ''}", word))
            mac = facts.assignment.mac if facts.assignment is not None else None
            if mac is not None and mac not in facts.arp:
                checks.append(Checked("owner", f"the plan has {Mac(mac)} there: another device answers", Word.BAD))
        else:
            checks.append(Checked("ARP", "nobody answers three questions", Word.BAD))
    slow = (
        f", after {facts.slowest:.1f} s" if facts.echo and facts.slowest is not None and facts.slowest >= SLOW else ""
    )
    checks.append(
        Checked("echo", f"answers{slow}" if facts.echo else "no answer", Word.WELL if facts.echo else Word.BAD)
    )
    checks += [Checked("on the way", f"{word.who} says: {meaning(word)}", Word.BAD) for word in facts.words]
    told = ", ".join(str(port) for port in facts.ports)
    found = f"open: {told}" if facts.ports else f"none of {facts.asked_ports} usual ports is open"
    if facts.refused:
        found += f"; it refuses {len(facts.refused)} of them, so it is there"
    checks.append(Checked("ports", found, Word.WELL if facts.ports or facts.refused else Word.BAD))
    return checks


def meaning(word: PathWord) -> str:
    """What an ICMP error means, in words (RFC 792, RFC 1812 5.2.7.1)."""
    if word.kind == 11:
        return "the packets ran out of time to live, so they go round in a circle"
    if word.code in FORBIDDEN:
        return "it is forbidden: a rule of a firewall stops it"
    return {
        0: "it knows no way to that network", 6: "that network is unknown", 1: "nobody answers at that address on its link",
        7: "that address is unknown", 2: "the device does not speak ICMP echo", 4: "the packets are too large for the way",
        5: "the way that was asked for failed",
    }.get(word.code, f"it cannot be reached (ICMP code {word.code})")  # fmt: skip


def _the_past(facts: Facts) -> list[Checked]:
    checks = []
    if facts.lease_to is not None:
        whom = facts.lease_name or str(Mac(facts.lease_to))
        if facts.lease_until is None or facts.lease_until > facts.now:
            left = f" for another {span_of(facts.lease_until - facts.now)}" if facts.lease_until else ""
            checks.append(Checked("lease", f"leased to {whom}{left}", Word.WELL))
        else:
            ago = span_of(facts.now - facts.lease_until)
            checks.append(Checked("lease", f"the lease of {whom} ended {ago} ago", Word.BAD))
    elif facts.band is not None and facts.band.kind is BandKind.POOL:
        checks.append(Checked("lease", "leased to nobody", Word.OPEN))
    if facts.dhcp_silent:
        checks.append(Checked("DHCP", "no DHCP server answered the last questions", Word.BAD))
    if facts.moved_to:
        address, at = facts.moved_to[0]
        ago = span_of(facts.now - at)
        checks.append(Checked("device", f"its device was seen at {dotted(address)} {ago} ago", Word.BAD))
    if facts.stays:
        last = facts.stays[0]
        whom = last.name or (str(Mac(last.mac)) if last.mac is not None else "somebody behind the gateway")
        checks.append(Checked("last stay", f"{whom}, last seen {span_of(facts.now - last.at)} ago", Word.OPEN))
    else:
        checks.append(Checked("last stay", "it was never seen in use", Word.OPEN))
    return checks


def _verdict(facts: Facts, answers: bool) -> str:
    if facts.adapter is None:
        return "This machine has no adapter that is up with an address, so it can reach nobody."
    if facts.own:
        return "It is this machine's own address."
    if not facts.usable:
        return "No device can have this address."
    if answers:
        if facts.arp is not None and len(facts.arp) > 1:
            return "It is not silent: two devices answer for it, so traffic reaches now one, now the other."
        mac = facts.assignment.mac if facts.assignment is not None else None
        if facts.arp and mac is not None and mac not in facts.arp:
            return "Another device than the planned one answers there."
        if facts.echo and facts.slowest is not None and facts.slowest >= SLOW:
            return f"It answers, but slowly, after {facts.slowest:.1f} s: programs that wait less take it for gone."
        if facts.refused and not facts.ports and not facts.echo:
            return "It is there and refuses what was tried; only echo is dropped."
        if not facts.echo and not facts.ports:
            return "It is there, but drops echo and all connections that were tried: a firewall on the device."
        return "It answers." if facts.echo else "It is there; only echo is dropped."
    if facts.elsewhere:
        return "This machine stands on another network with the same addresses."
    if facts.moved_to:
        return f"Its device is at {dotted(facts.moved_to[0][0])} instead."
    if facts.onlink and facts.others_answer == 0:
        return (
            "Nobody on this link answers: the fault is more likely this machine's cable, port or VLAN than the device."
        )
    if facts.words:
        return _said_on_the_way(facts.words[0])
    if not facts.onlink and facts.gateway is False:
        return "The gateway does not answer, so nothing behind it can be reached."
    if not facts.onlink:
        return "Nothing comes back from behind the gateway: the device is off, drops echo, or a router on the way does."
    if facts.dhcp_silent and facts.assignment is None:
        return "No DHCP server answers here: the device may have found no address."
    if not facts.stays:
        return "It was never seen in use: most likely no device has this address."
    ago = facts.now - facts.stays[0].at
    if ago <= MOMENT_MS:
        return (
            f"It was there {span_of(ago)} ago and does not answer just now: it may be busy, dozing or slow. Ask again."
        )
    return "Its device is switched off, asleep or unplugged: on the own link a firewall cannot hide it from ARP."


def _said_on_the_way(word: PathWord) -> str:
    if word.kind == 11:
        return f"Packets to it go round in a circle near {word.who}: two routers send them to each other."
    if word.code in FORBIDDEN:
        return f"A firewall on the way forbids it: {word.who}."
    if word.code in (0, 6):
        return f"{word.who} knows no way to its network: a route is missing there."
    if word.code in (1, 7):
        return f"{word.who}, the last router before it, finds nobody there: the device is off, unplugged or somewhere else."
    return f"{word.who} says that {meaning(word)}."


def _by_hand(facts: Facts, answers: bool) -> list[str]:
    if facts.own or not facts.usable:
        return []
    if facts.adapter is None:
        return ["Is the cable plugged in at both ends, or the wireless network joined?"]
    if answers:
        return [] if facts.echo else ["Is the device's firewall meant to drop echo?"]
    if facts.moved_to:
        return ["Are the settings of its card really in it, saved and applied?"]
    found = []
    if facts.onlink:
        found += [
            "Is the device switched on and awake?",
            "Does the link light of its port burn, at both ends of the cable?",
        ]
        found.append("Is its port in the right VLAN?")
    else:
        found += [
            "Does the router lead to its subnet, and does no rule of a firewall stop it?",
            "Is the device switched on?",
        ]
    if facts.assignment is not None and facts.assignment.kind == "static":
        found.append("Are the settings of its card really in it, saved and applied?")
    if facts.band is not None and facts.band.kind is BandKind.POOL:
        found.append("Does it show an address of 169.254.x.y? Then it found no DHCP server.")
    return found
