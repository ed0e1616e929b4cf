"""The map of the wiring as a drawing: strips with a mark for each port, cables from port to port. Console, SVG and text are made
from this one. Pure; lengths are in units of the map.

A mark is `+` for a link, `^` for one to another switch, `x` for switched off, `-` for nothing.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from xml.sax.saxutils import escape

from ..switches.sentences import speed_said
from .facts import End, Link
from .graph import Graph, Node, Standing
from .layout import HIGH, Spot

Point = tuple[float, float]
INSET = 8.0
LANE, LANES, CLEAR = 4.0, 6, 10.0
MARGIN, TITLE, TITLE_LETTER = 32.0, 48.0, 10.0
_WIDTHS = ((25_000_000_000, 4.5), (10_000_000_000, 3.25), (2_500_000_000, 2.5), (1_000_000_000, 1.75))
_THIN = 1.0


@dataclass(frozen=True, slots=True)
class Strip:
    """A switch on the map: what it is called, where, its ports in their order with a mark each; `fixed` by a hand."""

    node: Node
    called: str
    spot: Spot
    ports: tuple[int, ...] = ()
    marks: str = ""
    fixed: bool = False

    def at(self, port: int) -> float:
        """How far from the left a port's mark is; of one that is not known the middle."""
        if port not in self.ports:
            return self.spot.middle
        step = (self.spot.width - 2 * INSET) / len(self.ports)
        return self.spot.x + INSET + (self.ports.index(port) + 0.5) * step


@dataclass(frozen=True, slots=True)
class Cable:
    """A link on the map, or an arm of one: the corners of its way, how wide it is drawn, whether it is kept shut, what is said of
    it, and the word that stands at it."""

    link: int
    points: tuple[Point, ...]
    width: float
    shut: bool
    inferred: bool
    said: str
    word: str


@dataclass(slots=True)
class Drawing:
    """The whole map."""

    strips: list[Strip] = field(default_factory=list)
    cables: list[Cable] = field(default_factory=list)
    width: float = 0.0
    height: float = 0.0


def draw(
    wiring: Graph, spots: Mapping[Node, Spot], called: Mapping[Node, str], ports: Mapping[Node, Sequence[int]],
    marks: Mapping[Node, str], fixed: Mapping[Node, object],
) -> Drawing:  # fmt: skip
    """The map of a graph whose nodes stand at some spots; the nodes of a router are one strip, by the node `s` and its number."""
    made = Drawing()
    for node, spot in spots.items():
        made.strips.append(
            Strip(node, called.get(node, ""), spot, tuple(ports.get(node, ())), marks.get(node, ""), node in fixed)
        )
    strips = {one.node: one for one in made.strips}
    lanes: dict[Node, int] = {}
    for number, link in enumerate(wiring.links):
        hub = strips.get(f"l{number}")
        ends = [(strips.get(_strip_of(end)), end) for end in link.ends]
        pairs = [((hub, None), end) for end in ends] if hub is not None else [(ends[0], ends[1])]
        for (one, first), (other, second) in pairs:
            if one is not None and other is not None:
                points = _way(one, first, other, second, lanes)
                made.cables.append(_cable(number, link, wiring.standings[number], points))
    made.width = max((one.spot.x + one.spot.width for one in made.strips), default=0.0)
    made.height = max((one.spot.y + one.spot.height for one in made.strips), default=0.0)
    for cable in made.cables:
        made.width = max(made.width, *(x for x, _ in cable.points))
        made.height = max(made.height, *(y for _, y in cable.points))
    return made


def _strip_of(end: End) -> Node:
    return f"s{end.switch}" if end.switch else f"u{end.called}"


def _cable(number: int, link: Link, stands: Standing, points: tuple[Point, ...]) -> Cable:
    width = next((width for least, width in _WIDTHS if (stands.speed or 0) >= least), _THIN)
    said = [speed_said(stands.speed)]
    if link.members:
        said.append(f"{len(link.members)} cables")
    word = "no link" if stands.dark else "" if stands.forwards else "kept shut"
    said.append(word)
    whole = ", ".join(one for one in said if one)
    return Cable(number, points, width, bool(word), link.known.value == "inferred", whole, word)


def _way(one: Strip, first: End | None, other: Strip, second: End | None, lanes: dict[Node, int]) -> tuple[Point, ...]:
    """The corners of a cable: down from the upper strip, across just above the lower one, and down to its port; between strips of
    one height below both. Cables to one strip keep a lane apart."""
    if other.spot.y < one.spot.y:
        one, first, other, second = other, second, one, first
    begin, end = one.at(first.port if first else 0), other.at(second.port if second else 0)
    bottom = one.spot.y + one.spot.height
    lane = max(lanes.get(one.node, 0), lanes.get(other.node, 0))
    lanes[one.node] = lanes[other.node] = (lane + 1) % LANES
    if other.spot.y < bottom + CLEAR:
        level = max(bottom, other.spot.y + other.spot.height) + CLEAR + lane * LANE
        return (begin, bottom), (begin, level), (end, level), (end, other.spot.y + other.spot.height)
    level = other.spot.y - CLEAR - lane * LANE
    if other.spot.y - bottom < 2 * HIGH + CLEAR:
        return (begin, bottom), (begin, level), (end, level), (end, other.spot.y)
    beside = other.spot.x - CLEAR - lane * LANE  # past whoever stands between in the same column
    upper = bottom + CLEAR + lane * LANE
    return (begin, bottom), (begin, upper), (beside, upper), (beside, level), (end, level), (end, other.spot.y)


