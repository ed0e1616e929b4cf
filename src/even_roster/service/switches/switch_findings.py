"""Tells the findings what is wrong with switches and ports, and where each MAC is plugged in."""

from __future__ import annotations

from collections.abc import Callable

from ...core.address import dotted
from ...core.findings import port_troubles
from ...core.findings.model import About
from ...core.findings.port_troubles import PortSeen, SwitchSeen, Who
from ...core.findings.wiring import Name, Trouble
from ...core.mac import Mac, MacNumber
from ...core.switches.counting import grown
from ...core.switches.port_stays import PortStay
from ...core.switches.reading import Counted
from ...store import device_queries, switch_counters, switch_records
from ...store.switch_counters import CounterRow
from ..context import Context, now_ms
from ..knowing.switch_now import SwitchNow
from . import pair_book
from .picture import Names

DAY_MS = 24 * 3_600_000


def tell(context: Context, more: Callable[[Context], dict[Name, Trouble]]) -> None:
    """Work out what is wrong now, with `more` of what hangs together, and tell it. Not on the event loop."""
    picture = list(context.switches.switches.values())
    with context.database.read() as connection:
        names = Names(context, connection)
        counters = switch_counters.latest(connection, [port for one in picture for port in one.ports])
        since = now_ms() - DAY_MS
        seen = [
            _seen(one, names.switch(one)[1], counters, switch_records.ended_since(connection, one.row.id, since))
            for one in picture
        ]
        edges = {
            stay.mac: f"port {port.name} of {one.name}"
            for one in seen
            for port in one.ports.values()
            if port.state is not None and not port.state.uplink
            for stay in port.here
        }
        visible = _visible(context)
        told = set(pair_book.addresses(connection, edges)) | {
            row.mac for row in switch_counters.pairs_by_hand(connection)
        }
        roster = device_queries.devices_of_macs(connection, set(edges) | {mac for one in seen for mac in one.own})
        travelling = _travelling(context, names, set(edges))
    names_known = {mac: names.said(mac) for mac in edges}
    who = Who(
        lambda mac: _called(mac, names_known), lambda mac: mac in roster or mac in told,
        lambda mac: mac in travelling or context.randomised(mac), lambda vlans: any(vlan in visible for vlan in vlans),
    )  # fmt: skip
    found = {**port_troubles.troubles(seen, who, now_ms()), **more(context)}
    with context.findings.looking() as world:
        world.dirty[About.WIRING] |= world.wiring.told(found, edges)


def _visible(context: Context) -> set[int]:
    """The VLANs in which somebody who has an address is known by now: those of subnets on the own links, which are asked, and of
    those whose gateway's tables are read."""
    read = {address for one in context.switches.switches.values() for address in one.told.get("addresses", ())}
    networks = {
        network for adapter in context.machine.adapters() if adapter.mac is not None for network in adapter.networks
    }
    return {
        subnet.vlan for subnet in context.plan.plan.subnets_of(context.plan.site_here)
        if subnet.vlan is not None
        and (subnet.network in networks or (subnet.gateway is not None and dotted(subnet.gateway) in read))
    }  # fmt: skip


def _called(mac: MacNumber, names: dict[MacNumber, str]) -> str:
    name = names.get(mac, "")
    return name if not name or name == str(Mac(mac)) else f"{name} ({Mac(mac)})"


def _travelling(context: Context, names: Names, macs: set[MacNumber]) -> set[MacNumber]:
    """Those whose role says that they travel."""
    names.learn(macs)
    rules = context.plan.plan.rules
    found = set()
    for mac in macs:
        row = names.device(mac)
        if row is not None and row.role in rules and rules[row.role].travels:
            found.add(mac)
    return found


def _seen(
    one: SwitchNow, called: str, counters: dict[int, CounterRow], ended: list[switch_records.StayRow]
) -> SwitchSeen:
    row = one.row
    ports = {
        key: PortSeen(key, port.name, port.state, port.here, port.turns, _more(counters.get(key)), port.since)
        for key, port in one.ports.items()
        if port.there
    }
    return SwitchSeen(
        row.id, called, dotted(row.address), one.own, row.learnt or 0, row.every_seconds * 1000, row.read or row.asked or 0,
        row.trouble if row.on else "", one.restarted, ports, [stay_of(stay) for stay in ended],
    )  # fmt: skip


def stay_of(row: switch_records.StayRow) -> PortStay:
    """A row that has ended as a stay."""
    return PortStay(row.port, row.mac, row.in_vlans, row.first, row.last or row.first, False)


def _more(row: CounterRow | None) -> Counted | None:
    if row is None or row.before is None or row.before_at is None:
        return None
    return grown(Counted(*row.before), Counted(*row.values), row.before_at, row.at)
