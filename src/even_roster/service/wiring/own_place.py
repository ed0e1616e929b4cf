"""Where this service itself is plugged in, and from where the wiring is looked at. Only reads."""

from __future__ import annotations

from collections import Counter

from sqlalchemy import Connection

from ...core.mac import MacNumber
from ...core.wiring.graph import Graph, Node, parts, switch_of
from ..context import Context
from ..switches.where import Places


def own_macs(context: Context) -> list[MacNumber]:
    """The MACs of this machine's adapters that are up, those with a gateway first."""
    adapters = [one for one in context.machine.adapters() if one.mac is not None and one.up]
    adapters.sort(key=lambda one: one.gateway is None)
    return [one.mac.value for one in adapters if one.mac is not None]


def roots(context: Context, connection: Connection, graph: Graph) -> list[Node]:
    """The nodes that the wiring is looked at from, one for each part of it: the root of its spanning tree that most of its switches
    name, else the switch that this service hangs on, else its first switch."""
    owners = context.switches.owners
    named = Counter[Node]()
    for one in context.switches.switches.values():
        mac = one.told.get("root")
        owner = owners.get(MacNumber(mac)) if mac is not None else None
        if owner is not None:
            named[f"s{owner.row.id}"] += 1
    placed = Places(context, connection, None).of(own_macs(context)).values()
    here = {f"s{one.at.switch}" for one in placed if one is not None}
    found = []
    for part in parts(graph):
        switches = [node for node in part if node.startswith("s")]
        if switches:
            best = min(switches, key=lambda node: (-named[node], node not in here, switch_of(node)))
            found.append(best)
    return found
