"""Whether a port may be switched off: never one that this service, or whoever orders it, needs to be heard there again. Pure.

The way from this service to the switch must be known whole from what all switches on it said within a minute: links that both ends
tell, nothing unread between, and our own MAC learnt at each of them behind the port of the way. What is unknown is refused, and
what is not verified is named (`unverified`)."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

from ..mac import Mac, MacNumber
from ..switches.port_states import PortState
from .facts import Known
from .graph import Graph, Node, across, node_of, way
from .standing_places import Seen, doubts

FRESH_MS = 60_000
_VIRTUAL = 0x00005E00
"""What the MACs of virtual routers begin with (RFC 9568 7.3)."""


@dataclass(frozen=True, slots=True)
class Desk:
    """Where this service is connected: its MAC on the link of the switch, at which port it was learnt as at an edge (0: at none
    that is known), and whether the switch is on that link at all."""

    mac: MacNumber | None
    switch: int = 0
    port: int = 0
    on_link: bool = True


@dataclass(frozen=True, slots=True)
class PortFacts:
    """What is known of the port in question: how it stands, who is or was lately behind it, whether links end there."""

    switch: int
    port: int
    state: PortState | None
    macs: Collection[MacNumber]
    linked: bool
    lead: bool = False
    """Whether it stands for a bundle."""
    base: int | None = None
    """Its number as a port of the bridge (dot1dBasePort, RFC 4188); None where its switch tells none."""
    addressed: bool | None = None
    """Whether its interface has an address of the switch; None where its switch tells of no interface which has."""
    own_learnt: bool = False
    """Whether the switch has learnt a MAC of its own behind it."""
    learnt_whole: bool = True
    """Whether the switch's forwarding tables were read to their ends: else others may be behind it."""
    marked_uplink: bool = False
    """Whether a person says that it is an uplink."""
    partly: Collection[str] = ()
    """What its switch told in part only."""
    lldp: bool = True
    """Whether its switch tells what announces itself at its ports (LLDP)."""
    strangers: Collection[MacNumber] = ()
    """Who is there and is no device that people have entered."""


@dataclass(frozen=True, slots=True)
class Sight:
    """What was read: the graph with its switches' readings (ms), at which ports each switch has our MAC, and who must stay in
    reach: MACs by why. `called` is what ports are called by their ids, and switches by their ids below zero; `nowhere` are those
    without whom nobody here has a network and of whom it is not known where they are connected; `contested` are switches whose
    address or MAC an open finding is about (0: this service), with what it says; `switched` are ports that were told to be off,
    whether that was answered or not; `seen` is where the gateways, DHCP servers and this service were learnt."""

    graph: Graph
    routers: Collection[int]
    read: Mapping[int, int]
    ours: Mapping[int, frozenset[int]]
    kept: Mapping[MacNumber, str]
    called: Mapping[int, str] = field(default_factory=dict)
    nowhere: Collection[str] = ()
    contested: Mapping[int, str] = field(default_factory=dict)
    switched: Collection[int] = ()
    seen: Sequence[Seen] = ()


@dataclass(frozen=True, slots=True)
class Verdict:
    """Why a port may not be switched off (nothing: it may), and the way to its switch: the ports on it, and the switches.
    `unverified` is what nobody knows for certain, and without which the port would be refused."""

    refusals: tuple[str, ...]
    ports: tuple[int, ...] = ()
    switches: tuple[int, ...] = ()
    unverified: tuple[str, ...] = ()
    again: tuple[int, ...] = ()
    """Switches that tell more when they are read once more."""


def judge(desk: Desk, facts: PortFacts, sight: Sight, now: int) -> Verdict:
    """Whether a port may be switched off now."""
    way_refusals, ports, switches = _way(desk, facts.switch, sight, now)
    refusals = [*way_refusals]
    if facts.port in ports or (desk.port and facts.port == desk.port):
        refusals.append("it is on the way from this service to its switch")
    refusals += _port(facts, sight)
    unsure = doubts(sight.seen, sight.graph.links, sight.read, {facts.switch, *switches}, sight.called)
    refusals += unsure.said
    unverified = () if refusals else _unverified(facts)
    return Verdict(tuple(dict.fromkeys(refusals)), tuple(ports), tuple(switches), unverified, unsure.again)


def _unverified(facts: PortFacts) -> tuple[str, ...]:
    """What is not known of the connected devices, or known by their own word alone, and without which the port would be refused."""
    silent = () if facts.lldp or facts.state is None or not facts.state.up else (
        "that no switch is connected to it: its switch does not tell what announces itself (LLDP)",
    )  # fmt: skip
    if not facts.strangers:
        return silent
    telephones = (
        f"that {around.name or around.chassis}, which passes frames on, is a telephone: it announces that itself"
        for around in (facts.state.neighbours if facts.state is not None else ())
        if _PASSING & set(around.capabilities)
    )
    strangers = (f"that nobody needs {Mac(mac)}: what it is was never entered" for mac in sorted(facts.strangers))
    return (*silent, *telephones, *strangers)


