"""The links as they are or were at a moment, with the graph they make and what their ends are called. Only reads."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

from sqlalchemy import Connection

from ...api.switches import PortRef, SwitchRef
from ...api.wiring import LinkEnd, LinkMember, LinkView, LinkWordView, RingView
from ...core.switches.port_states import PortState
from ...core.switches.sentences import speed_said
from ...core.wiring.facts import End, Link
from ...core.wiring.graph import Graph, Node, Ring, Standing, across, falls, graph, node_of, reach, rings, switch_of
from ...store import link_records, switch_records
from ..context import Context
from ..switches.picture import Names
from ..views import maybe_time, time_of
from . import own_place


@dataclass(frozen=True, slots=True)
class Kept:
    """A link with its row's id, and from when to when."""

    id: int
    link: Link
    first: int
    last: int | None
    at_least: bool


@dataclass
class Wiring:
    """All links at a moment (None: now) with how their ports stood; `switches` are those that were known then."""

    context: Context
    connection: Connection
    at: int | None = None
    names: Names = field(init=False)

    def __post_init__(self) -> None:
        self.names = Names(self.context, self.connection)

    @cached_property
    def kept(self) -> list[Kept]:
        """The links, in the order of their ends."""
        book = self.context.switches.wiring.links
        if self.at is None:
            found = [Kept(one.row, one.link, one.first, None, one.at_least) for one in book.values()]
        else:
            standing = {one.row: one for one in book.values()}
            found = [
                Kept(row.id, row.link, row.first, row.last, row.id in standing and standing[row.id].at_least)
                for row in link_records.at(self.connection, self.at)
            ]
        return sorted((one for one in found if self._there(one.link)), key=lambda one: one.link.ends)

    def _there(self, link: Link) -> bool:
        """Whether the switches and ports of a link are known still: those of a removed switch are not."""
        ports = self.context.switches.by_port
        return all(end.port in ports if end.port else True for end in link.ends) and all(
            end.switch in self.context.switches.switches for end in link.ends if end.switch
        )

    @cached_property
    def states(self) -> Mapping[int, PortState]:
        """How the ports of links stood."""
        ports = {port for one in self.kept for port in one.link.ports}
        by_port = self.context.switches.by_port
        if self.at is None:
            return {key: state for key in ports if (state := by_port[key][1].state) is not None}
        return switch_records.states_by(self.connection, ports, self.at)

    @cached_property
    def switches(self) -> list[int]:
        """The switches that were known at the moment."""
        every = self.context.switches.switches
        if self.at is None:
            return sorted(every)
        linked = {end.switch for one in self.kept for end in one.link.ends if end.switch}
        return sorted(key for key, one in every.items() if key in linked or (one.begun or self.at + 1) <= self.at)

    @cached_property
    def graph(self) -> Graph:
        """The graph of the links, in the order of `kept`."""
        switches = [key for key in self.switches if key not in self.routers]
        return graph([one.link for one in self.kept], self.states, switches, self.routers)

    @cached_property
    def routers(self) -> frozenset[int]:
        """Those of the switches that pass no frames on."""
        every = self.context.switches.switches
        return frozenset(key for key in self.switches if not every[key].told.get("bridge", True))

    @cached_property
    def rings(self) -> list[Ring]:
        """The rings of the graph."""
        return rings(self.graph)

    @cached_property
    def roots(self) -> list[Node]:
        """The nodes that everything is looked at from, one for each part: see `own_place.roots`."""
        return own_place.roots(self.context, self.connection, self.graph)

    @cached_property
    def depths(self) -> Mapping[Node, int]:
        """How far each node is from the root of its part."""
        found: dict[Node, int] = {}
        for root in self.roots:
            for node, edge in reach(self.graph, root).items():
                found[node] = found[across(edge, node)] + 1 if edge is not None else 0
        return found

    @cached_property
    def falls(self) -> Mapping[int, frozenset[Node]]:
        """Who hangs on each link alone, seen from the root of its part."""
        return {number: gone for root in self.roots for number, gone in falls(self.graph, root).items()}

    # Views

    def called(self, node: Node) -> str:
        """What a node is called; what hangs between several ends has no name."""
        if switch := switch_of(node):
            return self.names.switch(self.context.switches.switches[switch])[1]
        return node[1:] if node.startswith("u") else "something that is not read"

    def reference(self, switch: int) -> SwitchRef:
        """A switch by what it is called."""
        return SwitchRef(id=switch, name=self.called(f"s{switch}"))

    def port(self, port: int) -> PortRef:
        """A port by what its switch calls it."""
        return PortRef(id=port, name=self.context.switches.by_port[port][1].name)

    def end(self, end: End) -> LinkEnd:
        """One end of a link."""
        if not end.switch:
            return LinkEnd(switch=None, port=None, called=end.called)
        switch = self.reference(end.switch)
        port = self.port(end.port) if end.port else None
        return LinkEnd(switch=switch, port=port, called=f"{switch.name} port {port.name}" if port else switch.name)

    def views(self) -> list[LinkView]:
        """All links."""
        ring_of = {number: place for place, ring in enumerate(self.rings, start=1) for number in ring.links}
        found = [self._view(number, one, ring_of.get(number)) for number, one in enumerate(self.kept)]
        return sorted(found, key=lambda one: [(end.switch is None, _natural(end.called)) for end in one.ends])

    def _view(self, number: int, one: Kept, ring: int | None) -> LinkView:
        link, stands = one.link, self.graph.standings[number]
        ends = [self.end(end) for end in self._upper_first(link)]
        behind = sorted(self.called(node) for node in self.falls.get(number, ()) if node[0] in "su")
        where = [f"{self._port_said(port)} ({why})" for port, why in stands.shut]
        return LinkView(
            id=one.id, ends=ends, known=link.known.value, reasons=list(link.reasons), since=time_of(one.first),
            until=maybe_time(one.last), at_least=one.at_least, up=not stands.dark,
            blocked=bool(stands.shut) and not stands.forwards, blocked_at=", ".join(where),
            speed=stands.speed, vlans=sorted(stands.vlans or ()),
            members=[LinkMember(one=self.port(a), other=self.port(b)) for a, b in link.members], between=link.between,
            ring=ring, falls=behind, said=self._said(link, ends, stands, behind),
        )  # fmt: skip

    def _upper_first(self, link: Link) -> list[End]:
        """The ends of a link, the one nearer to the root first."""

        def rank(end: End) -> tuple[bool, int, str, int]:
            node = node_of(end, self.routers)
            return not end.switch, self.depths.get(node, 0), self.called(node), end.port

        return sorted(link.ends, key=rank)

    def _port_said(self, port: int) -> str:
        switch, found = self.context.switches.by_port[port]
        return f"{self.called(f's{switch.row.id}')} port {found.name}"

    def _said(self, link: Link, ends: list[LinkEnd], stands: Standing, behind: list[str]) -> str:
        parts = [" – ".join(one.called for one in ends)]
        if link.members:
            parts.append(f"a bundle of {len(link.members)}")
        parts.append(speed_said(stands.speed))
        if stands.dark:
            parts.append("no link now")
        elif not stands.forwards:
            parts.append("kept shut by the spanning tree")
        if link.between:
            parts.append("something that is not read between")
        if behind:
            parts.append(f"{_listed(behind)} {'hangs' if len(behind) == 1 else 'hang'} on it alone")
        return ", ".join(part for part in parts if part)

    def ring_views(self) -> list[RingView]:
        """All rings."""
        found = []
        for place, ring in enumerate(self.rings, start=1):
            nodes = self._from_root(ring)
            names = [self.called(node) for node in nodes if not node.startswith("l")]
            ids = [self.kept[number].id for number in ring.links]
            shut = [self.kept[number] for number in ring.shut]
            found.append(RingView(
                number=place, switches=names, link_ids=ids, blocked_ids=[one.id for one in shut], loop=ring.loop,
                said=self._ring_said(ring, names, shut),
            ))  # fmt: skip
        return found

    def _from_root(self, ring: Ring) -> tuple[Node, ...]:
        """The nodes of a ring, from the one that is nearest to the root on."""
        if not ring.simple:
            return ring.nodes
        first = min(range(len(ring.nodes)), key=lambda at: self.depths.get(ring.nodes[at], len(ring.nodes)))
        return (*ring.nodes[first:], *ring.nodes[:first])

    def _ring_said(self, ring: Ring, names: list[str], shut: list[Kept]) -> str:
        what = "ring" if ring.simple else "mesh"
        head = f"a {what} of {', '.join(names)}" if len(names) > 1 else f"a cable from {names[0]} to itself"
        if not shut:
            return f"{head}; nothing of it is told to be kept shut"
        told = "; ".join(" – ".join(self.end(end).called for end in self._upper_first(one.link)) for one in shut)
        return f"{head}; kept shut {'is' if len(shut) == 1 else 'are'} {told}"

    def words(self) -> list[LinkWordView]:
        """What hands say of links whose ports are known."""
        ports = self.context.switches.by_port
        found = []
        for row in link_records.word_rows(self.connection):
            if row.one in ports and row.other in ports:
                ends = [self.end(End(ports[key][0].row.id, key)) for key in (row.one, row.other)]
                found.append(LinkWordView(one=ends[0], other=ends[1], joined=row.joined, notes=row.note))
        return found


def _listed(names: list[str]) -> str:
    return ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")


def _natural(text: str) -> list[tuple[int, str]]:
    """A text so that port 9 comes before port 10."""
    return [(int(part), "") if part.isdigit() else (-1, part) for part in re.split(r"(\d{1,9})", text.casefold())]
