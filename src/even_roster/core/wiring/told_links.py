"""Links that switches tell of themselves: who announces itself at a port (LLDP, IEEE 802.1AB), and which bridge the spanning tree
has at the other end of it (IEEE 802.1D 17.19.18, designated bridge and port). Pure.

Readings are made at different times: what one switch says of the other's port counts for nothing where the other one was read
later and says that the port has no link, or who else is there.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TypeVar

from ..mac import Mac, MacNumber
from ..switches.reading import Neighbour
from .facts import UNREAD, End, Member, Plug

_T = TypeVar("_T")
_PORT_BITS = (0xFFF, 0xFF)
"""How many of a port's identifier are its number: 12 since IEEE 802.1t, 8 before; above them stands its priority."""


@dataclass(frozen=True, slots=True)
class Claim:
    """One switch says who is at the other end of one of its ports; `port` 0 where it is not known which. `tree`: its spanning tree
    says so, else the other one announced itself."""

    by: Member
    plug: Plug
    other: End
    tree: bool = False


@dataclass(slots=True)
class Told:
    """What is told: `joined` are groups of ends, whether both sides say it, and what is said; `taken` are their ports."""

    joined: list[tuple[tuple[End, ...], bool, tuple[str, ...]]] = field(default_factory=list)
    taken: set[int] = field(default_factory=set)


class Directory:
    """Finds switches and their ports by what others call them."""

    def __init__(self, members: Sequence[Member]) -> None:
        self.members = {one.id: one for one in members}
        self.owners: dict[MacNumber, Member] = {mac: one for one in members for mac in one.own}
        self._addresses = _single((address, one) for one in members for address in one.addresses)
        self._names = _single((one.name.casefold(), one) for one in members if one.name)
        self.plugs = {plug.id: (one, plug) for one in members for plug in one.plugs}
        self._called: dict[int, dict[str, int]] = {}

    def switch(self, around: Neighbour) -> Member | None:
        """Who announces itself: by its chassis, else by its address, else by a name that only one has."""
        mac = around.mac
        found = self.owners.get(mac) if mac is not None else None
        found = found or self._addresses.get(around.address or "")
        return found or (self._names.get(around.name.casefold()) if mac is None else None)

    def port(self, other: Member, around: Neighbour) -> int:
        """Which of its ports it means; 0 where that fits none, or several."""
        called = self._ports(other)
        for word in (around.port, around.port_text):
            if word and (found := called.get(word.casefold())):
                return found
        return 0

    def by_base(self, other: Member, number: int) -> int:
        """The port of a bridge by its identifier in the spanning tree; 0 where there is none."""
        bases = {plug.base: plug.id for plug in other.plugs if plug.base}
        return next((bases[number & bits] for bits in _PORT_BITS if number & bits in bases), 0)

    def _ports(self, other: Member) -> dict[str, int]:
        found = self._called.get(other.id)
        if found is None:
            found = self._called[other.id] = {}
            for words in (
                lambda plug: plug.name, lambda plug: str(Mac(plug.mac)) if plug.mac is not None else "",
                lambda plug: plug.text, lambda plug: plug.alias, lambda plug: str(plug.index),
            ):  # fmt: skip
                for word, port in _single((words(plug).casefold(), plug.id) for plug in other.plugs).items():
                    found.setdefault(word, port)
        return found


def _single(pairs: Iterable[tuple[str, _T]]) -> dict[str, _T]:
    """What only one is called by."""
    found: dict[str, _T] = {}
    twice = set()
    for word, one in pairs:
        if word in found and found[word] is not one and found[word] != one:
            twice.add(word)
        found[word] = one
    return {word: one for word, one in found.items() if word and word not in twice}


def told(directory: Directory) -> Told:
    """The links that are told, those with several ends where something that passes announcements on hangs between."""
    claims = list(_claims(directory))
    announced: dict[int, list[Claim]] = defaultdict(list)
    for claim in claims:
        announced[claim.plug.id].append(claim)
    claims = [_with_port(claim, announced, directory) for claim in claims]
    claims = [claim for claim in claims if not _stale(claim, announced, directory)]
    return _joined(claims, directory)