def _way(desk: Desk, switch: int, sight: Sight, now: int) -> tuple[list[str], list[int], list[int]]:
    """Why the way to a switch is not known well enough, and the ports and switches on it."""
    if desk.mac is None or not desk.on_link:
        return ["its switch is not on a link of this service: the way to it goes by a router, and is not known"], [], []
    if not desk.port:
        return ["it is not known on which port this service is connected"], [], []
    if desk.port in sight.switched:
        return ["the port on which this service is connected was told to be off"], [desk.port], [desk.switch]
    found, edges = list[str](), way(sight.graph, f"s{desk.switch}", f"s{switch}")
    if edges is None:
        return ["no whole way from this service to its switch is known"], [desk.port], [desk.switch]
    ports, switches, at = [desk.port], [desk.switch], f"s{desk.switch}"
    arriving = {desk.switch: frozenset({desk.port})}
    for edge in edges:
        link, stands = sight.graph.links[edge.link], sight.graph.standings[edge.link]
        beyond = across(edge, at)
        ports += sorted(link.ports)
        if off := sorted(link.ports & set(sight.switched)):
            found.append(f"port {sight.called.get(off[0], off[0])} on the way to it was told to be off")
        if link.known is not Known.BOTH or link.between or len(link.ends) != 2 or any(why for why in stands.shut):
            found.append(
                f"the link to {_switch(sight, beyond)} is {link.known.value}, and not told by both of its ends"
            )
        number = _number(beyond)
        if number:
            switches.append(number)
            own = {end.port for end in link.ends if node_of(end, sight.routers) == beyond}
            arriving[number] = frozenset(own | {port for pair in link.members for port in pair})
        at = beyond
    if 0 in sight.contested:
        found.append(f"an open finding is about this service's own address or MAC ({sight.contested[0]})")
    for number in switches:
        name = sight.called.get(-number, "a switch")
        if now - sight.read.get(number, 0) > FRESH_MS:
            found.append(f"{name} was not read within the last minute")
        if number in sight.contested:
            found.append(
                f"an open finding is about {name} ({sight.contested[number]}): whoever answers there may not be it"
            )
        seen = sight.ours.get(number, frozenset())
        if not seen:
            found.append(f"{name} has not learnt this service: the way to it is not known from there")
        elif not seen <= arriving[number]:
            where = ", ".join(sorted(sight.called.get(port, str(port)) for port in seen))
            found.append(f"{name} has learnt this service at port {where}, which is not on the way that is told")
    return found, ports, switches


def _port(facts: PortFacts, sight: Sight) -> list[str]:
    """What speaks against the port itself."""
    found, state = [], facts.state
    if state is None:
        return ["it is not known how it stands"]
    if facts.base is None:
        found.append(
            "its switch does not tell its number as a port of the bridge: it may be the switch's own interface"
        )
    if facts.addressed is None:
        found.append("its switch does not tell which of its interfaces have an address")
    elif facts.addressed:
        found.append("the switch has an address of its own on it")
    if not facts.learnt_whole:
        found.append("the forwarding table of its switch was not read to its end: the connected devices are not known")
    if facts.partly:
        found.append(
            f"its switch was not read to its end: {', '.join(sorted(facts.partly))} of this port may be of earlier"
        )
    if facts.own_learnt:
        found.append("the switch has learnt a MAC of its own behind it")
    if facts.marked_uplink:
        found.append("a person says that it is an uplink, whatever else announces itself there")
    if state.bundle or facts.lead:
        found.append("it is a member of a bundle")
    if facts.linked:
        found.append("it joins two switches")
    found += [
        f"{around.name or around.chassis}, {_kind(around.capabilities)}, announces itself there"
        for around in state.neighbours
        if _kind(around.capabilities)
    ]
    if state.uplink and not found:
        found.append("it leads to other switches")
    if state.up and not facts.macs:
        found.append("it has a link, and its switch has learnt no MAC on it: the connected device is unknown")
    elif state.up and sight.nowhere:
        found.append(
            f"it has a link, and it is not known on which port {', '.join(sorted(sight.nowhere))} is connected"
        )
    for mac in sorted(set(facts.macs)):
        if mac in sight.kept:
            found.append(f"{sight.kept[mac]} is connected there")
        elif mac >> 16 == _VIRTUAL:
            found.append("a virtual router is connected there")
    return found


_PASSING, _TELEPHONE = frozenset({"bridge", "router"}), "telephone"


def _kind(capabilities: Sequence[str]) -> str:
    """What announces itself so and may not be cut off; empty for others. A telephone passes on the frames of who is behind it."""
    if "access point" in capabilities:
        return "an access point"
    if _TELEPHONE in capabilities:
        return ""
    return "a router" if "router" in capabilities else "a switch" if "bridge" in capabilities else ""


def _switch(sight: Sight, node: Node) -> str:
    number = _number(node)
    return sight.called.get(-number, "a switch") if number else "something that is not read"


def _number(node: Node) -> int:
    return int(node[1:]) if node.startswith("s") else 0


HARMLESS = frozenset({
    "absent", "ends-disagree", "errors-on-port", "flapping-port", "idle-fitting", "link-lost", "link-slower", "missing-device",
    "name-disagrees", "no-dhcp-server", "offer-disagrees", "plan-unpublished", "pool-nearly-full", "published-lost",
    "randomised-reservation", "reservation-refused", "reservation-waiting", "ring-open", "role-on-pool", "self-assigned-address",
    "shared-hostname", "stale-reservation", "static-in-pool", "switch-restarted", "two-rosters", "unknown-device",
    "unknown-on-port", "unplanned-address", "vlans-differ", "wrong-mask", "wrong-mask-offered",
})  # fmt: skip
"""Kinds of findings that do not say that somebody else may be at an address or behind a MAC. All others do, those to come too."""
_PLANNED_FIRST = frozenset({"assignment-not-in-effect"})
"""They say so of the address that was planned, which they name first, and not of where its device is instead."""


def contests(kind: str, first: bool) -> bool:
    """Whether an open finding of this kind questions which device uses an address or MAC that it names, `first` or later."""
    return kind not in HARMLESS and (first or kind not in _PLANNED_FIRST)


def asked_name(names: Sequence[str], port: str) -> str:
    """The name to type before a port is switched: of the only connected device, else of the port."""
    return names[0] if len(names) == 1 else port
