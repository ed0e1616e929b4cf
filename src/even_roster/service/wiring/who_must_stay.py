"""Who must stay in reach when a port is switched off, by MAC and why, and where those are of whom that must be certain. Only
reads."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import Connection

from ...core.adapters import Adapter
from ...core.address import Address, address_of
from ...core.mac import MacNumber
from ...core.wiring.standing_places import Seen
from ...store import device_queries, switch_records
from ..context import Context, now_ms
from ..knowing.switch_now import PortNow
from ..switches.where import holders
from .seats import Person

GATEWAY, DHCP, SERVICE, ORDERER = "a gateway", "a DHCP server", "this service", "the device that orders it"
DAY_MS = 86_400_000
_ROLES = ("network", "server", "storage", "wireless")
"""Roles of devices that others need."""


@dataclass(frozen=True, slots=True)
class Kept:
    """Who must stay: all by MAC and why; those `critical` of whom it must be certain where they are connected (who orders, and on
    the link of the switch its gateway, DHCP servers and this service); `kinds` of which some are known; `ask` are addresses of
    theirs."""

    macs: dict[MacNumber, str]
    critical: dict[MacNumber, str]
    kinds: set[str]
    ask: tuple[Address, ...] = ()

    def seen(self, context: Context) -> list[Seen]:
        """Where those who are critical were learnt in the latest readings."""
        found = []
        for mac, who in self.critical.items():
            for key, (switch, port) in context.switches.by_port.items():
                stay = port.stays.get(mac)
                if stay is None or not stay.here:
                    continue
                # Where this service is connected, the links of the way say too: the guard compares them. An announcement makes
                # nothing certain: whoever sends frames with another's MAC announces it, too.
                found.append(Seen(mac, who, switch.row.id, key, stay.first, stay.vlans, who == SERVICE))
        return found

    def lately(self, connection: Connection, port: PortNow) -> list[str]:
        """Who of those who are critical was behind a port within the last day, and is not now: a frame of somebody else may have
        moved them in the switch's table."""
        since = now_ms() - DAY_MS
        rows = switch_records.stays_of_macs(connection, sorted(self.critical), 1 << 62)
        gone = {
            row.mac for row in rows
            if row.port == port.id and row.mac not in port.stays and row.last is not None and row.last >= since
        }  # fmt: skip
        return [
            f"{who} was connected there within the last day" for who in sorted({self.critical[mac] for mac in gone})
        ]


def gather(context: Context, connection: Connection, whoever: Person, adapter: Adapter | None) -> Kept:
    """Who must stay when a port is switched off of a switch on the link of an adapter (None: of one on no own link)."""
    found: dict[MacNumber, str] = {}

    def keep(macs: Iterable[MacNumber], why: str) -> None:
        for mac in macs:
            found.setdefault(mac, why)

    for one in context.machine.adapters():
        if one.mac is not None:
            keep([one.mac.value], f"this service's adapter {one.name}")
    for mac, switch in context.switches.owners.items():
        keep([mac], f"{switch.called}, a switch or router that is read,")
    near = _on_link(context, connection, adapter) if adapter is not None else Kept({}, {}, set())
    for mac, why in near.macs.items():
        keep([mac], why)
    kinds = set(near.kinds)
    for why, addresses in _elsewhere(context).items():
        for address in addresses:
            macs = holders(context, connection, address, None)
            kinds |= {why} if macs else set()
            keep(macs, why)
    for role in _ROLES:
        for device, mac in device_queries.macs_of_role(connection, role):
            keep([mac], f"{device or 'a device'} of the role {role}")
    keep(whoever.macs, ORDERER)
    critical = {**dict.fromkeys(whoever.macs, ORDERER), **near.critical}
    return Kept(found, critical, kinds, near.ask)


def _on_link(context: Context, connection: Connection, adapter: Adapter) -> Kept:
    """The gateway and the DHCP servers of one own link, and this service there."""
    with context.findings.looking() as world:
        link = world.links.get(adapter.name)
        offers = [one.offer for heard in world.dhcp.servers.values() for one in heard.values()]
    offers = [one for one in offers if Address(one.address) in adapter.onlink or Address(one.server) in adapter.onlink]
    planned = [one.gateway for one in context.plan.plan.subnets_of(context.plan.site_here)]
    own = address_of(adapter.gateway) if adapter.gateway is not None else None
    gateways = [one for one in dict.fromkeys([link.gateway if link else None, own, *planned]) if one is not None]
    gateways = [one for one in gateways if one in adapter.onlink]
    macs = [link.gateway_mac] if link is not None and link.gateway_mac is not None else []
    for address in gateways:
        macs += holders(context, connection, address, None)
    servers = [one.mac for one in offers]
    critical = {**dict.fromkeys(servers, DHCP), **dict.fromkeys(macs, GATEWAY)}
    kinds = {why for why, some in ((GATEWAY, macs), (DHCP, servers)) if some}
    if adapter.mac is not None:
        critical[adapter.mac.value] = SERVICE
    ask = tuple(dict.fromkeys([*gateways, *(Address(one.server) for one in offers)]))
    return Kept({mac: why for mac, why in critical.items() if why != SERVICE}, critical, kinds, ask)


def _elsewhere(context: Context) -> dict[str, list[Address]]:
    """The addresses of gateways and DHCP servers, on whatever link they are."""
    with context.findings.looking() as world:
        gateways = [link.gateway for link in world.links.values()]
        servers = [Address(one.offer.server) for heard in world.dhcp.servers.values() for one in heard.values()]
        servers += [one for server in world.dhcp.planned_servers.values() for one in server.addresses]
    gateways += [one.gateway for one in context.plan.plan.subnets_of(context.plan.site_here)]
    return {
        GATEWAY: list(dict.fromkeys(one for one in gateways if one is not None)),
        DHCP: list(dict.fromkeys(servers)),
    }
