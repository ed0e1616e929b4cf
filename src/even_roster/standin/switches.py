"""The switches of the simulated site as SNMP agents: which port everybody is plugged into, and what their tables say of it now.

Hosts are spread over the switches of their VLAN; the others hang on the first one's last ports by their uplinks. Who is asleep has
been forgotten by the forwarding databases.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from ..core.mac import Mac
from ..wire.snmp import Type, Variable
from .hosts import Host
from .site import Site
from .snmp_responder import Responder

COMMUNITY = b"larkspur"
ACCESS_PORTS = 22
UPLINK = 25
OURS = 17
"""The port that the service's own machine is plugged into, on the first switch of its VLAN (see the LLDP frames of the site)."""
_INDEX = 100
_INTERFACES, _MORE, _BRIDGE = (1, 3, 6, 1, 2, 1, 2, 2, 1), (1, 3, 6, 1, 2, 1, 31, 1, 1, 1), (1, 3, 6, 1, 2, 1, 17)
_DUPLEX, _LLDP = (1, 3, 6, 1, 2, 1, 10, 7, 2, 1, 19), (1, 0, 8802, 1, 1, 2, 1)
_ENTITY = (1, 3, 6, 1, 2, 1, 47, 1, 1, 1, 1)
_LOCAL = 200
_GIGA, _ETHERNET, _UP, _DOWN, _LEARNED = 1_000_000_000, 6, 1, 2, 3


def plug_agents(site: Site) -> None:
    """Let every switch of the site answer SNMP."""
    for host in site.hosts:
        if host.label.startswith("switch-") and host.addresses:
            site.agents[int(host.addresses[0])] = Responder(COMMUNITY, _rows_of(site, host)).answer


def _rows_of(site: Site, switch: Host) -> Callable[[], Sequence[Variable]]:
    return lambda: sorted(_rows(site, switch))


