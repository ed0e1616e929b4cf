"""How Larkspur Hall is cabled, and what is wrong with it on purpose: nothing of that is known to the product but by what agents
say.

Two rings of three switches, each with one blocked link; a small unmanaged switch behind a port of the stage; a port that loses
its link again and again; a link whose ends disagree about duplex; damaged frames; phones with computers behind them; access
points with visitors; an agent that leaves tables out, one that goes round in circles, a slow one, one that knows version 3 only.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ..wire import snmp
from ..wire.errors import WireError
from ..wire.snmp import Variable
from ..wire.usm import Auth, Privacy, User
from .cabling import Cabling
from .hosts import Host
from .port_switching import promising, switching
from .site import Site
from .snmp_responder import Responder
from .switches import COMMUNITY, Tables, router_rows, switch_rows
from .user_responder import UserResponder

PORTS, UPLINK = 26, 25
OURS = 17
"""The port that the service's own machine is plugged into, on the first switch of its VLAN (see the LLDP frames of the site)."""
ROUTER_PORT = 1
USER = User("usher", Auth.SHA256, "limelight-one", Privacy.AES128, "limelight-two")
"""Who may read the switch that knows version 3 only."""
WRITER = User("machinist", Auth.SHA256, "trapdoor-one", Privacy.AES128, "trapdoor-two")
"""Who may switch ports off and on, at every switch."""
WRITE_COMMUNITY = b"larkspur-rigging"
PROMISES = "switch-attic"
"""The switch that says yes to everything it is told, and does nothing."""
V3_ONLY = "switch-foyer-2"
LEAVES_OUT = "switch-stage-3"
CIRCLES = "switch-office-2"
SLOW = "switch-attic"
SLOW_SECONDS = 0.15
_ALIAS = (1, 3, 6, 1, 2, 1, 31, 1, 1, 1, 18)
_BRIDGE_BY_VLAN, _ENTITY = (1, 3, 6, 1, 2, 1, 17, 7), (1, 3, 6, 1, 2, 1, 47)


def cable(site: Site) -> Cabling:
    """Cable the site and let its agents answer."""
    hosts = {host.label: host for host in site.hosts}
    cabling = Cabling()
    for label, vlans in (
        ("switch-office-1", (10,)), ("switch-office-2", (10,)), ("switch-office-3", (10,)), ("switch-attic", (10,)),
        ("switch-stage-1", (20,)), ("switch-stage-2", (20,)), ("switch-stage-3", (20,)),
        ("switch-foyer-1", (30, 64)), ("switch-foyer-2", (30, 64)),
    ):  # fmt: skip
        cabling.add(hosts[label], PORTS, vlans)
    _links(cabling)
    for vlan in (10, 20, 30):
        _hosts(site, cabling, vlan)
    _by_hand(site, cabling, hosts)
    _agents(site, cabling)
    return cabling


def _links(cabling: Cabling) -> None:
    for port, label in ((23, "switch-office-2"), (24, "switch-office-3"), (26, "switch-attic")):
        cabling.join(("switch-office-1", port), (label, UPLINK))
    cabling.join(("switch-stage-1", 23), ("switch-stage-2", UPLINK))
    cabling.join(("switch-stage-1", 24), ("switch-stage-3", UPLINK))
    cabling.join(("switch-stage-2", 24), ("switch-stage-3", 24))
    cabling.join(("switch-office-2", 24), ("switch-office-3", 24))
    cabling.join(("switch-foyer-1", 24), ("switch-foyer-2", UPLINK))


def _hosts(site: Site, cabling: Cabling, vlan: int) -> None:
    """Everybody of a VLAN gets a port, spread over its switches; the router's is the first of the first."""
    switches = [wired for wired in cabling.switches.values() if vlan in wired.vlans and wired.host.label != SLOW]
    free = {wired.host.label: [port for port in range(1, 23) if port not in (OURS, ROUTER_PORT)] for wired in switches}
    number = 0
    for host in site.hosts:
        if host.vlan != vlan or host.label in cabling.switches:
            continue
        if host.routes:
            cabling.plug(host.mac, (switches[0].host.label, ROUTER_PORT))
            continue
        for _ in switches:
            label = switches[number % len(switches)].host.label
            number += 1
            if free[label]:
                cabling.plug(host.mac, (label, free[label].pop(0)))
                break
        else:
            cabling.plug(host.mac, (SLOW if vlan == 10 else switches[0].host.label, 2 + number % 20))
    for adapter in site.adapters:
        if adapter.mac is not None and site.vlan_of(adapter.name) == vlan:
            cabling.plug(adapter.mac, (switches[0].host.label, OURS))


