"""Grades the claim that an address is free, and says in words what speaks for and against it. Pure.

`taken`: somebody has a right to it or holds it. `doubtful`: nothing stands against it, but something weakens the
claim. `clear`: planned nowhere, leased to nobody, outside every pool, not seen for a long time, and nobody answered
on the own link just now. Silence alone never makes an address clear: owners are off, asleep or firewalled.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from ..address import Address, dotted
from ..holdings import Claim, Part
from ..mac import Mac, MacNumber
from .model import AssignmentKind, Band, BandKind, Plan, Subnet

DOUBT_MS = 180 * 24 * 3600 * 1000
_DAY = 24 * 3600 * 1000


class Grade(StrEnum):
    """How good the claim is."""

    CLEAR = "clear"
    DOUBTFUL = "doubtful"
    TAKEN = "taken"


class Asked(StrEnum):
    """How the wire was asked: not at all, by ARP probes (RFC 5227), by the kernel's own ARP, or from afar."""

    NO = "no"
    PROBES = "probes"
    KERNEL = "kernel"
    FAR = "far"
    FAILED = "failed"


@dataclass(frozen=True, slots=True)
class Heard:
    """An answer: from this MAC (None from behind the gateway), by this kind of probe; `overheard` where it was no answer to us, but
    a frame that claims the address."""

    mac: MacNumber | None
    by: str
    overheard: bool = False


@dataclass(frozen=True, slots=True)
class LeaseSeen:
    """A lease on the address: until when (UTC ms), to whom, from which server."""

    mac: MacNumber | None
    name: str
    until: int
    server: str


@dataclass(frozen=True, slots=True)
class LastSeen:
    """When the address was last in use (UTC ms), and by whom."""

    at: int
    mac: MacNumber | None
    name: str = ""


@dataclass(frozen=True, slots=True)
class Evidence:
    """Everything known about one address beside the plan. `why_not` says why the wire could not be asked; `alone` are the addresses
    that were asked along because devices answered there lately, where none of them answered now, nor any other on the link."""

    asked: Asked = Asked.NO
    heard: tuple[Heard, ...] = ()
    lease: LeaseSeen | None = None
    last_seen: LastSeen | None = None
    names: tuple[str, ...] = ()
    own: bool = False
    why_not: str = ""
    alone: tuple[Address, ...] = ()


@dataclass(frozen=True, slots=True)
class Proof:
    """The verdict on one address; `reasons` are sentences, those that decide first."""

    address: Address
    grade: Grade
    subnet: Subnet | None
    band: Band | None
    reasons: tuple[str, ...]
    last_seen: LastSeen | None


def prove(
    plan: Plan, site: int, address: Address, evidence: Evidence, now: int, claims: Sequence[Claim] = ()
) -> Proof:  # fmt: skip
    """Weigh the evidence for one address at one time (UTC ms); `claims` are what DHCP servers hold of it."""
    subnet = plan.subnet_at(site, address)
    band = plan.band_at(subnet.id, address) if subnet else None
    against = [*_planned(plan, site, address, subnet), *_held(evidence, now)]
    if band is not None and band.kind is BandKind.POOL:
        against.append(f"it lies inside the {band.title}, which the DHCP server hands out")
        claims = [one for one in claims if one.holding.part is not Part.POOL]
    against += [one.said for one in claims]
    weak = _weak(evidence, now)
    if subnet is None:
        weak.append("it lies in no planned subnet, so its mask and gateway are not known")
    if band is not None and band.kind is BandKind.SPARE:
        weak.append(f"it lies in the {band.title}, which is kept free")
    grade = Grade.TAKEN if against else Grade.DOUBTFUL if weak else Grade.CLEAR
    reasons = [*against, *weak, *_in_favour(evidence, subnet, now, bool(against))]
    return Proof(address, grade, subnet, band, tuple(reasons), evidence.last_seen)


