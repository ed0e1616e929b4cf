"""The switches and the router of a simulated site as SNMP agents: what their tables say of the cabling and the hosts now.

Who is asleep has been forgotten by the forwarding databases. The four numbers of a port differ on purpose: its interface's index is
its number and 100, its number for LLDP that and 200; its number as a bridge and the one in its name are the same.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from ipaddress import IPv4Address

from ..core.mac import Mac
from ..wire.snmp import Type, Variable
from .cabling import Cabling, Wired
from .hosts import Host
from .site import Site

COMMUNITY = b"larkspur"
INDEX, LOCAL, MANAGED = 100, 200, 1000
FRESH_SECONDS = 10.0
_INTERFACES, _MORE, _BRIDGE = (1, 3, 6, 1, 2, 1, 2, 2, 1), (1, 3, 6, 1, 2, 1, 31, 1, 1, 1), (1, 3, 6, 1, 2, 1, 17)
_DUPLEX, _LLDP = (1, 3, 6, 1, 2, 1, 10, 7, 2, 1, 19), (1, 0, 8802, 1, 1, 2, 1)
_ENTITY, _POWER, _IP = (1, 3, 6, 1, 2, 1, 47, 1, 1, 1, 1), (1, 3, 6, 1, 2, 1, 105, 1, 1, 1), (1, 3, 6, 1, 2, 1, 4)
_GIGA, _ETHERNET, _UP, _DOWN, _LEARNED = 1_000_000_000, 6, 1, 2, 3
_FULL, _HALF = 3, 2
_FORWARDING, _BLOCKING = 5, 2
_SAYS = {"telephone": b"\x24", "access point": b"\x30", "station": b"\x01"}
"""Enabled capabilities (IEEE 802.1AB 8.5.8): a phone is a bridge and a telephone, an access point a bridge, too."""

Rows = Sequence[Variable]


class Tables:
    """The sorted rows of one agent, made anew when they are older than FRESH_SECONDS of the site or a cable was moved."""

    def __init__(self, site: Site, cabling: Cabling, rows: Callable[[], Iterator[Variable]]) -> None:
        self._site, self._cabling, self._make = site, cabling, rows
        self._made: tuple[float, int] = (float("-inf"), -1)
        self._rows: Rows = ()

    def __call__(self) -> Rows:
        """The rows now."""
        now, version = self._site.elapsed(), self._cabling.version
        if self._made[1] != version or not 0 <= now - self._made[0] < FRESH_SECONDS:
            self._rows, self._made = sorted(self._make()), (now, version)
        return self._rows


def switch_rows(site: Site, cabling: Cabling, wired: Wired) -> Iterator[Variable]:
    """Everything that a switch tells."""
    switch, now = wired.host, site.elapsed()
    around, places = cabling.around(switch.label), dict(_places(site, cabling, wired))
    plugged = {port for (label, port) in cabling.sockets.values() if label == switch.label}
    awake = {port for port in places.values()}
    yield from _system(site, wired)
    for port in range(1, wired.ports + 1):
        link, turned = cabling.flaps((switch.label, port), now)
        lit = port not in wired.off and port not in wired.unpowered
        up = link and lit and (port in around or port in (plugged & awake))
        speed = wired.slow.get(port, 10 * _GIGA if port in around else _GIGA) if up else 0
        yield from _port(switch, wired, port, speed, up, turned)
        traffic = _traffic(switch, port, now) if up or port in plugged else (0, 0)
        damaged = int(now * 3) if port in wired.damaged else 0
        for column, value in ((6, traffic[0]), (7, traffic[0] // 700), (10, traffic[1]), (11, traffic[1] // 700)):
            yield Variable((*_MORE, column, INDEX + port), Type.COUNTER64, value)
        for column, value in ((14, damaged), (20, 0)):
            yield Variable((*_INTERFACES, column, INDEX + port), Type.COUNTER, value)
        if port in wired.powers:
            feeds = port in plugged and port in awake and port not in wired.unpowered
            yield Variable((*_POWER, 3, 1, port), Type.INTEGER, 2 if port in wired.unpowered else 1)
            yield Variable((*_POWER, 6, 1, port), Type.INTEGER, 3 if feeds else 2)
            yield Variable((*_POWER, 10, 1, port), Type.INTEGER, 3)
    yield from _spanning_tree(cabling, wired, around)
    yield from _announced(site, cabling, wired, {port: other for port, (other, _) in around.items()})
    for number, vlan in enumerate(wired.vlans, start=1):
        yield Variable((*_BRIDGE, 7, 1, 4, 2, 1, 3, 0, vlan), Type.GAUGE, number)
        members = _port_list(wired.ports, range(1, wired.ports + 1) if number == 1 else around)
        yield Variable((*_BRIDGE, 7, 1, 4, 2, 1, 4, 0, vlan), Type.OCTETS, members)
        yield Variable(
            (*_BRIDGE, 7, 1, 4, 2, 1, 5, 0, vlan), Type.OCTETS, members if number == 1 else bytes(len(members))
        )
    databases = {vlan: number for number, vlan in enumerate(wired.vlans, start=1)}
    for (known, vlan), port in places.items():
        key = (databases[vlan], *known.to_bytes())
        yield Variable((*_BRIDGE, 7, 1, 2, 2, 1, 2, *key), Type.INTEGER, port)
        yield Variable((*_BRIDGE, 7, 1, 2, 2, 1, 3, *key), Type.INTEGER, _LEARNED)


def _spanning_tree(
    cabling: Cabling, wired: Wired, around: dict[int, tuple[tuple[str, int], bool]]
) -> Iterator[Variable]:
    """dot1dStp (RFC 4188): the root, the port towards it, and of each port its state and which bridge is the designated one."""
    tree, own = cabling.tree(), wired.host.label

    def bridge(label: str) -> bytes:
        return b"\x80\x00" + cabling.switches[label].host.mac.to_bytes()

    yield Variable((*_BRIDGE, 2, 5, 0), Type.OCTETS, bridge(tree.roots[own]))
    yield Variable((*_BRIDGE, 2, 7, 0), Type.INTEGER, tree.ways.get(own, 0))
    for port in range(1, wired.ports + 1):
        other, shut = around.get(port, ((own, port), False))
        upwards = shut or tree.ways.get(own) == port
        label, number = other if upwards else (own, port)
        yield Variable((*_BRIDGE, 2, 15, 1, 3, port), Type.INTEGER, _BLOCKING if shut else _FORWARDING)
        yield Variable((*_BRIDGE, 2, 15, 1, 8, port), Type.OCTETS, bridge(label))
        yield Variable((*_BRIDGE, 2, 15, 1, 9, port), Type.OCTETS, (0x8000 | number).to_bytes(2, "big"))


def _port(switch: Host, wired: Wired, port: int, speed: int, up: bool, turned: float) -> Iterator[Variable]:
    index = INDEX + port
    for column, kind, value in (
        (2, Type.OCTETS, b"Port %d" % port), (3, Type.INTEGER, _ETHERNET), (5, Type.GAUGE, min(speed, 4_294_967_295)),
        (6, Type.OCTETS, _port_mac(switch, port)), (7, Type.INTEGER, _DOWN if port in wired.off else _UP),
        (8, Type.INTEGER, _UP if up else _DOWN), (9, Type.TICKS, int(turned * 100) % (1 << 32)),
    ):  # fmt: skip
        yield Variable((*_INTERFACES, column, index), kind, value)
    yield Variable((*_MORE, 1, index), Type.OCTETS, b"%d" % port)
    yield Variable((*_MORE, 15, index), Type.GAUGE, speed // 1_000_000)
    yield Variable((*_MORE, 18, index), Type.OCTETS, wired.aliases.get(port, "").encode())
    yield Variable((*_BRIDGE, 1, 4, 1, 2, port), Type.INTEGER, index)
    yield Variable((*_BRIDGE, 7, 1, 4, 5, 1, 1, port), Type.GAUGE, wired.vlans[0])
    yield Variable((*_DUPLEX, index), Type.INTEGER, (_HALF if port in wired.half else _FULL) if up else 1)
    yield Variable((*_LLDP, 3, 7, 1, 2, LOCAL + port), Type.INTEGER, 5)
    yield Variable((*_LLDP, 3, 7, 1, 3, LOCAL + port), Type.OCTETS, b"%d" % port)


def _port_mac(switch: Host, port: int) -> bytes:
    """A MAC of its own for each port, out of the upper half of the maker's block."""
    block, serial = switch.mac.value >> 24, switch.mac.value & 0x1FFFF
    return (block << 24 | 0x800000 | serial << 6 | port & 0x3F).to_bytes(6, "big")