def svg(drawing: Drawing, title: str, lit: frozenset[int] = frozenset()) -> str:
    """The map as a document of its own, on white, for print; `lit` links are drawn strong."""
    width = max(drawing.width, len(title) * TITLE_LETTER) + 2 * MARGIN
    height = drawing.height + 2 * MARGIN + TITLE
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width:.0f} {height:.0f}" width="{width:.0f}" height="{height:.0f}" '
        'font-family="Atkinson Hyperlegible Next, Helvetica, Arial, sans-serif">',
        f'<rect width="{width:.0f}" height="{height:.0f}" fill="#ffffff"/>',
        f'<text x="{MARGIN:.0f}" y="{MARGIN:.0f}" font-size="18" font-weight="700" fill="#1d2a2a">{escape(title)}</text>',
        f'<g transform="translate({MARGIN:.0f} {MARGIN + TITLE:.0f})">',
    ]
    for cable in drawing.cables:
        out += _svg_cable(cable, cable.link in lit)
    for strip in drawing.strips:
        out += _svg_strip(strip)
    return "\n".join([*out, "</g>", "</svg>", ""])


def _svg_cable(cable: Cable, lit: bool) -> list[str]:
    points = " ".join(f"{x:.1f},{y:.1f}" for x, y in cable.points)
    dash = ' stroke-dasharray="7 5"' if cable.shut else ' stroke-dasharray="1.5 3.5"' if cable.inferred else ""
    ink = "#8a3b12" if lit else "#6b7a7a" if cable.shut else "#1f5f5b"
    width = cable.width + (2 if lit else 0)
    out = [
        f'<polyline points="{points}" fill="none" stroke="{ink}" stroke-width="{width:.2f}" stroke-linejoin="round"'
        f' stroke-linecap="round"{dash}><title>{escape(cable.said)}</title></polyline>'
    ]
    if cable.word:
        x, y = _label_place(cable.points)
        out.append(
            f'<text x="{x:.1f}" y="{y:.1f}" font-size="11" fill="#4a5656" text-anchor="middle" paint-order="stroke" '
            'stroke="#ffffff" stroke-width="4">' + cable.word + "</text>"
        )
    return out


def _label_place(points: Sequence[Point]) -> Point:
    """The middle of the longest stretch that lies, a little above it."""
    flat = max(pairwise(points), key=lambda pair: abs(pair[0][0] - pair[1][0]))
    return (flat[0][0] + flat[1][0]) / 2, (flat[0][1] + flat[1][1]) / 2 + 4


def _svg_strip(strip: Strip) -> list[str]:
    spot = strip.spot
    if strip.node.startswith("l"):
        return [
            f'<rect x="{spot.x:.1f}" y="{spot.y:.1f}" width="{spot.width:.1f}" height="{spot.height:.1f}" rx="3" fill="#ffffff" '
            'stroke="#6b7a7a" stroke-dasharray="2 2"><title>something that is not read</title></rect>'
        ]
    dash = ' stroke-dasharray="4 3"' if strip.node.startswith("u") else ""
    shown = escape(fitting(strip.called, spot.width))
    out = [
        f'<rect x="{spot.x:.1f}" y="{spot.y:.1f}" width="{spot.width:.1f}" height="{spot.height:.1f}" rx="3" fill="#f6f4ee" '
        f'stroke="#1d2a2a"{dash}/>',
        f'<text x="{spot.x + INSET:.1f}" y="{spot.y + 16:.1f}" font-size="12.5" fill="#1d2a2a">{shown}'
        f"<title>{escape(strip.called)}</title></text>",
    ]
    base = spot.y + spot.height - 6
    for place, mark in enumerate(strip.marks):
        x = strip.at(strip.ports[place])
        if mark == "-":
            out.append(f'<line x1="{x:.1f}" y1="{base - 2:.1f}" x2="{x:.1f}" y2="{base:.1f}" stroke="#9aa5a5"/>')
        elif mark == "x":
            out.append(f'<path d="M{x - 1.5:.1f} {base - 7:.1f}l3 6m0 -6l-3 6" stroke="#8a3b12" fill="none"/>')
        else:
            high = 14 if mark == "^" else 8
            out.append(
                f'<line x1="{x:.1f}" y1="{base - high:.1f}" x2="{x:.1f}" y2="{base:.1f}" stroke="#1f5f5b" stroke-width="2"/>'
            )
    return out


def fitting(text: str, width: float) -> str:
    """As much of a text as fits into a strip."""
    most = int((width - 2 * INSET) / 6.4)
    return text if len(text) <= most else text[: most - 1] + "…"
