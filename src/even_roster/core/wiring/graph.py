"""The wiring as a graph: switches and what is not read are nodes, links are edges. Which links make rings, what would fall with
one, and the way through those that forward. Pure."""

from __future__ import annotations

from collections import deque
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from ..switches.port_states import PortState
from .facts import UNREAD, End, Link
from .links import shut

Node = str
"""`s5`: the switch 5; `r7.31`: the port 31 of the router 7, which passes no frames on to its others; `u…`: one that is not read, by
what it calls itself; `l3`: what hangs between the ends of the link 3."""


def node_of(end: End, routers: Collection[int] = ()) -> Node:
    """The node of an end of a link."""
    if end.switch == UNREAD:
        return f"u{end.called}"
    return f"r{end.switch}.{end.port}" if end.switch in routers else f"s{end.switch}"


def switch_of(node: Node) -> int:
    """The switch or router that a node is of; UNREAD where there is none."""
    return int(node[1:].partition(".")[0]) if node[0] in "sr" else UNREAD


@dataclass(frozen=True, slots=True)
class Standing:
    """How a link stands: at which of its ports it is shut and why, its speed in bits a second (the slower end's; of a bundle all
    members together), the VLANs it carries (None: not told), and its ends' VLANs of frames without a tag. A `dark` one has no link
    at one of its ports, as one that a hand states may."""

    shut: tuple[tuple[int, str], ...] = ()
    speed: int | None = None
    vlans: frozenset[int] | None = None
    plain: tuple[int | None, ...] = ()
    dark: bool = False

    @property
    def forwards(self) -> bool:
        """Whether frames pass. What is shut in one tree of several still passes others."""
        return not self.dark and all(" in tree " in why for _, why in self.shut)

    def carries(self, vlan: int | None) -> bool:
        """Whether frames of a VLAN pass, as far as is told."""
        return self.forwards and (vlan is None or self.vlans is None or vlan in self.vlans)


def standing(link: Link, states: Mapping[int, PortState]) -> Standing:
    """How a link stands by how its ports do."""
    known = [(end.port, states[end.port]) for end in link.ends if end.port in states]
    closed = tuple((port, shut(state.tree)) for port, state in known if shut(state.tree))
    if link.members:
        sums = [sum(states[pair[side]].speed or 0 for pair in link.members if pair[side] in states) for side in (0, 1)]
        speed = min((one for one in sums if one), default=0)
    else:
        speed = min((state.speed for _, state in known if state.speed), default=0)
    told = [_vlans(state) for _, state in known]
    vlans = None
    for one in told:
        if one is not None:
            vlans = one if vlans is None else vlans & one
    ends = {end.port for end in link.ends}
    dark = any(port in ends and state.link in _DARK for port, state in known)
    return Standing(closed, speed or None, vlans, tuple(state.vlan for _, state in known), dark and not link.members)


_DARK = ("down", "not present", "lower layer down")


def _vlans(state: PortState) -> frozenset[int] | None:
    return frozenset((*state.tagged, *([state.vlan] if state.vlan else []))) if state.tagged else None


@dataclass(frozen=True, slots=True)
class Edge:
    """A link, or one of the arms of what hangs between several."""

    one: Node
    other: Node
    link: int


@dataclass(frozen=True, slots=True)
class Ring:
    """Links of which each can fail without cutting anybody off: the nodes, in order where they are a simple ring, else any; which
    links, and which of these are shut."""

    nodes: tuple[Node, ...]
    links: tuple[int, ...]
    shut: tuple[int, ...]
    simple: bool

    @property
    def loop(self) -> bool:
        """Whether nothing of it is shut, so that frames may go round for ever."""
        return not self.shut


@dataclass(slots=True)
class Graph:
    """`links` with how they stand, by their place; who is around each node."""

    links: Sequence[Link]
    standings: Sequence[Standing]
    nodes: list[Node] = field(default_factory=list)
    around: dict[Node, list[Edge]] = field(default_factory=dict)


def graph(
    links: Sequence[Link], states: Mapping[int, PortState], switches: Collection[int] = (), routers: Collection[int] = ()
) -> Graph:  # fmt: skip
    """The graph of some links, with switches that have none."""
    made = Graph(links, [standing(link, states) for link in links])
    for switch in switches:
        made.around.setdefault(f"s{switch}", [])
    for number, link in enumerate(links):
        nodes = [node_of(end, routers) for end in link.ends]
        arms = [Edge(f"l{number}", one, number) for one in nodes]
        for node in nodes:
            made.around.setdefault(node, [])
        if made.standings[number].dark:  # it joins nobody now
            continue
        for edge in [Edge(nodes[0], nodes[1], number)] if len(nodes) == 2 else arms:
            made.around.setdefault(edge.one, []).append(edge)
            if edge.one != edge.other:
                made.around.setdefault(edge.other, []).append(edge)
    made.nodes = list(made.around)
    return made