def _rows(site: Site, switch: Host) -> Iterator[Variable]:
    places = dict(_places(site, switch))
    own, around = _switches(site, switch.vlan).index(switch), dict(_neighbours(site, switch))
    busy = set(places.values()) | set(around)
    ports = range(1, UPLINK + 1)
    yield from _system(site, switch)
    for port in ports:
        index, up = _INDEX + port, port in busy
        speed = 0 if not up else 10 * _GIGA if port in around else _GIGA
        ours = port == OURS and own == 0
        alias = b"box office, left" if ours else b"uplink" if port in around else b""
        mac = _port_mac(switch, port)
        for column, kind, value in (
            (2, Type.OCTETS, b"Port %d" % port), (3, Type.INTEGER, _ETHERNET), (5, Type.GAUGE, min(speed, 4_294_967_295)),
            (6, Type.OCTETS, mac), (7, Type.INTEGER, _UP), (8, Type.INTEGER, _UP if up else _DOWN),
        ):  # fmt: skip
            yield Variable((*_INTERFACES, column, index), kind, value)
        yield Variable((*_MORE, 1, index), Type.OCTETS, b"%d" % port)
        yield Variable((*_MORE, 15, index), Type.GAUGE, speed // 1_000_000)
        yield Variable((*_MORE, 18, index), Type.OCTETS, alias)
        yield Variable((*_BRIDGE, 1, 4, 1, 2, port), Type.INTEGER, index)
        yield Variable((*_BRIDGE, 7, 1, 4, 5, 1, 1, port), Type.GAUGE, switch.vlan)
        yield Variable((*_DUPLEX, index), Type.INTEGER, 3 if up else 1)
        yield Variable((*_LLDP, 3, 7, 1, 2, _LOCAL + port), Type.INTEGER, 5)
        yield Variable((*_LLDP, 3, 7, 1, 3, _LOCAL + port), Type.OCTETS, b"%d" % port)
    yield from _announced(around)
    yield Variable((*_BRIDGE, 7, 1, 4, 2, 1, 3, 0, switch.vlan), Type.GAUGE, 1)
    for known, port in places.items():
        key = (1, *known.to_bytes())  # its only forwarding database, of its only VLAN
        yield Variable((*_BRIDGE, 7, 1, 2, 2, 1, 2, *key), Type.INTEGER, port)
        yield Variable((*_BRIDGE, 7, 1, 2, 2, 1, 3, *key), Type.INTEGER, _LEARNED)


def _port_mac(switch: Host, port: int) -> bytes:
    """A MAC of its own for each port, out of the upper half of the maker's block."""
    block, serial = switch.mac.value >> 24, switch.mac.value & 0x1FFFF
    return (block << 24 | 0x800000 | serial << 6 | port).to_bytes(6, "big")


def _system(site: Site, switch: Host) -> Iterator[Variable]:
    texts = {1: b"Tolvane access switch, 24 ports", 4: b"stage door", 5: switch.label.encode(), 6: b"Larkspur Hall"}
    for column, text in texts.items():
        yield Variable((1, 3, 6, 1, 2, 1, 1, column, 0), Type.OCTETS, text)
    serial = b"TN24-%05d" % (switch.mac.value & 0xFFFF)
    for column, value in ((5, 3), (10, b"4.2.1"), (11, serial), (13, b"TN-2400")):
        yield Variable((*_ENTITY, column, 1), Type.INTEGER if column == 5 else Type.OCTETS, value)
    yield Variable((1, 3, 6, 1, 2, 1, 1, 3, 0), Type.TICKS, int(site.elapsed() * 100) % (1 << 32))


def _announced(around: dict[int, tuple[Host, int]]) -> Iterator[Variable]:
    """lldpRemTable: who announces itself at which port."""
    for port, (other, theirs) in around.items():
        for column, kind, value in (
            (4, Type.INTEGER, 4), (5, Type.OCTETS, other.mac.to_bytes()), (6, Type.INTEGER, 5), (7, Type.OCTETS, b"%d" % theirs),
            (9, Type.OCTETS, other.label.encode()), (12, Type.OCTETS, b"\x20"),
        ):  # fmt: skip
            yield Variable((*_LLDP, 4, 1, 1, column, 0, _LOCAL + port, 1), kind, value)
        address = other.addresses[0].packed
        yield Variable((*_LLDP, 4, 2, 1, 3, 0, _LOCAL + port, 1, 1, 4, *address), Type.INTEGER, 2)


def _neighbours(site: Site, switch: Host) -> Iterator[tuple[int, tuple[Host, int]]]:
    """The switch at the other end of each of a switch's ports, and its port there."""
    switches = _switches(site, switch.vlan)
    own = switches.index(switch)
    if own:
        yield UPLINK, (switches[0], ACCESS_PORTS + own)
        return
    for number, other in enumerate(switches[1:], start=1):
        yield ACCESS_PORTS + number, (other, UPLINK)


def _switches(site: Site, vlan: int) -> list[Host]:
    return [host for host in site.hosts if host.vlan == vlan and host.label.startswith("switch-")]


def _places(site: Site, switch: Host) -> Iterator[tuple[Mac, int]]:
    """Behind which port of a switch everybody of its VLAN is who is awake."""
    switches, now = _switches(site, switch.vlan), site.elapsed()
    own = switches.index(switch)
    free = [port for port in range(1, ACCESS_PORTS + 1) if port != OURS]
    for number, host in enumerate(one for one in site.hosts if one.vlan == switch.vlan and one not in switches):
        if host.awake.at(now):
            at, place = number % len(switches), number // len(switches)
            yield host.mac, free[place % len(free)] if at == own else _towards(own, at)
    for number, other in enumerate(switches):
        if other is not switch:
            yield other.mac, _towards(own, number)
    for adapter in site.adapters:
        if adapter.mac is not None and site.vlan_of(adapter.name) == switch.vlan:
            yield adapter.mac, OURS if own == 0 else UPLINK


def _towards(own: int, other: int) -> int:
    """Behind which port of one switch of a VLAN another of it is."""
    return UPLINK if own else ACCESS_PORTS + other