def _planned(plan: Plan, site: int, address: Address, subnet: Subnet | None) -> list[str]:
    found = []
    if subnet is not None and subnet.network.prefixlen < 31:
        if address == subnet.first:
            found.append(f"it is the network address of {subnet.network}")
        elif address == subnet.last:
            found.append(f"it is the broadcast address of {subnet.network}")
    for one in plan.subnets_of(site):
        if one.gateway == address:
            found.append(f"it is the gateway of {one.name or one.network}")
    item = plan.at(site, address)
    if item is not None:
        what = "reserved for" if item.kind is AssignmentKind.RESERVED else "assigned to"
        whose = f"{item.title} ({Mac(item.mac)})" if item.mac is not None and item.name else item.title
        found.append(f"it is {what} {whose}{'' if item.on else ', though switched off'}")
    return found


def _held(evidence: Evidence, now: int) -> list[str]:
    found = []
    if evidence.own:
        found.append("it is this machine's own address")
    for heard in evidence.heard:
        who = str(Mac(heard.mac)) if heard.mac is not None else "something"
        did = "uses it, as was overheard" if heard.overheard else "answered for it"
        found.append(f"{who} {did} just now (by {heard.by})")
    lease = evidence.lease
    if lease is not None and lease.until > now:
        whom = lease.name or (str(Mac(lease.mac)) if lease.mac is not None else "somebody")
        found.append(f"{lease.server} has leased it to {whom} for another {span_of(lease.until - now)}")
    return found


def _weak(evidence: Evidence, now: int) -> list[str]:
    found = []
    lease = evidence.lease
    if lease is not None and lease.until <= now and now - lease.until < DOUBT_MS:
        found.append(f"a lease of {lease.server} on it ended only {span_of(now - lease.until)} ago")
    seen = evidence.last_seen
    if seen is not None and now - seen.at < DOUBT_MS and not evidence.heard:
        found.append(f"{_who(seen)} held it {span_of(now - seen.at)} ago and may only be off, asleep or away")
    for name in evidence.names:
        found.append(f"the name {name} still points to it")
    if evidence.asked is Asked.NO:
        found.append("the wire was not asked")
    elif evidence.asked is Asked.FAILED:
        found.append(f"the wire could not be asked: {evidence.why_not}")
    elif evidence.alone:
        others = " and ".join(dotted(one) for one in evidence.alone)
        found.append(
            f"no device answered on its link, not even at {others}, where one had answered lately: "
            "that is how it would be with a cable pulled"
        )
    elif evidence.asked is Asked.FAR:
        found.append(
            "it is not on this machine's link: nobody answered echo or connects, "
            "but only ARP on its own link would find a firewalled owner"
        )
    return found


def _in_favour(evidence: Evidence, subnet: Subnet | None, now: int, taken: bool) -> list[str]:
    found = []
    if evidence.asked is Asked.PROBES and not evidence.heard:
        found.append("nobody answered three ARP probes just now")
    elif evidence.asked is Asked.KERNEL and not evidence.heard:
        found.append("nobody answered when the system asked by ARP just now")
    if taken:
        return found
    found.append("no assignment, no reservation and no lease has it" + (", and no pool covers it" if subnet else ""))
    seen = evidence.last_seen
    if seen is None:
        found.append("it was never seen in use")
    elif now - seen.at >= DOUBT_MS:
        found.append(f"it was last seen {span_of(now - seen.at)} ago, held by {_who(seen)}")
    return found


def _who(seen: LastSeen) -> str:
    mac = str(Mac(seen.mac)) if seen.mac is not None else ""
    return f"{seen.name} ({mac})" if seen.name and mac else seen.name or mac or "something behind the gateway"


def span_of(ms: int) -> str:
    """A length of time in words."""
    seconds = max(ms // 1000, 0)
    for size, word in ((86400, "day"), (3600, "hour"), (60, "minute"), (1, "second")):
        if seconds >= size:
            count = seconds // size
            return f"{count} {word}{'' if count == 1 else 's'}"
    return "a moment"


def sentence(proof: Proof) -> str:
    """The verdict in one line."""
    return f"{dotted(proof.address)} is {proof.grade}: {'; '.join(proof.reasons)}."
