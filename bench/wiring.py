"""What the wiring costs: links of 200 switches, the way between two, the map, and how soon a pulled cable is told."""

from __future__ import annotations

import random
import statistics
import time
from collections.abc import Callable

from tests.support.service import service
from tests.support.topologies import Topology

from even_roster.api.chases import ChaseNew
from even_roster.api.demo import LeadPull
from even_roster.api.switches import CredentialNew, SwitchNew
from even_roster.core.switches.port_states import PortState
from even_roster.core.wiring.drawing import draw
from even_roster.core.wiring.facts import Member
from even_roster.core.wiring.graph import graph, rings
from even_roster.core.wiring.layout import layout, width_of
from even_roster.core.wiring.links import links

from .roster import p95
from .table import Table

SWITCHES, ASKED, PULLED = 200, 60, 10


def wiring(table: Table) -> None:
    """Add the measures of the wiring to a table."""
    members = _members(0)
    floor = _least(lambda: [mac for one in members for port in one.plugs for mac in port.macs])
    told = _least(lambda: links(members))
    _row(
        table, f"links of {SWITCHES} switches, all of them telling", told, "", "going over what they have learnt", floor
    )
    silent = _members(SWITCHES // 10)
    took = _least(lambda: links(silent), 2)
    _row(
        table,
        "the same, a tenth of them silent and a tenth of all facts missing",
        took,
        "",
        "all of them telling",
        told,
    )
    found = links(members)
    states = {
        port.id: PortState(port.index, link="up", speed=10**10, tree=port.tree) for one in members for port in one.plugs
    }
    ports = {f"s{one.id}": [port.id for port in one.plugs] for one in members}
    called = dict.fromkeys(ports, "switch")
    marks = {node: "+" * len(mine) for node, mine in ports.items()}

    def drawn() -> object:
        made = graph(found, states, [one.id for one in members])
        spots = layout(made, rings(made), ["s1"], dict.fromkeys(ports, width_of(52)), {})
        return draw(made, spots, called, ports, marks, {})

    _row(table, f"the map of {SWITCHES} switches laid out and drawn", _least(drawn), "1 s", "finding the links", told)
    _served(table)


def _row(table: Table, what: str, seconds: float, goal: str, of: str, floor: float) -> None:
    table.add(what, f"{seconds * 1000:.0f} ms", goal, floor=f"{of} {floor * 1000:.0f} ms", ratio=seconds / floor)


def _members(silent: int) -> list[Member]:
    source = random.Random(7)
    made = Topology.make(source, "ring", SWITCHES, SWITCHES * 10)
    made.silent = set(source.sample(range(SWITCHES), silent))
    return made.members(source, 0.1 if silent else 0.0)


def _least(work: Callable[[], object], times: int = 3) -> float:
    found = []
    for _ in range(times):
        begun = time.perf_counter()
        work()
        found.append(time.perf_counter() - begun)
    return min(found)


def _served(table: Table) -> None:
    """What a person waits for, through the client, on the demo's site."""
    with service("demo", "--no-open", anew=True) as running, running.client() as roster:
        running.roster("scan", "10.44.10.0/24", "10.44.20.0/24")
        roster.add_credential(CredentialNew(name="larkspur", snmp="2c", community="larkspur"))
        ringed = (f"switch-{where}-{number}" for where in ("office", "stage") for number in (1, 2, 3))
        for name in (*ringed, "10.44.10.1"):
            roster.read_switch_now(roster.add_switch(SwitchNew(switch=name)).id)
        floor = p95(lambda _: roster.health(), ASKED) / 1000
        way = p95(lambda _: roster.path("printer-1", "02:c0:2a:00:00:36"), ASKED) / 1000
        _row(table, "the way between two subnets, p95 through the client", way, "20 ms", "health", floor)
        drawn = p95(lambda _: roster.wiring_map(), ASKED) / 1000
        _row(table, "the map of Larkspur Hall, p95 through the client", drawn, "", "health", floor)
        waits = []
        one = roster.begin_chase(ChaseNew(switches=["switch-office-1", "switch-office-2"]))
        while any(watched.asked_at is None for watched in roster.chase(one.id).switches):
            time.sleep(0.05)
        sockets = sorted({
            (lead.switch, lead.port) for lead in roster.cables()
            if lead.switch in ("switch-office-1", "switch-office-2") and lead.port not in (1, 17) and not lead.to_switch
        })  # fmt: skip
        up = {(port.switch.name, port.name) for port in roster.ports() if port.link == "up"}
        for switch, port in [one for one in sockets if (one[0], str(one[1])) in up][:PULLED]:
            assert switch is not None and port is not None
            before = len(roster.chase(one.id).turns)
            roster.pull_cable(LeadPull(switch=switch, port=port))
            begun = time.perf_counter()
            while len(roster.chase(one.id).turns) == before and time.perf_counter() - begun < 10:
                time.sleep(0.02)
            waits.append(time.perf_counter() - begun)
            time.sleep(0.13)
        said = f"a pulled cable told by the chase, the slowest of {len(waits)}"
        table.add(said, f"{max(waits):.2f} s", "1.5 s", floor=f"median {statistics.median(waits):.2f} s")
