"""The way between two devices or addresses, cable by cable, now or at a moment. Only reads.

Where both are in different subnets the way goes by the router that has both. What forwarding tables say of the one who is looked
for is told at each switch: it agrees, or it does not.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from ...api.common import DeviceRef
from ...api.wiring import PathHop, PathPoint, PathView
from ...core.address import dotted, ipv4
from ...core.mac import MacNumber
from ...core.plan.model import Subnet
from ...core.switches.placing import Grade
from ...core.switches.port_states import PortState
from ...core.switches.sentences import speed_said
from ...core.wiring.facts import Link
from ...core.wiring.graph import Edge, Node, across, way
from ...store import switch_records
from ...store.edits import Missing
from ..switches import picture
from ..switches.port_rates import error_shares
from ..switches.where import Places, holders, macs_of
from ..views import device_ref, maybe_time
from .link_picture import Wiring

_ORDER = {Grade.ON: 0, Grade.BEHIND: 1, Grade.SINCE: 2}
_ON = {Grade.ON: "on this port", Grade.BEHIND: "behind this port", Grade.SINCE: "last on this port"}


@dataclass(frozen=True, slots=True)
class Stop:
    """Where somebody is: at a port of a switch, or a switch itself."""

    called: str
    device: DeviceRef | None
    mac: MacNumber | None
    address: str | None
    node: Node | None
    port: int = 0
    grade: Grade | None = None
    vlan: int | None = None


@dataclass(slots=True)
class Found:
    """A way: its cables, and what is not known of it."""

    hops: list[PathHop] = field(default_factory=list)
    by: list[str] = field(default_factory=list)
    lacks: list[str] = field(default_factory=list)
    ports: list[int] = field(default_factory=list)


class PathFinder:
    """Finds ways through the wiring of a moment."""

    def __init__(self, wiring: Wiring) -> None:
        self._wiring, self._context, self._connection = wiring, wiring.context, wiring.connection
        self._places = Places(wiring.context, wiring.connection, wiring.at)
        self._names = wiring.names

    def find(self, begin: str, end: str) -> tuple[PathView, tuple[object, ...]]:
        """The way from one to the other, and what tells it from others. Raises Missing, Ambiguous."""
        one = self.stop(begin)
        other = self.stop(end) if end.strip() else self._gateway(one)
        router, found = self._route(one, other), Found()
        if router is None:
            self._leg(one, other, found)
        else:
            routed, back, lack = router
            if lack:
                found.lacks.append(lack)
            if routed is not None and back is not None:
                self._leg(one, routed, found)
                self._leg(back, other, found)
        shares = error_shares(self._connection, found.ports) if self._wiring.at is None else {}
        hops = [self._measured(hop, shares) for hop in found.hops]
        gate = router[0].device if router is not None and router[0] is not None else None
        by = list(dict.fromkeys(found.by))
        whole = not found.lacks and bool(hops)
        view = PathView(
            begin=self._end(one), end=self._end(other), hops=hops, routed_by=gate, whole=whole, by=by, lacks=found.lacks,
            at=maybe_time(self._wiring.at), said=_said(one, other, by, gate, found),
        )  # fmt: skip
        return view, (tuple(found.ports), tuple(found.lacks), gate.id if gate is not None else None)

    def _gateway(self, one: Stop) -> Stop:
        """Where the gateway of somebody's subnet is. Raises Missing."""
        subnet = self._subnet_of(one)
        if subnet is None or subnet.gateway is None:
            raise Missing(f"no gateway is planned for {one.called}: give both ends")
        return self.stop(dotted(subnet.gateway))

    # Ends

    def stop(self, what: str) -> Stop:
        """Where somebody is. Raises Missing, Ambiguous."""
        try:
            macs = macs_of(self._context, self._connection, what, self._wiring.at)
        except Missing as error:
            try:
                switch = picture.find(self._context, self._connection, what)  # one whose MACs nobody has seen
            except Missing:
                raise error from None
            device, called = self._names.switch(switch)
            return Stop(called, device, None, dotted(switch.row.address), f"s{switch.row.id}")
        return self.of_macs(macs, self._given(what))

    def of_macs(self, macs: Sequence[MacNumber], address: str | None = None) -> Stop:
        """Where the best known of some adapters of one device is."""
        owners, graph = self._context.switches.owners, self._wiring.graph
        self._names.learn(macs)
        row = next((found for mac in macs if (found := self._names.device(mac)) is not None), None)
        device = device_ref(row) if row is not None else None
        for mac in macs:
            own = owners.get(mac)
            if own is not None and f"s{own.row.id}" in graph.around:
                called = self._names.switch(own)
                return Stop(called[1], called[0], mac, dotted(own.row.address), f"s{own.row.id}")
        placed = self._places.of(macs)
        ranked = sorted(
            ((_ORDER[one.grade], number, mac, one) for number, mac in enumerate(macs) if (one := placed[mac]) is not None),
            key=lambda one: one[:2],
        )  # fmt: skip
        if not ranked:
            return Stop(self._names.said(macs[0]), device, macs[0], address or self._names.address(macs[0]), None)
        _, _, mac, best = ranked[0]
        where = address or self._names.address(mac)
        node, port = f"s{best.at.switch}", best.at.port
        return Stop(self._names.said(mac), device, mac, where, node, port, best.grade, self._vlan(mac, port, where))

    def _given(self, what: str) -> str | None:
        try:
            return dotted(ipv4(what.strip()))
        except ValueError:
            return None

    def _vlan(self, mac: MacNumber, port: int, address: str | None) -> int | None:
        """The VLAN that somebody is in: as his port has learnt him, else that of his subnet, else his port's."""
        _, now = self._context.switches.by_port[port]
        stay = now.stays.get(mac)
        if stay is not None and len(stay.vlans) == 1:
            return stay.vlans[0]
        subnet = self._subnet(address)
        if subnet is not None and subnet.vlan is not None:
            return subnet.vlan
        return now.state.vlan if now.state is not None else None

    def _subnet(self, address: str | None) -> Subnet | None:
        if address is None:
            return None
        return self._context.plan.plan.subnet_at(self._context.plan.site_here, ipv4(address))

    def _subnet_of(self, stop: Stop) -> Subnet | None:
        """Somebody's subnet: by his address, else the only one that is planned for his VLAN."""
        found = self._subnet(stop.address)
        if found is not None or stop.vlan is None:
            return found
        subnets = [
            one for one in self._context.plan.plan.subnets_of(self._context.plan.site_here) if one.vlan == stop.vlan
        ]
        return subnets[0] if len(subnets) == 1 else None

    # The router between

    def _route(self, one: Stop, other: Stop) -> tuple[Stop | None, Stop | None, str] | None:
        """The router between two subnets, as where it is on either side; or why there is none. None where none is needed."""
        first, second = self._subnet_of(one), self._subnet_of(other)
        if first is None or second is None or first.network == second.network:
            return None
        sides = []
        for subnet in (first, second):
            macs = self._gate_macs(subnet)
            if not macs:
                named = subnet.name or str(subnet.network)
                what = "has no gateway in the plan" if subnet.gateway is None else "has a gateway of unknown MAC"
                return None, None, f"{named} {what}: how it goes to other subnets is not known"
            sides.append(self.of_macs(macs, dotted(subnet.gateway) if subnet.gateway is not None else None))
        here, there = sides
        if here.device is not None and there.device is not None and here.device.id == there.device.id:
            return here, there, ""
        if here.mac is not None and here.mac == there.mac:
            return here, there, ""
        gates = {dotted(one.gateway) for one in (first, second) if one.gateway is not None}
        for switch in self._context.switches.switches.values():
            if gates <= {dotted(switch.row.address), *switch.told.get("addresses", ())}:  # a router that says so itself
                device, called = self._names.switch(switch)
                return replace(here, device=device or here.device, called=called), replace(there, called=called), ""
        return here, there, f"{here.called} and {there.called} are the gateways; how they are joined is not known"

    def _gate_macs(self, subnet: Subnet) -> Sequence[MacNumber]:
        """The MACs of a subnet's gateway: who holds its address, else those of the router that is read and has it, of its ports
        first that in the subnet's VLAN."""
        if subnet.gateway is None:
            return []
        found = holders(self._context, self._connection, subnet.gateway, self._wiring.at)
        if found:
            return found
        for switch in self._context.switches.switches.values():
            if dotted(subnet.gateway) in switch.told.get("addresses", ()):
                own = sorted(switch.own)
                placed = self._places.of(own)
                vlans = {mac: self._vlan(mac, one.at.port, None) for mac, one in placed.items() if one is not None}
                inside = [mac for mac in own if vlans.get(mac) == subnet.vlan and subnet.vlan is not None]
                return inside or own
        return []

    # Cables

    def _leg(self, one: Stop, other: Stop, found: Found) -> None:
        """The way between two who are in one subnet."""
        for stop in (one, other):
            if stop.node is None:
                found.lacks.append(f"no switch that is read has learnt {stop.called}")
            elif stop.grade is Grade.SINCE:
                found.lacks.append(f"{stop.called} is not there; this is where it was last")
        if one.node is None or other.node is None:
            return
        seen = self._learnt(other.mac)
        if one.port:
            found.hops.append(self._edge_hop(one, forth=True))
            found.ports.append(one.port)
        if one.port and one.port == other.port:
            found.lacks.append("both hang behind one port; what joins them there is not read")
            found.by.append(self._wiring.called(one.node))
        elif one.node == other.node:
            found.by.append(self._wiring.called(one.node))
        else:
            self._through(one, other, seen, found)
        if other.port:
            found.hops.append(self._edge_hop(other, forth=False))
            found.ports.append(other.port)
        for stop in (one, other):
            if stop.grade is Grade.BEHIND:
                found.lacks.append(f"what hangs between {self._port_said(stop.port)} and {stop.called} is not read")

    def _through(self, one: Stop, other: Stop, seen: dict[int, set[int]], found: Found) -> None:
        assert one.node is not None and other.node is not None
        graph, vlan = self._wiring.graph, other.vlan or one.vlan
        edges = way(graph, one.node, other.node, vlan)
        if edges is None and vlan is not None:
            edges = way(graph, one.node, other.node)
            if edges is not None:
                found.lacks.append(f"not every link of it is told to carry VLAN {vlan}")
        here, there = self._wiring.called(one.node), self._wiring.called(other.node)
        if edges is None:
            found.lacks.append(f"no link that forwards is known between {here} and {there}")
            found.by += [here, there]
            return
        at = one.node
        found.by.append(here)
        came: tuple[Node, Edge] | None = None
        for edge in edges:
            beyond = across(edge, at)
            if beyond.startswith("l"):  # two arms of what hangs between several ends are one hop
                came = at, edge
            else:
                begin = came[0] if came is not None else at
                found.hops.append(self._hop(edge.link, begin, beyond, vlan, seen, found))
                found.by.append(self._wiring.called(beyond))
                came = None
            at = beyond

    def _hop(
        self, number: int, begin: Node, beyond: Node, vlan: int | None, seen: dict[int, set[int]], found: Found
    ) -> PathHop:
        kept = self._wiring.kept[number]
        link, stands = kept.link, self._wiring.graph.standings[number]
        one, other = self._point(link, begin), self._point(link, beyond)
        found.ports += [point.port.id for point in (one, other) if point.port is not None]
        known = seen.get(int(begin[1:]), set()) if begin.startswith("s") else set()
        agrees = bool(known & link.ports) if known else None
        duplexes = {state.duplex for port in link.ports if (state := self._wiring.states.get(port)) and state.duplex}
        duplex = "half" if "half" in duplexes else next(iter(duplexes), "")
        return PathHop(
            link_id=kept.id, one=one, other=other, known=link.known.value, seen=agrees, speed=stands.speed, duplex=duplex,
            vlan=vlan, error_share=None, between=link.between, said=_hop_said(link, stands.speed, duplex, agrees),
        )  # fmt: skip

    def _edge_hop(self, stop: Stop, *, forth: bool) -> PathHop:
        """The cable of a device's own."""
        assert stop.node is not None and stop.grade is not None
        device = PathPoint(device=stop.device, switch=None, port=None, called=stop.called)
        switch = self._wiring.reference(int(stop.node[1:]))
        port = PathPoint(
            device=None, switch=switch, port=self._wiring.port(stop.port), called=self._port_said(stop.port)
        )
        state = self._state(stop.port)
        one, other = (device, port) if forth else (port, device)
        speed, duplex = (state.speed, state.duplex) if state is not None and state.up else (None, "")
        parts = [speed_said(speed), "half duplex" if duplex == "half" else "", _ON[stop.grade]]
        return PathHop(
            link_id=self._routers_link(stop), one=one, other=other, known=_ON[stop.grade], seen=None, speed=speed, duplex=duplex,
            vlan=stop.vlan, error_share=None, between=stop.grade is Grade.BEHIND, said=", ".join(part for part in parts if part),
        )  # fmt: skip

    def _routers_link(self, stop: Stop) -> int | None:
        """The link that a router's cable is, where he who stops there is a router that is read."""
        routers = self._wiring.routers
        return next(
            (
                one.id for one in self._wiring.kept
                if stop.port in one.link.ports and any(end.switch in routers for end in one.link.ends)
            ),
            None,
        )  # fmt: skip

    def _point(self, link: Link, node: Node) -> PathPoint:
        end = next(one for one in link.ends if (f"s{one.switch}" if one.switch else f"u{one.called}") == node)
        made = self._wiring.end(end)
        return PathPoint(device=None, switch=made.switch, port=made.port, called=made.called)

    def _end(self, stop: Stop) -> PathPoint:
        if stop.node is None:
            return PathPoint(device=stop.device, switch=None, port=None, called=stop.called)
        switch = self._wiring.reference(int(stop.node[1:]))
        port = self._wiring.port(stop.port) if stop.port else None
        return PathPoint(device=stop.device, switch=switch, port=port, called=stop.called)

    def _port_said(self, port: int) -> str:
        switch, found = self._context.switches.by_port[port]
        return f"{self._wiring.called(f's{switch.row.id}')} port {found.name}"

    def _state(self, port: int) -> PortState | None:
        if self._wiring.at is None:
            return self._context.switches.by_port[port][1].state
        return switch_records.states_by(self._connection, [port], self._wiring.at).get(port)

    def _learnt(self, mac: MacNumber | None) -> dict[int, set[int]]:
        """At which ports of which switches somebody was learnt at the moment."""
        found: dict[int, set[int]] = defaultdict(set)
        if mac is None:
            return found
        at = self._wiring.at
        for row in switch_records.stays_of_macs(self._connection, [mac], at if at is not None else 1 << 62):
            if row.last is None or (at is not None and row.last >= at):
                found[row.switch].add(row.port)
        return found

    def _measured(self, hop: PathHop, shares: dict[int, float]) -> PathHop:
        told = [shares[point.port.id] for point in (hop.one, hop.other) if point.port and point.port.id in shares]
        if not told:
            return hop
        share = max(told)
        said = f"{hop.said}, {share:.2%} of its frames damaged" if share >= 0.0001 else hop.said
        return hop.model_copy(update={"error_share": share, "said": said})


def _hop_said(link: Link, speed: int | None, duplex: str, agrees: bool | None) -> str:
    parts = [f"a bundle of {len(link.members)}" if link.members else "", speed_said(speed)]
    parts += ["half duplex" if duplex == "half" else "", link.known.value]
    if link.between:
        parts.append("something that is not read hangs between")
    if agrees is not None:
        parts.append("the forwarding table says so, too" if agrees else "the forwarding table says another way")
    return ", ".join(part for part in parts if part)


def _said(one: Stop, other: Stop, by: Sequence[str], gate: DeviceRef | None, found: Found) -> str:
    if not found.hops:
        return f"{one.called} to {other.called}: not known"
    through = f"by {', '.join(by)}" if by else "directly"
    routed = f", routed by {gate.name or 'a router'}" if gate is not None else ""
    return f"{one.called} to {other.called} {through}{routed}"