def _port_list(ports: int, members: Iterable[int]) -> bytes:
    """A PortList (RFC 4363): the first bit is the first port."""
    octets = bytearray((ports + 7) // 8)
    for port in members:
        octets[(port - 1) // 8] |= 0x80 >> (port - 1) % 8
    return bytes(octets)


def _traffic(switch: Host, port: int, now: float) -> tuple[int, int]:
    """Octets in and out since the site was switched on: some ports are busier than others."""
    rate = (switch.mac.value * 31 + port * 7919) % 400_000 + 2_000
    return int(rate * now), int(rate * now * 1.7)


def _system(site: Site, wired: Wired) -> Iterator[Variable]:
    switch = wired.host
    size = 48 if wired.ports > 26 else 24
    texts = {
        1: b"Tolvane access switch, %d ports" % size,
        4: b"stage door",
        5: switch.label.encode(),
        6: b"Larkspur Hall",
    }
    for column, text in texts.items():
        yield Variable((1, 3, 6, 1, 2, 1, 1, column, 0), Type.OCTETS, text)
    serial = b"TN%d-%05d" % (size, switch.mac.value & 0xFFFF)
    for column, value in ((5, 3), (10, b"4.2.1"), (11, serial), (13, b"TN-%d00" % size)):
        yield Variable((*_ENTITY, column, 1), Type.INTEGER if column == 5 else Type.OCTETS, value)
    yield Variable((1, 3, 6, 1, 2, 1, 1, 3, 0), Type.TICKS, int(site.elapsed() * 100) % (1 << 32))
    yield Variable((*_BRIDGE, 1, 1, 0), Type.OCTETS, switch.mac.to_bytes())
    yield Variable((*_LLDP, 3, 2, 0), Type.OCTETS, switch.mac.to_bytes())
    for address in switch.addresses:  # of an interface of its own, which is no port
        yield Variable((*_IP, 20, 1, 2, *address.packed), Type.INTEGER, MANAGED)


def _announced(site: Site, cabling: Cabling, wired: Wired, around: dict[int, tuple[str, int]]) -> Iterator[Variable]:
    """lldpRemTable: who announces itself at which port; switches, phones and access points do."""
    told: list[tuple[int, Mac, str, str, bytes, IPv4Address]] = []
    for port, (label, end) in around.items():
        other = cabling.switches[label].host
        told.append((port, other.mac, str(end), label, b"\x20", other.addresses[0]))
    hosts = {host.mac: host for host in site.hosts}
    for mac, says in cabling.says.items():
        socket, host = cabling.sockets.get(mac), hosts.get(mac)
        if socket is not None and host is not None and socket[0] == wired.host.label and host.awake.at(site.elapsed()):
            told.append((socket[1], mac, "lan", host.label, _SAYS[says], host.addresses[0]))
    for number, (port, mac, theirs, name, can, address) in enumerate(told, start=1):
        row = (0, LOCAL + port, number)
        for column, kind, said in (
            (4, Type.INTEGER, 4), (5, Type.OCTETS, mac.to_bytes()), (6, Type.INTEGER, 5), (7, Type.OCTETS, theirs.encode()),
            (9, Type.OCTETS, name.encode()), (12, Type.OCTETS, can),
        ):  # fmt: skip
            yield Variable((*_LLDP, 4, 1, 1, column, *row), kind, said)
        yield Variable((*_LLDP, 4, 2, 1, 3, *row, 1, 4, *address.packed), Type.INTEGER, 2)


def _places(site: Site, cabling: Cabling, wired: Wired) -> Iterator[tuple[tuple[Mac, int], int]]:
    """Behind which port of a switch everybody of its VLANs is who is awake, by MAC and VLAN."""
    own, now = wired.host.label, site.elapsed()
    ways = cabling.towards(own)

    def place(mac: Mac, vlan: int) -> Iterator[tuple[tuple[Mac, int], int]]:
        socket = cabling.sockets.get(mac)
        if socket is None or vlan not in wired.vlans:
            return
        port = socket[1] if socket[0] == own else ways.get(socket[0])
        if port is not None and cabling.flaps((own, port), now)[0] and port not in wired.off:
            yield (mac, vlan), port

    for host in site.hosts:
        if host.vlan in wired.vlans and host.label not in cabling.switches and host.awake.at(now):
            yield from place(host.mac, host.vlan)
    for adapter in site.adapters:
        if adapter.mac is not None:
            yield from place(adapter.mac, site.vlan_of(adapter.name))
    for label, port in ways.items():
        other = cabling.switches[label].host
        if other.vlan in wired.vlans:
            yield (other.mac, other.vlan), port


def router_rows(site: Site, gates: Sequence[Host]) -> Iterator[Variable]:
    """What a router tells: its interfaces, its addresses, and whom it has in its ARP table."""
    now = site.elapsed()
    label = gates[0].label
    for place, text in {1: b"Tolvane router", 4: b"stage door", 5: b"gate", 6: b"Larkspur Hall"}.items():
        yield Variable((1, 3, 6, 1, 2, 1, 1, place, 0), Type.OCTETS, text)
    yield Variable((1, 3, 6, 1, 2, 1, 1, 3, 0), Type.TICKS, int(now * 100) % (1 << 32))
    interfaces = {gate.vlan: number for number, gate in enumerate(gates, start=1)}
    for gate in gates:
        index = interfaces[gate.vlan]
        for column, kind, value in (
            (2, Type.OCTETS, b"vlan%d" % gate.vlan), (3, Type.INTEGER, _ETHERNET), (5, Type.GAUGE, _GIGA),
            (6, Type.OCTETS, gate.mac.to_bytes()), (7, Type.INTEGER, _UP), (8, Type.INTEGER, _UP),
        ):  # fmt: skip
            yield Variable((*_INTERFACES, column, index), kind, value)
        yield Variable((*_MORE, 1, index), Type.OCTETS, b"vlan%d" % gate.vlan)
        for address in gate.addresses:
            yield Variable((*_IP, 34, 1, 3, 1, 4, *address.packed), Type.INTEGER, index)
    seen = set()
    for host in site.hosts:
        if host.vlan not in interfaces or host.mute or not host.awake.at(now) or host.label == label:
            continue
        for address in host.addresses:
            key = (interfaces[host.vlan], 1, 4, *address.packed)
            if key in seen:
                continue  # of two that answer for one address a table has one
            seen.add(key)
            yield Variable((*_IP, 35, 1, 4, *key), Type.OCTETS, host.mac.to_bytes())
            yield Variable((*_IP, 35, 1, 6, *key), Type.INTEGER, 3)
            yield Variable((*_IP, 35, 1, 7, *key), Type.INTEGER, 1)
