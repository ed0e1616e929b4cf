"""Where each switch stands on the map: trees read top-down, rings are rings, and a switch that is added shifts its neighbours and
nobody else's order. Pure; lengths are in units of the map, about the pixels of a screen.

A node is a strip as long as its switch has ports. Below it hang the blocks that it is the top of: another switch, or a ring, whose
members stand in two columns with what hangs on them outside. Many switches with nothing below them stand under one another.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from .graph import Edge, Graph, Node, Ring, across, reach, switch_of

HIGH = 40.0
GAP, DROP = 36.0, 56.0
STACK_GAP, STACK = 26.0, 6
STACKED_FROM = 3
PER_PORT, NARROWEST, WIDEST = 5.0, 132.0, 264.0
DOT = 16.0
ROW_WIDTH = 1800.0
GRID = 8.0


@dataclass(frozen=True, slots=True)
class Spot:
    """A strip on the map: its left upper corner and its width and height."""

    x: float
    y: float
    width: float
    height: float

    @property
    def middle(self) -> float:
        """The middle of it from left to right."""
        return self.x + self.width / 2

    def meets(self, other: Spot, gap: float = 0.0) -> bool:
        """Whether two overlap, or are nearer than a gap."""
        return (
            self.x < other.x + other.width + gap and other.x < self.x + self.width + gap
            and self.y < other.y + other.height + gap and other.y < self.y + self.height + gap
        )  # fmt: skip


@dataclass(slots=True)
class Shape:
    """Some nodes, placed against each other: `anchor` is the middle of the top one, from the left edge."""

    spots: dict[Node, Spot] = field(default_factory=dict)
    width: float = 0.0
    height: float = 0.0
    anchor: float = 0.0
    leaf: bool = False

    def put(self, other: Shape, x: float, y: float) -> None:
        """Put another one into this."""
        for node, spot in other.spots.items():
            self.spots[node] = Spot(spot.x + x, spot.y + y, spot.width, spot.height)
        self.width = max(self.width, x + other.width)
        self.height = max(self.height, y + other.height)


def width_of(ports: int) -> float:
    """How long the strip of a switch is."""
    return min(max(ports * PER_PORT, NARROWEST), WIDEST)


def layout(
    wiring: Graph, rings: Sequence[Ring], roots: Sequence[Node], widths: Mapping[Node, float],
    fixed: Mapping[Node, tuple[float, float]],
) -> dict[Node, Spot]:  # fmt: skip
    """Where every node stands: parts beside each other in rows, each below its root; those that a hand put somewhere are there, by
    their left upper corner, and who would be under them makes room."""
    whole = Shape()
    above = list(dict.fromkeys(f"s{switch_of(node)}" for node in wiring.nodes if node[0] == "r"))
    x = y = high = 0.0
    if above:
        y = HIGH + 1.5 * DROP
    for root in roots:
        part = _Part(wiring, rings, widths, root).tree(root)
        if x and x + part.width > ROW_WIDTH:
            x, y, high = 0.0, y + high + 2 * DROP, 0.0
        whole.put(part, x, y)
        x, high = x + part.width + 2 * GAP, max(high, part.height)
    begin = 0.0
    for node in above:  # a router stands over the first row, in the middle of those that it joins
        single = _single(node, widths)
        beneath = [
            whole.spots[across(edge, one)].middle
            for one in wiring.nodes if one[0] == "r" and f"s{switch_of(one)}" == node
            for edge in wiring.around[one] if across(edge, one) in whole.spots
        ]  # fmt: skip
        wanted = sum(beneath) / len(beneath) - single.anchor if beneath else begin
        begin = max(begin, wanted)
        whole.put(single, begin, 0.0)
        begin += single.width + GAP
    for number, node in enumerate(node for node in wiring.nodes if node not in whole.spots and node[0] != "r"):
        whole.put(_single(node, widths), number * (NARROWEST + GAP), y + high + DROP)
    return _fixed(whole.spots, fixed)


def _single(node: Node, widths: Mapping[Node, float]) -> Shape:
    width, height = (DOT, DOT) if node.startswith("l") else (widths.get(node, NARROWEST), HIGH)
    return Shape({node: Spot(0.0, 0.0, width, height)}, width, height, width / 2, leaf=True)


def _fixed(spots: dict[Node, Spot], fixed: Mapping[Node, tuple[float, float]]) -> dict[Node, Spot]:
    placed = {
        node: Spot(fixed[node][0], fixed[node][1], spot.width, spot.height)
        for node, spot in spots.items()
        if node in fixed
    }
    if not placed:
        return spots
    hands = list(placed.values())
    for node, spot in spots.items():
        if node not in fixed:
            while any(spot.meets(one, GRID) for one in hands):
                spot = Spot(spot.x, spot.y + GRID, spot.width, spot.height)
            placed[node] = spot
    return {node: placed[node] for node in spots}


class _Part:
    """Lays out what hangs together, from its root down."""

    def __init__(self, wiring: Graph, rings: Sequence[Ring], widths: Mapping[Node, float], root: Node) -> None:
        self._wiring, self._widths = wiring, widths
        ways = reach(wiring, root)
        self._parent = {node: across(edge, node) for node, edge in ways.items() if edge is not None}
        self._ring_of: dict[int, Ring] = {number: ring for ring in rings for number in ring.links}
        self._seen: set[Node] = set()

    def tree(self, node: Node, side: str = "middle") -> Shape:
        """A node with all that hangs below it. With a `side` it stands at that edge, and the rest beyond it."""
        self._seen.add(node)
        below = self._below(node)
        own = _single(node, self._widths)
        if not below:
            return own
        row = _row(below)
        made = Shape()
        if side == "middle":
            left = max(0.0, row.anchor - own.width / 2)
            begin = max(0.0, own.width / 2 - row.anchor)
            made.put(own, left, 0.0)
            made.put(row, begin, own.height + DROP)
            made.anchor = left + own.width / 2
        elif side == "right":  # what hangs below stands left of the node
            made.put(row, 0.0, own.height + DROP)
            made.put(own, row.width + GAP, 0.0)
            made.anchor = row.width + GAP + own.width / 2
        else:
            made.put(own, 0.0, 0.0)
            made.put(row, own.width + GAP, own.height + DROP)
            made.anchor = own.width / 2
        return made

    def _below(self, node: Node) -> list[Shape]:
        """What hangs below a node, block by block in the order of links; many leaves stand under one another."""
        found: list[Shape] = []
        rings = set[int]()
        for edge in sorted(self._wiring.around.get(node, ()), key=_order(node)):
            other = across(edge, node)
            ring = self._ring_of.get(edge.link)
            if other in self._seen or other.startswith("r"):
                continue
            if ring is not None and ring.simple and node in ring.nodes:
                if id(ring) not in rings:
                    rings.add(id(ring))
                    found.append(self._ring(node, ring))
            elif self._parent.get(other) == node:  # of what is meshed the shortest ways make the tree
                found.append(self.tree(other))
        leaves = [one for one in found if one.leaf]
        if len(leaves) < STACKED_FROM:
            return found
        rest = [one for one in found if not one.leaf]
        return [*_stacks(leaves), *rest]

    def _ring(self, top: Node, ring: Ring) -> Shape:
        """A ring without its top: down on the left, across, and up on the right."""
        at = ring.nodes.index(top)
        members = [node for node in (*ring.nodes[at + 1 :], *ring.nodes[:at]) if node not in self._seen]
        self._seen |= set(members)
        half = (len(members) + 1) // 2
        lefts = [self.tree(node, "right") for node in members[:half]]
        rights = [self.tree(node, "left") for node in reversed(members[half:])]
        column = max(one.anchor for one in lefts)
        beyond = max((one.width - one.anchor for one in lefts), default=0.0)
        second = column + beyond + GAP + max((one.anchor for one in rights), default=0.0)
        made, y = Shape(), 0.0
        for place in range(max(len(lefts), len(rights))):
            high = 0.0
            for side, where in ((lefts, column), (rights, second)):
                if place < len(side):
                    made.put(side[place], where - side[place].anchor, y)
                    high = max(high, side[place].height)
            y += high + DROP
        made.anchor = (column + second) / 2 if rights else column
        return made


def _row(shapes: Sequence[Shape]) -> Shape:
    """Shapes beside each other; anchored in the middle of where they are anchored."""
    made, x = Shape(), 0.0
    anchors = []
    for shape in shapes:
        made.put(shape, x, 0.0)
        anchors.append(x + shape.anchor)
        x += shape.width + GAP
    made.anchor = (anchors[0] + anchors[-1]) / 2
    return made


def _stacks(leaves: Sequence[Shape]) -> list[Shape]:
    found = []
    for begin in range(0, len(leaves), STACK):
        column, y = Shape(), 0.0
        for leaf in leaves[begin : begin + STACK]:
            column.put(leaf, GRID * 2, y)
            y += leaf.height + STACK_GAP
        column.anchor = column.width / 2
        found.append(column)
    return found


def _order(node: Node) -> Callable[[Edge], tuple[bool, int, int]]:
    """What hangs on a node in the order in which it was entered, so that what is added comes last."""

    def key(edge: Edge) -> tuple[bool, int, int]:
        other = across(edge, node)
        return other[0] != "s", switch_of(other), edge.link

    return key