def _claims(directory: Directory) -> Iterator[Claim]:
    for member in directory.members.values():
        for plug in member.plugs:
            if not plug.up:
                continue
            said = False
            owner = directory.owners.get(plug.towards[0]) if plug.towards is not None else None
            for around in plug.neighbours:
                other = directory.switch(around)
                if "telephone" in around.capabilities and other is None:
                    continue
                if other is not None and owner not in (None, other) and not directory.port(other, around):
                    continue  # two that call themselves alike: it has no such port, and the spanning tree has another one there
                if other is not None:
                    said = True
                    yield Claim(member, plug, End(other.id, directory.port(other, around)))
                elif "bridge" in around.capabilities and "access point" not in around.capabilities:
                    said = True
                    yield Claim(member, plug, End(UNREAD, 0, around.name or around.chassis))
            if not said and owner is not None and owner is not member and plug.towards is not None:
                yield Claim(member, plug, End(owner.id, directory.by_base(owner, plug.towards[1])), tree=True)


def _with_port(claim: Claim, announced: Mapping[int, list[Claim]], directory: Directory) -> Claim:
    """Where it is not known which port of the other is meant, the only one at which that one says to meet this one."""
    if claim.other.port or not claim.other.switch:
        return claim
    other = directory.members[claim.other.switch]
    found = [
        plug.id for plug in other.plugs for back in announced.get(plug.id, ())
        if back.other.switch == claim.by.id and back.other.port in (0, claim.plug.id)
    ]  # fmt: skip
    return Claim(claim.by, claim.plug, End(other.id, found[0]), claim.tree) if len(found) == 1 else claim


def _stale(claim: Claim, announced: Mapping[int, list[Claim]], directory: Directory) -> bool:
    """Whether the other side, read later, says otherwise."""
    known = directory.plugs.get(claim.other.port)
    if known is None or known[0].learnt <= claim.by.learnt:
        return False
    says = announced.get(claim.other.port, ())
    return not known[1].up or bool(says and all(back.other.switch != claim.by.id for back in says))


def _joined(claims: Sequence[Claim], directory: Directory) -> Told:
    """Claims put together: what is told of the same ports is one link."""
    groups: dict[End, set[End]] = {}
    for claim in claims:
        own = End(claim.by.id, claim.plug.id)
        merged = groups.get(own, {own}) | (
            groups.get(claim.other, {claim.other}) if claim.other.port else {claim.other}
        )
        for end in merged:
            if end.port:
                groups[end] = merged
    by_port: dict[int, list[Claim]] = defaultdict(list)
    for claim in claims:
        by_port[claim.plug.id].append(claim)
    found, seen = Told(), set[frozenset[End]]()
    for end in sorted(groups):
        ends = frozenset(groups[end])
        if ends in seen or len(ends) < 2:
            continue
        seen.add(ends)
        mine = [claim for one in ends for claim in by_port.get(one.port, ())]
        both = len(ends) == 2 and all(any(claim.plug.id == one.port for claim in mine) for one in ends)
        reasons = tuple(_said(claim, directory) for claim in sorted(mine, key=lambda claim: claim.plug.id))
        found.joined.append((tuple(sorted(ends)), both, reasons))
        found.taken |= {one.port for one in ends if one.port}
    return found


def _said(claim: Claim, directory: Directory) -> str:
    other = directory.members.get(claim.other.switch)
    called = other.name if other is not None else claim.other.called
    port = directory.plugs[claim.other.port][1].name if claim.other.port else ""
    where = f"port {port} of {called}" if port else called
    at = f"{claim.by.name} port {claim.plug.name}"
    return (
        f"the spanning tree has {where} at the other end of {at}" if claim.tree else f"{where} announces itself at {at}"
    )
