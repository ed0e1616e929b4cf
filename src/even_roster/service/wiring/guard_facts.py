"""Gathers what the guard of ports judges by: where this service hangs, the way to a switch, who must stay in reach. Only reads."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection

from ...core.address import Address, dotted
from ...core.findings.engine import BY_KIND
from ...core.findings.model import State
from ...core.mac import Mac, MacNumber
from ...core.switches.placing import Grade
from ...core.wiring.guard import Desk, PortFacts, Sight, Verdict, contests, judge
from ...store import device_queries
from ..context import Context, now_ms
from ..knowing.switch_now import PortNow, SwitchNow
from ..switches.where import Places, holders
from .link_picture import Wiring
from .seats import Person, Seat, person

GATEWAY, DHCP = "a gateway", "a DHCP server"


@dataclass(frozen=True, slots=True)
class Judged:
    """What the guard says of a port, the way to its switch in words, and whom it knows nothing of."""

    verdict: Verdict
    way: list[str]
    unsure: list[str]


def judged(context: Context, switch: SwitchNow, port: PortNow, seat: Seat) -> Judged:
    """Whether a port may be switched off now by whoever sits somewhere. Raises EditError for a seat that means nothing."""
    with context.database.read() as connection:
        wiring = Wiring(context, connection)
        desk = _desk(context, connection, switch)
        whoever = person(context, connection, seat)
        kept = _kept(context, connection, whoever)
        linked = any(port.id in one.link.ports for one in wiring.kept)
        lead = any(other.state is not None and other.state.bundle == port.name for other in switch.ports.values())
        facts = PortFacts(
            switch.row.id, port.id, port.state, list(port.stays), linked, lead, **_interface(switch, port)
        )
        verdict = judge(desk, facts, _sight(context, wiring, desk, kept), now_ms())
        own = ("whoever orders it says to hang there",) if port.id == whoever.port else ()
        unknown = (whoever.unknown,) if whoever.unknown else ()
        verdict = Verdict((*verdict.refusals, *own, *unknown), verdict.ports, verdict.switches)
        way = [wiring.called(f"s{number}") for number in verdict.switches]
        unsure = [why for why in (GATEWAY, DHCP) if why not in kept.values()]
        return Judged(verdict, way, unsure)


def _interface(switch: SwitchNow, port: PortNow) -> dict[str, Any]:
    """What a switch tells of the interface of a port, and what a person says of it."""
    addressed, ends = switch.told.get("addressed"), switch.told.get("ends", {})
    return {
        "base": ends.get(port.name, [None])[0], "addressed": port.name in addressed if addressed is not None else None,
        "learnt_whole": bool(switch.told.get("learnt_whole", False)),
        "own_learnt": port.name in switch.told.get("own_learnt", ()), "marked_uplink": bool(port.words.uplink),
    }  # fmt: skip


def _contested(context: Context) -> dict[int, str]:
    """Switches whose address, or one of whose MACs, an open finding is about."""
    with context.findings.looking():
        opened = [one for one in context.findings.engine.standing.values() if one.state is State.OPEN]
    about: dict[str, str] = {}
    for one in opened:
        for place, subject in enumerate(one.subjects):
            if contests(one.kind, place == 0):
                about.setdefault(subject.value, BY_KIND[one.kind].title.lower() if one.kind in BY_KIND else one.kind)
    found = {}
    for key, switch in context.switches.switches.items():
        called = [dotted(switch.row.address), *(str(Mac(mac)) for mac in switch.own)]
        if (why := next((about[one] for one in called if one in about), None)) is not None:
            found[key] = why
    return found


def _desk(context: Context, connection: Connection, switch: SwitchNow) -> Desk:
    """Where this service hangs on the link of a switch."""
    adapters = [
        one for one in context.machine.adapters() if one.mac is not None and one.up and one.medium != "loopback"
    ]
    near = next((one for one in adapters if switch.row.address in one.onlink), None)
    if near is None or near.mac is None:
        return Desk(None, on_link=False)
    mac = near.mac.value
    placed = Places(context, connection, None).of([mac])[mac]
    if placed is None or placed.grade is not Grade.ON or not placed.at.here or placed.others:
        return Desk(mac)
    return Desk(mac, placed.at.switch, placed.at.port)


def _sight(context: Context, wiring: Wiring, desk: Desk, kept: dict[MacNumber, str]) -> Sight:
    switches = context.switches.switches
    ours = {
        key: frozenset(
            port.id for port in one.ports.values()
            if desk.mac is not None and (stay := port.stays.get(desk.mac)) is not None and stay.here
        )
        for key, one in switches.items()
    }  # fmt: skip
    called = {-key: wiring.called(f"s{key}") for key in switches}
    called |= {key: port.name for key, (_, port) in context.switches.by_port.items()}
    seen = {mac for one in switches.values() for port in one.ports.values() for mac in port.stays}
    nowhere = {why for why in (GATEWAY, DHCP) if not seen & {mac for mac, said in kept.items() if said == why}}
    read = {key: one.row.learnt or 0 for key, one in switches.items()}
    contested = _contested(context)
    return Sight(wiring.graph, wiring.routers, read, ours, kept, called, nowhere & set(kept.values()), contested)


def _kept(context: Context, connection: Connection, whoever: Person) -> dict[MacNumber, str]:
    """Who must stay in reach, by MAC and why."""
    found: dict[MacNumber, str] = {}

    def keep(macs: Iterable[MacNumber], why: str) -> None:
        for mac in macs:
            found.setdefault(mac, why)

    for adapter in context.machine.adapters():
        if adapter.mac is not None:
            keep([adapter.mac.value], f"this service's adapter {adapter.name}")
    for mac, switch in context.switches.owners.items():
        keep([mac], f"{switch.called}, a switch or router that is read,")
    with context.findings.looking() as world:
        gateways = [one for one in (*(link.gateway for link in world.links.values()),) if one is not None]
        learnt = [link.gateway_mac for link in world.links.values() if link.gateway_mac is not None]
        servers = [one.offer.mac for heard in world.dhcp.servers.values() for one in heard.values()]
        addresses = [one for server in world.dhcp.planned_servers.values() for one in server.addresses]
        addresses += [Address(one.offer.server) for heard in world.dhcp.servers.values() for one in heard.values()]
    gateways += [one.gateway for one in context.plan.plan.subnets_of(context.plan.site_here) if one.gateway is not None]
    keep(learnt, GATEWAY)
    for address in dict.fromkeys(gateways):
        keep(holders(context, connection, address, None), GATEWAY)
    keep(servers, DHCP)
    for address in dict.fromkeys(addresses):
        keep(holders(context, connection, address, None), DHCP)
    for device, mac in device_queries.macs_of_role(connection, "network"):
        keep([mac], f"{device or 'a device'} of the role network")
    keep(whoever.macs, "the device that orders it")
    return found