def _by_hand(site: Site, cabling: Cabling, hosts: dict[str, Host]) -> None:
    """What is told of a few ports, and what is wrong."""
    switches = cabling.switches
    for wired in switches.values():
        wired.aliases |= {port: f"to {other[0]}" for port, (other, _) in cabling.around(wired.host.label).items()}
    switches["switch-office-1"].aliases[OURS] = "box office, left"
    switches["switch-office-1"].aliases[ROUTER_PORT] = "gate"
    switches["switch-attic"].half.add(UPLINK)
    for phone, desk in (("phone-201", "desk-bookings"), ("phone-205", "desk-payroll")):
        cabling.plug(hosts[desk].mac, cabling.sockets[hosts[phone].mac])
    for host in site.hosts:
        if host.label.startswith("phone-"):
            cabling.says[host.mac] = "telephone"
            switches[cabling.sockets[host.mac][0]].powers.add(cabling.sockets[host.mac][1])
        if host.label.startswith("access-point-") and host.mac in cabling.sockets:
            cabling.says[host.mac] = "access point"
    small = cabling.sockets[hosts["light-node-16"].mac]
    for label in ("light-node-17", "light-node-18"):
        cabling.plug(hosts[label].mac, small)
    flapping, damaged = cabling.sockets[hosts["stage-box-8"].mac], cabling.sockets[hosts["media-server"].mac]
    switches[flapping[0]].flapping.add(flapping[1])
    switches[damaged[0]].damaged.add(damaged[1])
    for host in site.hosts:
        if host.vlan == 64 and host.routes:
            cabling.plug(host.mac, ("switch-foyer-1", ROUTER_PORT))
    points = [host for host in site.hosts if cabling.says.get(host.mac) == "access point"]
    for number, host in enumerate(one for one in site.hosts if one.vlan == 64 and not one.routes):
        cabling.plug(host.mac, cabling.sockets[points[number % len(points)].mac])


def _agents(site: Site, cabling: Cabling) -> None:
    for label, wired in cabling.switches.items():
        tables = Tables(site, cabling, lambda wired=wired: switch_rows(site, cabling, wired))  # type: ignore[misc]
        rows = (lambda made=tables: _without(made())) if label == LEAVES_OUT else tables
        write = promising if label == PROMISES else switching(site, cabling, wired)
        responder = Responder(COMMUNITY, rows, write=write, write_community=WRITE_COMMUNITY)
        engine = b"\x80\x00\xff\xff\x05" + wired.host.mac.to_bytes()
        users = [USER, WRITER] if label == V3_ONLY else [WRITER]
        by_user = UserResponder(responder, users, engine, site.elapsed, {WRITER.name}).answer
        plain: Callable[[bytes], bytes | None] = Circling(responder).answer if label == CIRCLES else responder.answer
        answers = by_user if label == V3_ONLY else _either(plain, by_user)
        for address in wired.host.addresses:
            site.agents[int(address)] = answers
            if label == SLOW:
                site.slow[int(address)] = SLOW_SECONDS
    gates = [host for host in site.hosts if host.routes]
    router = Responder(COMMUNITY, Tables(site, cabling, lambda: router_rows(site, gates)))
    for gate in gates:
        for address in gate.addresses:
            site.agents[int(address)] = router.answer


def _either(
    plain: Callable[[bytes], bytes | None], by_user: Callable[[bytes], bytes | None]
) -> Callable[[bytes], bytes | None]:
    """An agent that knows communities and users."""

    def answer(data: bytes) -> bytes | None:
        try:
            return by_user(data) if snmp.version_of(data) == snmp.Version.V3 else plain(data)
        except WireError:
            return None

    return answer


def _without(rows: Sequence[Variable]) -> list[Variable]:
    """What an agent tells that has never heard of VLANs or of its own model: the older forwarding database."""
    older = [
        Variable((1, 3, 6, 1, 2, 1, 17, 4, 3, 1, row.oid[12], *row.oid[14:]), row.type, row.value)
        for row in rows if row.oid[:12] == (*_BRIDGE_BY_VLAN, 1, 2, 2, 1)
    ]  # fmt: skip
    kept = [row for row in rows if row.oid[:8] != _BRIDGE_BY_VLAN and row.oid[:7] != _ENTITY]
    return sorted(kept + older)


class Circling:
    """An agent that repeats itself: what follows its last ifAlias is the first one."""

    def __init__(self, responder: Responder) -> None:
        self._responder = responder

    def answer(self, data: bytes) -> bytes | None:
        """As the responder's, but for what it repeats."""
        return self._responder.answer(data, circles=_ALIAS)
