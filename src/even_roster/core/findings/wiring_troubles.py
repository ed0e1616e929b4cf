"""Works out what is wrong with how switches hang together: links that are lost or slower than they were, rings that are open,
loops, other roots of the spanning tree, VLANs that differ between both ends. Pure; times are UTC milliseconds.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass

from ..switches.sentences import speed_said
from ..wiring.facts import Link
from ..wiring.graph import Graph, Node, Ring, Standing, graph, node_of, rings, switch_of
from .model import DAY, HOUR, Evidence, Severity, Subject
from .wiring import Name, Trouble

STOOD = HOUR
"""How long a link must have stood for its end to be a loss and not a try."""
LOST_FOR = 7 * DAY
TURNED_FOR = DAY


@dataclass(frozen=True, slots=True)
class LinkSeen:
    """A link as it stands or stood: what its ends are called, from when to when, how fast it was before (None: not known).
    `settled`: it was there when its switches were read first, so that it may have stood for years."""

    link: Link
    ends: tuple[str, ...]
    first: int
    last: int | None = None
    usual: int | None = None
    settled: bool = False


@dataclass(frozen=True, slots=True)
class RootSeen:
    """Which root of the spanning tree a switch names, since when, and which it named before; as they are called."""

    switch: str
    root: str
    before: str
    at: int


@dataclass(frozen=True, slots=True)
class WiringSeen:
    """The wiring now: links in the order of the graph, what was lost lately, roots that turned; `called` names a node, `address`
    is where a switch is read. `trees` are the switches that tell of a spanning tree, `dark` the ports that have no link."""

    graph: Graph
    links: Sequence[LinkSeen]
    lost: Sequence[LinkSeen]
    roots: Sequence[RootSeen]
    called: Callable[[Node], str]
    address: Callable[[int], str]
    trees: Collection[int]
    dark: Collection[int]
    routers: Collection[int] = ()


Told = Iterator[tuple[Name, Trouble]]


def wiring_troubles(seen: WiringSeen, now: int) -> dict[Name, Trouble]:
    """Everything that is wrong, by kind and key."""
    found: dict[Name, Trouble] = {}
    for one in (_lost(seen, now), _slower(seen), _loops(seen), _roots(seen, now), _plain_vlans(seen)):
        found.update(one)
    return found


def _said(ends: Sequence[str]) -> str:
    return " – ".join(ends)


def _subjects(seen: WiringSeen, one: LinkSeen) -> tuple[Subject, ...]:
    addresses = [seen.address(end.switch) for end in one.link.ends if end.switch]
    return (
        *(Subject("switch", end) for end in one.ends),
        *(Subject("address", address) for address in dict.fromkeys(addresses) if address),
    )


def _lost(seen: WiringSeen, now: int) -> Told:
    """Links that stood and are gone, at a port that has no link now: that nobody tells of one any more takes no cable out."""
    links = [one.link for one in seen.links]
    taken = {port for link in links for port in link.ports}
    for one in seen.lost:
        assert one.last is not None
        young = one.last - one.first < STOOD and not one.settled
        dark = [end for end in one.link.ends if end.port in seen.dark]
        if young or now - one.last > LOST_FOR or one.link.ports & taken or not dark:
            continue
        where = " and ".join(said for end, said in zip(one.link.ends, one.ends, strict=True) if end in dark)
        gone = Evidence(f"{where} {'has' if len(dark) == 1 else 'have'} no link now")
        ring = _ring_with(seen, links, one.link)
        if ring is None:
            yield (
                ("link-lost", f"link {one.link.key}"),
                Trouble(
                    Severity.WRONG, _subjects(seen, one),
                    (Evidence(f"{_said(one.ends)} were joined", one.last), gone),
                    "See whether the cable is out, or one of the switches; if it was taken away on purpose, accept this",
                ),
            )  # fmt: skip
            continue
        names = [seen.called(node) for node in ring.nodes if node[0] != "l"]
        what = "the ring" if ring.simple else "the mesh"
        yield (
            ("ring-open" if ring.simple else "one-way-left", f"link {one.link.key}"),
            Trouble(
                Severity.WRONG, _subjects(seen, one),
                (Evidence(f"{_said(one.ends)} were joined", one.last), gone,
                 Evidence(f"without it {what} of {', '.join(names)} has a gap: the next cable that fails cuts somebody off")),
                "Put the cable back, or find out which of the two ports or switches failed",
            ),
        )  # fmt: skip


def _ring_with(seen: WiringSeen, links: Sequence[Link], gone: Link) -> Ring | None:
    """The ring that a lost link would close, None where it was the only way."""
    whole = graph([*links, gone], {}, (), seen.routers)
    return next((ring for ring in rings(whole) if len(links) in ring.links), None)


def _slower(seen: WiringSeen) -> Told:
    for one, stands in zip(seen.links, seen.graph.standings, strict=True):
        if stands.speed and one.usual and stands.speed < one.usual and not one.link.members:
            yield (
                ("link-slower", f"link {one.link.key}"),
                Trouble(
                    Severity.WRONG, _subjects(seen, one),
                    (Evidence(f"{_said(one.ends)} runs at {speed_said(stands.speed)}"),
                     Evidence(f"it ran at {speed_said(one.usual)} before")),
                    "Change the cable first, then the plugs; see whether the speed was set by hand at one end",
                ),
            )  # fmt: skip


def _loops(seen: WiringSeen) -> Told:
    for ring in rings(seen.graph):
        if not ring.loop:
            continue
        one = seen.links[ring.links[0]]
        names = [seen.called(node) for node in ring.nodes if node[0] != "l"]
        circle = "; ".join(_said(seen.links[number].ends) for number in ring.links[:6])
        guarded = {switch_of(node) for node in ring.nodes} & set(seen.trees)
        which = "none of it is kept shut by a spanning tree" if guarded else "no switch of it tells of a spanning tree"
        yield (
            ("loop-suspected", f"ring {' '.join(sorted(seen.links[number].link.key for number in ring.links))}"),
            Trouble(
                Severity.WRONG if guarded else Severity.NOTICE, _subjects(seen, one),
                (Evidence(f"the links of {', '.join(names)} make a circle: {circle}"), Evidence(which)),
                "See whether one of these cables is one too many; if something else guards the circle, accept this",
            ),
        )  # fmt: skip


def _roots(seen: WiringSeen, now: int) -> Told:
    turned: dict[tuple[str, str], list[RootSeen]] = {}
    for one in seen.roots:
        if one.before and one.before != one.root and now - one.at < TURNED_FOR:
            turned.setdefault((one.before, one.root), []).append(one)
    for (before, root), told in turned.items():
        who = ", ".join(sorted(one.switch for one in told)[:4])
        yield (
            ("root-changed", f"root {before} {root}"),
            Trouble(
                Severity.NOTICE, (Subject("switch", root), Subject("switch", before)),
                (Evidence(f"{root} is the root of the spanning tree by what {who} {'says' if len(told) == 1 else 'say'}",
                          min(one.at for one in told)),
                 Evidence(f"it was {before} before")),
                "See whether the former root failed; a switch that must be the root is given the lowest priority",
            ),
        )  # fmt: skip


def _plain_vlans(seen: WiringSeen) -> Told:
    for one, stands in zip(seen.links, seen.graph.standings, strict=True):
        vlans = _told(stands)
        if len(vlans) < 2 or any(node_of(end, seen.routers)[0] == "r" for end in one.link.ends) or one.link.between:
            continue
        yield (
            ("vlans-differ", f"link {one.link.key}"),
            Trouble(
                Severity.WRONG, _subjects(seen, one),
                (Evidence(f"frames without a tag belong to VLAN {' at one end and to VLAN '.join(map(str, sorted(vlans)))} at the "
                          f"other of {_said(one.ends)}"),),
                "Give both ends the same VLAN for frames without a tag: what is sent into one comes out in the other",
            ),
        )  # fmt: skip


def _told(stands: Standing) -> set[int]:
    return {vlan for vlan in stands.plain if vlan}


def usual_speeds(before: Mapping[int, int], links: Sequence[Link]) -> list[int | None]:
    """How fast each link was before it stood as it does, by how fast its ports were: the slower end's."""
    found: list[int | None] = []
    for link in links:
        speeds = [before[end.port] for end in link.ends if end.port in before]
        found.append(min(speeds) if len(speeds) == len(link.ends) else None)
    return found