def across(edge: Edge, node: Node) -> Node:
    """The other end of an edge."""
    return edge.other if edge.one == node else edge.one


def reach(wiring: Graph, begin: Node) -> dict[Node, Edge | None]:
    """Everybody who hangs together with a node, with the edge that leads there, nearest first."""
    found: dict[Node, Edge | None] = {begin: None}
    waiting = deque([begin])
    while waiting:
        at = waiting.popleft()
        for edge in wiring.around.get(at, ()):
            other = across(edge, at)
            if other not in found:
                found[other] = edge
                waiting.append(other)
    return found


def way(wiring: Graph, begin: Node, end: Node, vlan: int | None = None) -> list[Edge] | None:
    """The shortest way through links that forward, and carry a VLAN where that is told; None where there is none that is known."""
    found: dict[Node, tuple[Node, Edge] | None] = {begin: None}
    waiting = deque([begin])
    while waiting and end not in found:
        at = waiting.popleft()
        for edge in wiring.around.get(at, ()):
            other = across(edge, at)
            if other not in found and wiring.standings[edge.link].carries(vlan):
                found[other] = at, edge
                waiting.append(other)
    if end not in found:
        return None
    edges, at = [], end
    while (step := found[at]) is not None:
        at, edge = step
        edges.append(edge)
    return edges[::-1]


def rings(wiring: Graph) -> list[Ring]:
    """All rings: parts that hang together whichever one link fails, two parallel links too (members of a bundle are one)."""
    return [_ring(wiring, edges) for edges in _blocks(wiring) if len(edges) > 1 or edges[0].one == edges[0].other]


def _ring(wiring: Graph, edges: Sequence[Edge]) -> Ring:
    around: dict[Node, list[Edge]] = {}
    for edge in edges:
        for node in {edge.one, edge.other}:
            around.setdefault(node, []).append(edge)
    simple = all(len(mine) == 2 for mine in around.values()) or len(edges) == 1
    nodes = sorted(around)
    if simple and len(edges) > 1:
        nodes = [nodes[0]]
        edge = min(around[nodes[0]], key=lambda one: one.link)
        while (at := across(edge, nodes[-1])) != nodes[0]:
            nodes.append(at)
            edge = next(one for one in around[at] if one is not edge)
    used = tuple(sorted({edge.link for edge in edges}))
    closed = tuple(number for number in used if not wiring.standings[number].forwards)
    return Ring(tuple(nodes), used, closed, simple)


def _blocks(wiring: Graph) -> Iterator[list[Edge]]:
    """The biconnected components, as edges (Hopcroft and Tarjan, without recursion)."""
    depth: dict[Node, int] = {}
    low: dict[Node, int] = {}
    for begin in wiring.nodes:
        if begin in depth:
            continue
        depth[begin] = low[begin] = 0
        stack: list[Edge] = []
        waiting: list[tuple[Node, Edge | None, Iterator[Edge]]] = [(begin, None, iter(wiring.around[begin]))]
        while waiting:
            node, came, edges = waiting[-1]
            edge = next(edges, None)
            if edge is not None:
                other = across(edge, node)
                if edge is came:
                    continue
                if other == node:
                    yield [edge]
                elif other not in depth:
                    depth[other] = low[other] = depth[node] + 1
                    stack.append(edge)
                    waiting.append((other, edge, iter(wiring.around[other])))
                elif depth[other] < depth[node]:
                    stack.append(edge)
                    low[node] = min(low[node], depth[other])
                continue
            waiting.pop()
            if came is None:
                continue
            above = waiting[-1][0]
            low[above] = min(low[above], low[node])
            if low[node] >= depth[above]:
                block = []
                while True:
                    block.append(stack.pop())
                    if block[-1] is came:
                        break
                yield block


def parts(wiring: Graph) -> list[list[Node]]:
    """The nodes that hang together, part by part."""
    seen, found = set[Node](), []
    for node in wiring.nodes:
        if node not in seen:
            part = list(reach(wiring, node))
            seen |= set(part)
            found.append(part)
    return found


def falls(wiring: Graph, root: Node) -> dict[int, frozenset[Node]]:
    """Who would be cut off from a node with each link that no other one stands in for: those behind it."""
    ringed = {number for ring in rings(wiring) for number in ring.links}
    found: dict[int, frozenset[Node]] = {}
    ways = reach(wiring, root)
    behind: dict[Node, set[Node]] = {node: {node} for node in ways}
    for node, edge in reversed(list(ways.items())):
        if edge is None:
            continue
        behind[across(edge, node)] |= behind[node]
        if edge.link not in ringed:
            found[edge.link] = found.get(edge.link, frozenset()) | behind[node]
    return found
