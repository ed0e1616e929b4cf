"""How far the fitting of one device is: a value that is told what was heard, what answered and what a look brought, and from which
everything else follows: the step it is at, what is passed, what stands against it.

A step is passed by what the wire says, never by belief. Nothing here knows the time or sends anything.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Any

from ..address import Address, dotted
from ..mac import Mac, MacNumber

HELPER_GONE_AFTER = 3
GONE_AFTER = 2
"""How many looks in a row somebody is silent who is taken for switched off: one answer may be lost."""


class Step(StrEnum):
    """What a fitting is at, in the order in which it is done."""

    WHO = "who"
    WHERE = "where"
    FIND = "find"
    REACH = "reach"
    TYPE = "type"
    SEE = "see"
    KEEP = "keep"
    RECORD = "record"
    DONE = "done"


class Means(StrEnum):
    """How a device showed itself: by a frame of its own, or by an answer."""

    ARP = "arp"
    DHCP = "dhcp"
    BOOTP = "bootp"
    FRAME = "frame"
    ANSWER = "answer"


@dataclass(frozen=True, slots=True)
class Sight:
    """Where and how a device showed itself: the adapter, its address (0: it has none), UTC ms."""

    adapter: str
    address: Address
    at: int
    means: Means

    @property
    def where(self) -> str:
        """The place as a phrase."""
        return f"{dotted(self.address)} on {self.adapter}" if self.address else f"without an address on {self.adapter}"


@dataclass(frozen=True, slots=True)
class Look:
    """What one look at a device brought: who answered at each address that was asked for, and whether it counts when nobody did
    (somebody else answered, or nobody else is known there); `beside` is the address that a person's computer is given
    meanwhile."""

    adapter: str
    at: int
    answers: Mapping[Address, tuple[MacNumber, ...]]
    counts: bool = True
    beside: Address | None = None


@dataclass(frozen=True, slots=True)
class Progress:
    """What is known of one device that is being fitted. `olds` are addresses it answered at that are not its new one, `signs` what
    its frames from the new one betrayed of its settings (see `Sign`). `helper` is a computer that was given an address to reach
    it, `helper_misses` in how many looks in a row it did not answer there; `doubted` when it seemed to ask for an address, though
    one was typed in."""

    heard: Sight | None = None
    found: Sight | None = None
    olds: tuple[Address, ...] = ()
    seen: Sight | None = None
    went: int | None = None
    kept: Sight | None = None
    lost: Sight | None = None
    misses: int = 0
    against: str = ""
    signs: Mapping[str, str] = field(default_factory=dict)
    doubted: bool = False
    helper: MacNumber | None = None
    helper_misses: int = 0


class Sign(StrEnum):
    """What a device's frames betray: the broadcast address it sends to, whether it asks for its gateway, an address outside its
    subnet that it asks for on the link, the hostname it tells."""

    BROADCAST = "broadcast"
    GATEWAY = "gateway"
    OUTSIDE = "outside"
    HOSTNAME = "hostname"


@dataclass(frozen=True, slots=True)
class Told:
    """A progress after something happened, and what is to be written down of it, step by step."""

    progress: Progress
    notes: tuple[tuple[Step, str], ...] = field(default=())


def step_of(mac: MacNumber | None, target: Address | None, now: Progress) -> Step:
    """What the fitting of a device is at. Reaching it is no step of its own here: it is a help while settings are typed in."""
    if mac is None:
        return Step.WHO
    if target is None:
        return Step.WHERE
    if now.kept is not None:
        return Step.RECORD
    if now.seen is not None:
        return Step.KEEP
    if now.found is None:
        asks = now.heard is not None and not now.heard.address and now.heard.means in (Means.DHCP, Means.BOOTP)
        return Step.REACH if asks else Step.FIND
    return Step.SEE if now.found.address == target else Step.TYPE


def showed(now: Progress, sight: Sight, target: Address | None, asks: bool = True) -> Told:
    """The device sent a frame, or answered. A frame alone is hearsay: it moves nothing that was proven; but when one that is to
    have its address typed in (not `asks`) seems to ask for one, the next look tells whether it has lost what was typed."""
    answered = sight.means is Means.ANSWER
    if not sight.address and sight.means in (Means.FRAME, Means.ARP) and (now.heard or now.found):
        return Told(now)  # a frame that names no address, such as one of IPv6, says only that it is there
    before = now.found if answered else now.heard
    after = replace(now, found=sight) if answered else replace(now, heard=sight)
    notes: list[tuple[Step, str]] = []
    if answered and sight.address != target and sight.address not in now.olds:
        after = replace(after, olds=(*now.olds, sight.address)[-8:])
    if answered and sight.address != target and (now.seen is not None or now.kept is not None):
        return _lost(after, sight, target)
    if not asks and not sight.address and sight.means in (Means.DHCP, Means.BOOTP) and now.seen is not None:
        return Told(replace(after, doubted=True))
    if before is None or (before.adapter, before.address) != (sight.adapter, sight.address):
        notes.append(
            (
                Step.FIND,
                f"{'answers' if answered else 'heard'}{' at' if sight.address else ''} {sight.where}{_by(sight)}",
            )
        )
    return Told(after, tuple(notes))


def _by(sight: Sight) -> str:
    words = {Means.DHCP: ", asking for a lease", Means.BOOTP: ", asking for an address by BOOTP"}
    return words.get(sight.means, "")


def _lost(now: Progress, sight: Sight, target: Address | None) -> Told:
    """Settings that were seen are gone again."""
    back = f"back at {sight.where}" if sight.address else f"back {sight.where}{_by(sight)}"
    said = f"{back}: typed in but not stored"
    fresh = replace(now, seen=None, went=None, kept=None, lost=sight, misses=0, against=said, signs={}, doubted=False)
    if not sight.address:
        fresh = replace(fresh, found=None)  # it has no address that it could be asked at
    return Told(fresh, ((Step.KEEP, said),))


def looked(now: Progress, mac: MacNumber, target: Address, look: Look) -> Told:
    """A look is over: is the device at its new address, alone there, and nowhere else? And does it keep that? And a computer that
    was given an address to reach it, does it have that still?"""
    told = _looked(now, mac, target, look)
    after, said = _helped(told.progress, mac, look)
    return Told(after, (*told.notes, *((Step.REACH, one) for one in said)))


def _helped(now: Progress, mac: MacNumber, look: Look) -> tuple[Progress, tuple[str, ...]]:
    if look.beside is None:
        return now, ()
    there = next((one for one in look.answers.get(look.beside, ()) if one != mac), None)
    where = dotted(look.beside)
    if there is not None:
        fresh = replace(now, helper=there, helper_misses=0)
        return fresh, () if there == now.helper else (f"{Mac(there)} has {where} meanwhile, to reach it",)
    if now.helper is None or not (look.counts and any(look.answers.values())):
        return now, ()  # silence says something only where somebody answered
    if now.helper_misses + 1 < HELPER_GONE_AFTER:
        return replace(now, helper_misses=now.helper_misses + 1), ()
    return replace(now, helper=None, helper_misses=0), (f"{Mac(now.helper)} has {where} no more",)


def _looked(now: Progress, mac: MacNumber, target: Address, look: Look) -> Told:
    there = look.answers.get(target, ())
    others = [one for one in there if one != mac]
    elsewhere = [one for one, macs in look.answers.items() if one != target and mac in macs]
    if now.seen is None:
        return _see(now, mac, target, look, others, elsewhere)
    if others:
        said = f"{Mac(others[0])} answers at {dotted(target)} as well"
        return Told(replace(now, against=said), () if now.against == said else ((Step.KEEP, said),))
    if mac in there:
        return _present(replace(now, misses=0, against="", doubted=False), target, look)
    if look.counts and now.doubted and now.heard is not None:
        return _lost(now, now.heard, target)
    if not look.counts:
        return Told(replace(now, against="nobody at all answers on its link: that says nothing of this device"))
    misses = now.misses + 1
    if misses == GONE_AFTER and now.went is None and now.kept is None:
        return Told(replace(now, misses=misses, went=look.at, against=""), ((Step.KEEP, "it went: nothing answers"),))
    return Told(replace(now, misses=misses, against=""))


def _present(now: Progress, target: Address, look: Look) -> Told:
    if now.went is None or now.kept is not None:
        return Told(now)
    kept = Sight(look.adapter, target, look.at, Means.ANSWER)
    away = max((look.at - now.went) // 1000, 1)
    return Told(replace(now, kept=kept, lost=None), ((Step.KEEP, f"it came back at {dotted(target)} after {away} s"),))


def _see(
    now: Progress, mac: MacNumber, target: Address, look: Look, others: Sequence[MacNumber], elsewhere: Sequence[Address]
) -> Told:  # fmt: skip
    """Passed when the device answers at its new address, nobody else does, and it answers nowhere else."""
    here = mac in look.answers.get(target, ())
    if others:
        said = f"{Mac(others[0])} answers at {dotted(target)}{' as well' if here else ', which is not this device'}"
    elif here and elsewhere:
        said = f"it answers at {dotted(target)}, and still at {dotted(elsewhere[0])}"
    elif here:
        seen = Sight(look.adapter, target, look.at, Means.ANSWER)
        fresh = replace(now, seen=seen, found=seen, went=None, misses=0, against="")
        gone = f", no more at {', '.join(map(dotted, now.olds))}" if now.olds else ""
        return Told(fresh, ((Step.SEE, f"answers at {dotted(target)}, nobody else does{gone}"),))
    else:
        back = now.lost is not None and elsewhere
        return Told(now if back else replace(now, against=""))
    return Told(replace(now, against=said), () if now.against == said else ((Step.SEE, said),))


def betrayed(now: Progress, signs: Mapping[str, str]) -> Progress:
    """Its frames from its new address say something of its settings; the latest word counts."""
    fresh = {**now.signs, **signs}
    return now if fresh == now.signs else replace(now, signs=fresh)


def asked_for(now: Progress, target: Address | None, factory: Sequence[Address]) -> tuple[Address, ...]:
    """The addresses at which a device is to be looked for: its new one, where it was, where it would be as it came."""
    heard = [one.address for one in (now.heard, now.found) if one is not None and one.address]
    wanted = [*([target] if target is not None else []), *heard, *reversed(now.olds), *factory]
    return tuple(dict.fromkeys(wanted))[:12]


def as_json(now: Progress) -> dict[str, Any]:
    """A progress as it is kept."""
    sights = {name: _kept(getattr(now, name)) for name in ("heard", "found", "seen", "kept", "lost")}
    return {**sights, "olds": list(now.olds), "went": now.went, "misses": now.misses, "against": now.against,
            "signs": dict(now.signs), "helper": now.helper, "doubted": now.doubted}  # fmt: skip


def from_json(kept: Mapping[str, Any]) -> Progress:
    """The same again."""
    sights: Any = {name: _sight(kept.get(name)) for name in ("heard", "found", "seen", "kept", "lost")}
    olds = tuple(Address(one) for one in kept.get("olds", ()))
    return Progress(
        **sights, olds=olds, went=kept.get("went"), misses=kept.get("misses", 0), against=kept.get("against", ""),
        signs=kept.get("signs", {}), helper=kept.get("helper"), doubted=kept.get("doubted", False),
    )  # fmt: skip


def _kept(sight: Sight | None) -> list[Any] | None:
    return [sight.adapter, sight.address, sight.at, sight.means.value] if sight is not None else None


def _sight(kept: Sequence[Any] | None) -> Sight | None:
    return Sight(kept[0], Address(kept[1]), kept[2], Means(kept[3])) if kept is not None else None
