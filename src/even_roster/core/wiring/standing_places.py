"""Whether it is certain where those are connected without whom nobody has a network. Pure; times are UTC milliseconds.

A switch that is read with authentication tells truly what it has learnt, and anybody may have taught it that: a frame with the MAC
of a gateway moves the gateway in its table. So a second fact must say the same: an earlier reading, an announcement at that port,
and what the other switches have learnt."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

from ..mac import MacNumber
from .facts import Known, Link


@dataclass(frozen=True, slots=True)
class Seen:
    """Who was learnt (`who`: a gateway, …) at a port in the latest reading of its switch, in some VLANs, since when, and whether it
    is `certain` by more than that: the links that are told lead to it."""

    mac: MacNumber
    who: str
    switch: int
    port: int
    first: int
    vlans: tuple[int, ...] = ()
    certain: bool = False


@dataclass(frozen=True, slots=True)
class Doubts:
    """Why it is not certain where somebody is connected, and which switches tell more when they are read once more."""

    said: tuple[str, ...]
    again: tuple[int, ...]


def doubts(
    seen: Sequence[Seen], links: Iterable[Link], read: Mapping[int, int], switches: Collection[int], called: Mapping[int, str]
) -> Doubts:  # fmt: skip
    """What speaks against the places that some switches tell. `read` is when switches were read last, `called` what ports are
    called by their ids, and switches by their ids below zero."""
    found, again = list[str](), list[int]()
    for one in seen:
        if one.switch not in switches:
            continue
        name, port = called.get(-one.switch, "a switch"), called.get(one.port, str(one.port))
        if one.first >= read.get(one.switch, 0) and not one.certain:
            found.append(f"{name} has learnt {one.who} at port {port} only in its last reading")
            again.append(one.switch)
        for other in seen:
            if (other.mac, other.switch) == (one.mac, one.switch) and other.port > one.port and _same_vlan(one, other):
                ports = f"{port} and {called.get(other.port, str(other.port))}"
                found.append(f"{name} has learnt {one.who} at the ports {ports} at once: somebody else may use its MAC")
    return Doubts((*found, *_contradictions(seen, links, called)), tuple(again))


def _same_vlan(one: Seen, other: Seen) -> bool:
    """Whether two ports may be of one VLAN: a router may have one MAC in several, each by its own cable."""
    return not one.vlans or not other.vlans or bool(set(one.vlans) & set(other.vlans))


def _contradictions(seen: Sequence[Seen], links: Iterable[Link], called: Mapping[int, str]) -> list[str]:
    """Links at both of whose ends somebody was learnt, so that he is behind neither."""
    at: dict[tuple[MacNumber, int], Seen] = {(one.mac, one.port): one for one in seen}
    macs = {one.mac for one in seen}
    found = []
    for link in links:
        if link.known is not Known.BOTH or len(link.ends) != 2:
            continue
        first, second = link.ends
        for mac in macs:
            one, other = at.get((mac, first.port)), at.get((mac, second.port))
            if one is not None and other is not None and _same_vlan(one, other):
                ends = " and ".join(called.get(-end.switch, "a switch") for end in link.ends)
                found.append(f"{ends} have each learnt {one.who} behind the other: somebody else may use its MAC")
    return found
