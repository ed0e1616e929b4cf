"""Switches for a generated site: as many as wanted, in a tree, with every host plugged into one of their ports."""

from __future__ import annotations

import random
from ipaddress import IPv4Address

from ..core.mac import Mac, MacNumber
from .cabling import Cabling
from .hosts import Host
from .larkspur import VENDORS
from .site import Site
from .snmp_responder import Responder
from .switches import COMMUNITY, Tables, switch_rows

MOST = 200
PORTS, UPLINKS = 48, 4
_VLAN = 1
_CHILDREN = 3


def cable(site: Site, switches: int, seed: int = 1) -> Cabling:
    """Add some switches to a site, at addresses above its hosts, and cable it. Raises ValueError over MOST switches."""
    if not 0 < switches <= MOST:
        raise ValueError(f"a generated site has 1 to {MOST} switches, not {switches}")
    source, cabling = random.Random(seed), Cabling()
    hosts = list(site.hosts)
    network = site.subnets[0].network
    free = (
        address for address in reversed(list(network.hosts())) if not any(address in one.addresses for one in hosts)
    )
    digits = int(VENDORS["tolvane"][0].replace(":", ""), 16)
    for number in range(switches):
        mac = Mac(MacNumber(digits << (48 - 4 * len(VENDORS["tolvane"][0].replace(":", ""))) | 0x80000 + number))
        host = Host(f"switch-{number + 1:03}", mac, (IPv4Address(next(free)),), _VLAN, delay=0.001)
        site.plug(host)
        cabling.add(host, PORTS + UPLINKS, (_VLAN,))
    labels = list(cabling.switches)
    for number in range(1, switches):
        parent = (number - 1) // _CHILDREN
        cabling.join((labels[parent], PORTS + 2 + (number - 1) % _CHILDREN), (labels[number], PORTS + 1))
    places = [(label, port) for label in labels for port in range(1, PORTS + 1)]
    source.shuffle(places)
    for number, host in enumerate(hosts):
        cabling.plug(host.mac, places[number % len(places)])
    for number, adapter in enumerate(site.adapters):
        if adapter.mac is not None:
            cabling.plug(adapter.mac, (labels[0], PORTS - number))
    for wired in cabling.switches.values():
        tables = Tables(site, cabling, lambda wired=wired: switch_rows(site, cabling, wired))  # type: ignore[misc]
        site.agents[int(wired.host.addresses[0])] = Responder(COMMUNITY, tables).answer
    return cabling
