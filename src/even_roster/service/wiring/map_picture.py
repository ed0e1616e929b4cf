"""The map of the wiring at a moment, drawn. Only reads."""

from __future__ import annotations

from ...api.wiring import MapCable, MapStrip, MapView
from ...core.switches.port_states import PortState
from ...core.switches.sentences import speed_said
from ...core.wiring.drawing import Drawing, draw
from ...core.wiring.graph import Node, switch_of
from ...core.wiring.layout import NARROWEST, layout, width_of
from ...core.wiring.outline import outline
from ...store import switch_records
from ..views import maybe_time
from .link_picture import Wiring


def drawing(wiring: Wiring) -> Drawing:
    """The map."""
    graph, book = wiring.graph, wiring.context.switches
    nodes = [*(f"s{key}" for key in wiring.switches), *(node for node in graph.nodes if node[0] == "u")]
    ports: dict[Node, list[int]] = {}
    marks: dict[Node, str] = {}
    for key in wiring.switches:
        found = sorted(
            (port for port in book.switches[key].ports.values() if port.there), key=lambda port: (port.place, port.id)
        )
        ports[f"s{key}"] = [port.id for port in found]
    states = _states(wiring, [port for found in ports.values() for port in found])
    for node, mine in ports.items():
        marks[node] = "".join(_mark(states.get(port)) for port in mine)
    widths = {node: width_of(len(ports[node])) if node in ports else NARROWEST for node in nodes}
    fixed = {f"s{key}": place for key, place in book.wiring.places.items() if f"s{key}" in ports}
    spots = layout(graph, wiring.rings, wiring.roots, widths, fixed)
    called = {node: wiring.called(node) for node in nodes}
    return draw(graph, spots, called, ports, marks, fixed)


def _states(wiring: Wiring, ports: list[int]) -> dict[int, PortState]:
    by_port = wiring.context.switches.by_port
    if wiring.at is None:
        return {port: state for port in ports if (state := by_port[port][1].state) is not None}
    return switch_records.states_by(wiring.connection, ports, wiring.at)


def _mark(state: PortState | None) -> str:
    if state is None:
        return "-"
    if state.wanted == "down":
        return "x"
    if not state.up:
        return "-"
    return "^" if state.uplink else "+"


def view(wiring: Wiring) -> MapView:
    """The map as the API tells it."""
    made = drawing(wiring)
    strips = [
        MapStrip(
            node=one.node, switch=wiring.reference(switch_of(one.node)) if switch_of(one.node) else None,
            called=one.called, x=one.spot.x, y=one.spot.y, width=one.spot.width, height=one.spot.height,
            port_ids=list(one.ports), marks=one.marks, fixed=one.fixed,
        )
        for one in made.strips
    ]  # fmt: skip
    cables = [
        MapCable(
            link_id=wiring.kept[one.link].id, points=[[x, y] for x, y in one.points], width=one.width, blocked=one.shut,
            known=wiring.kept[one.link].link.known.value, said=one.said, word=one.word,
        )
        for one in made.cables
    ]  # fmt: skip
    return MapView(
        strips=strips,
        cables=cables,
        width=made.width,
        height=made.height,
        lines=lines(wiring),
        at=maybe_time(wiring.at),
    )


def lines(wiring: Wiring) -> list[str]:
    """The map as text."""
    by_port, graph = wiring.context.switches.by_port, wiring.graph

    def said(number: int) -> str:
        stands = graph.standings[number]
        shut = "no link" if stands.dark else "" if stands.forwards else "kept shut"
        return ", ".join(part for part in (speed_said(stands.speed), shut, graph.links[number].known.value) if part)

    return outline(graph, wiring.roots, wiring.routers, wiring.called, lambda port: by_port[port][1].name, said)
