"""Whether a port leads to other switches: reasons with weights, all of which are told; a hand's word ends the weighing. Pure.

A port that is no uplink is an edge: who is learnt behind it hangs on it, alone or with others that have something small between.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from statistics import median

from ..mac import MacNumber
from .reading import Neighbour

ENOUGH = 3
_MANY, _CROWD, _TIMES = 5, 20, 4
_SHARE = 0.5
_COMPARED = 40


@dataclass(frozen=True, slots=True)
class Behind:
    """What is known of one port: who announces itself, who is behind it, what the spanning tree makes of it, and what a hand says
    (True: an uplink, False: none, None: nothing)."""

    neighbours: tuple[Neighbour, ...] = ()
    macs: frozenset[MacNumber] = frozenset()
    tree: str = ""
    word: bool | None = None


@dataclass(frozen=True, slots=True)
class Told:
    """One switch: what it is called, the MACs that are its own (none of a router that is no bridge: it hangs on its port as others
    do), and its ports by id."""

    name: str
    own: frozenset[MacNumber]
    ports: Mapping[int, Behind] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Reason:
    """Why a port may be an uplink, and how much that weighs."""

    said: str
    weight: int


@dataclass(frozen=True, slots=True)
class Verdict:
    """Whether a port is an uplink, and why or why not."""

    uplink: bool
    reasons: tuple[Reason, ...] = ()


def verdicts(switches: Sequence[Told]) -> dict[int, Verdict]:
    """What each port is, by its id, from what all switches say at present."""
    owners = {mac: switch for switch in switches for mac in switch.own}
    sizes = [len(port.macs) for switch in switches for port in switch.ports.values() if port.macs]
    usual = median(sizes) if sizes else 0
    first = {key: _alone(switch, port, owners, usual) for switch in switches for key, port in switch.ports.items()}
    edges = _edges(switches, first)
    reasons = {
        key: [*first[key], *_elsewhere(switch, port, edges)]
        for switch in switches
        for key, port in switch.ports.items()
    }
    for key, found in _facing(switches, reasons).items():
        reasons[key].append(found)
    return {key: _verdict(port, reasons[key]) for switch in switches for key, port in switch.ports.items()}


def _alone(switch: Told, port: Behind, owners: Mapping[MacNumber, Told], usual: float) -> list[Reason]:
    """What speaks for an uplink by the port itself."""
    found = []
    for one in port.neighbours:
        called = one.name or one.chassis
        if "telephone" in one.capabilities:
            continue  # a phone passes on what the computer behind it sends, and says that it is a bridge
        if "access point" in one.capabilities:
            found.append(Reason(f"the access point {called} announces itself there", ENOUGH))
        elif "bridge" in one.capabilities:
            found.append(Reason(f"the switch {called} announces itself there", ENOUGH))
        elif "router" in one.capabilities:
            found.append(Reason(f"the router {called} announces itself there", 1))
    others = sorted({owners[mac].name for mac in port.macs if mac in owners and owners[mac] is not switch})
    if others:
        found.append(Reason(f"{_listed(others)} {'is' if len(others) == 1 else 'are'} behind it", ENOUGH))
    if port.tree in ("root", "alternate"):
        found.append(Reason(f"the spanning tree has it as its {port.tree} port", 2))
    count = len(port.macs)
    if count >= max(_MANY, _TIMES * usual):
        found.append(Reason(f"{count} MACs are behind it, where {usual:g} are usual", 2 if count >= _CROWD else 1))
    return found


def _edges(switches: Sequence[Told], first: Mapping[int, list[Reason]]) -> dict[MacNumber, Counter[str]]:
    """At which switches each MAC hangs on a port of which nothing says that it is an uplink."""
    found: dict[MacNumber, Counter[str]] = {}
    for switch in switches:
        for key, port in switch.ports.items():
            if port.word or (port.word is None and _weight(first[key]) > 1):
                continue
            for mac in port.macs:
                found.setdefault(mac, Counter())[switch.name] += 1
    return found


def _elsewhere(switch: Told, port: Behind, edges: Mapping[MacNumber, Counter[str]]) -> list[Reason]:
    """Most of who is behind a port hangs on ports of other switches."""
    counts: Counter[str] = Counter()
    elsewhere = 0
    for mac in port.macs:
        others = [name for name in edges.get(mac, ()) if name != switch.name]
        elsewhere += bool(others)
        counts.update(others)
    if elsewhere < 2 or elsewhere < _SHARE * len(port.macs):
        return []
    return [
        Reason(f"{elsewhere} of the {len(port.macs)} MACs behind it are at ports of {counts.most_common(1)[0][0]}", 2)
    ]


def _facing(switches: Sequence[Told], reasons: Mapping[int, Collection[Reason]]) -> dict[int, Reason]:
    """Ports that face another switch, by what both have learnt: between two switches there is one way, so that whoever both know is
    at the port towards the other at one of them at least. Looked at where somebody is at undecided ports of two switches."""
    undecided = [
        {key for key, port in one.ports.items() if port.macs and port.word is None and _weight(reasons[key]) < ENOUGH}
        for one in switches
    ]
    places: dict[MacNumber, set[int]] = defaultdict(set)
    for number, switch in enumerate(switches):
        for key in undecided[number]:
            for mac in switch.ports[key].macs:
                places[mac].add(number)
    shared: dict[int, Counter[int]] = defaultdict(Counter)
    for numbers in places.values():
        if len(numbers) > 1:
            for one in numbers:
                shared[one].update(numbers - {one})
    tables = {
        number: {mac: key for key, port in switches[number].ports.items() for mac in port.macs} for number in shared
    }
    found: dict[int, Reason] = {}
    for one, others in shared.items():
        for other, _ in others.most_common(_COMPARED):
            for key, reason in _towards(
                tables[one], tables[other], switches[other].name, undecided[one] - found.keys()
            ):
                found[key] = reason
    return found


def _towards(
    own: Mapping[MacNumber, int], other: Mapping[MacNumber, int], name: str, undecided: Collection[int]
) -> list[tuple[int, Reason]]:
    """The undecided port of a switch that faces another one, where there is such."""
    both = Counter((own[mac], other[mac]) for mac in own.keys() & other.keys())
    for (here, _), _ in both.most_common():
        if here not in undecided:
            continue
        there = Counter[int]()
        for (mine, theirs), count in both.items():
            if mine != here:
                there[theirs] += count
        if not there:
            continue
        facing = there.most_common(1)[0][0]
        beyond = sum(count for (mine, theirs), count in both.items() if mine == here and theirs != facing)
        wrong = sum(count for (mine, theirs), count in both.items() if mine != here and theirs != facing)
        if beyond and there[facing] >= 2 and not wrong:
            return [
                (
                    here,
                    Reason(
                        f"{name} has {beyond} of those behind it at other ports than the one that leads here", ENOUGH
                    ),
                )
            ]
    return []


def _verdict(port: Behind, reasons: Collection[Reason]) -> Verdict:
    if port.word is not None:
        said = "a hand says that it is an uplink" if port.word else "a hand says that it is no uplink"
        return Verdict(port.word, (Reason(said, ENOUGH), *reasons))
    return Verdict(_weight(reasons) >= ENOUGH, tuple(reasons))


def _weight(reasons: Collection[Reason]) -> int:
    return sum(one.weight for one in reasons)


def _listed(names: Sequence[str]) -> str:
    shown = ", ".join(names[:3])
    return shown if len(names) <= 3 else f"{shown} and {len(names) - 3} more switches"
