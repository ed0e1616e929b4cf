"""Switches and their ports as they are or were at a moment, with names: what the views are made of. Only reads."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from sqlalchemy import Connection

from ...api.common import DeviceRef, Meant
from ...core.address import Address, dotted
from ...core.mac import Mac, MacNumber
from ...core.switches.port_states import PortState, from_stored
from ...core.switches.port_stays import PortStay
from ...store import device_queries, switch_records
from ...store.address_column import NO_ADDRESS
from ...store.edits import Missing
from ...store.rows import DeviceRow
from ..context import Context
from ..knowing.switch_now import PortNow, SwitchNow
from ..naming import resolving
from ..views import device_ref
from ..web.problems import Ambiguous
from . import pair_book


@dataclass(frozen=True, slots=True)
class PortThen:
    """A port at a moment: how it stood since when, and who was behind it."""

    port: PortNow
    state: PortState | None
    since: int | None
    behind: tuple[PortStay, ...]


class Names:
    """Who MACs and switches are, looked up together."""

    def __init__(self, context: Context, connection: Connection) -> None:
        self._context, self._connection = context, connection
        self._rows: dict[MacNumber, DeviceRow] = {}
        self._asked: set[MacNumber] = set()
        self._places: dict[MacNumber, Address] = {}
        self._called: dict[int, tuple[DeviceRef | None, str]] = {}

    def learn(self, macs: Iterable[MacNumber]) -> None:
        """Look some MACs up at once."""
        wanted = set(macs) - self._asked
        if not wanted:
            return
        self._asked |= wanted
        ids = device_queries.devices_of_macs(self._connection, wanted)
        rows = {row.id: row for row in device_queries.several(self._connection, sorted(set(ids.values())))}
        self._rows.update({mac: rows[identity] for mac, identity in ids.items() if identity in rows})
        self._places.update(pair_book.addresses(self._connection, wanted - self._rows.keys()))
        self._plan()

    def _plan(self) -> None:
        """Who is planned at the address that a router's table has for a MAC is that device."""
        plan, site = self._context.plan.plan, self._context.plan.site_here
        items = {mac: plan.at(site, address) for mac, address in self._places.items() if mac not in self._rows}
        wanted = sorted({item.device for item in items.values() if item is not None and item.device})
        rows = {row.id: row for row in device_queries.several(self._connection, wanted)}
        for mac, item in items.items():
            if (
                item is not None
                and item.device in rows
                and not device_queries.adapters_of(self._connection, item.device)
            ):
                self._rows[mac] = rows[item.device]

    def device(self, mac: MacNumber) -> DeviceRow | None:
        """Whose MAC it is; `learn` it before."""
        return self._rows.get(mac)

    def said(self, mac: MacNumber) -> str:
        """What somebody is called: the device's name, else the MAC."""
        row = self._rows.get(mac)
        return (row.called if row is not None else "") or str(Mac(mac))

    def address(self, mac: MacNumber) -> str | None:
        """Where it was seen last."""
        row = self._rows.get(mac)
        if row is not None and row.address != NO_ADDRESS:
            return dotted(row.address)
        return dotted(self._places[mac]) if mac in self._places else None

    def switch(self, one: SwitchNow) -> tuple[DeviceRef | None, str]:
        """The device that a switch is, and what it is called: by its plan, else by its own MACs, else by who holds its address."""
        if one.row.id not in self._called:
            self._call({**self._context.switches.switches, one.row.id: one}.values())
        return self._called[one.row.id]

    def _call(self, switches: Collection[SwitchNow]) -> None:
        """Look all switches up at once."""
        plan, connection = self._context.plan.plan, self._connection
        owners = device_queries.devices_of_macs(connection, {mac for one in switches for mac in one.own})
        found: dict[int, int] = {}
        for one in switches:
            item = plan.at(one.row.site, one.row.address)
            own = [owners[mac] for mac in one.own if mac in owners]
            if item is not None and item.device:
                found[one.row.id] = item.device
            elif own:
                found[one.row.id] = min(own)
        lost = [one for one in switches if one.row.id not in found]
        for site in {one.row.site for one in lost}:
            here = [one for one in lost if one.row.site == site]
            holders = device_queries.last_holders(connection, site, [one.row.address for one in here])
            devices = device_queries.devices_of_macs(connection, set(holders.values()))
            found |= {
                one.row.id: devices[holders[one.row.address]] for one in here if holders.get(one.row.address) in devices
            }
        rows = {row.id: row for row in device_queries.several(connection, sorted(set(found.values())))}
        for one in switches:
            row = rows.get(found.get(one.row.id, -1))
            name = row.called if row is not None else ""
            self._called[one.row.id] = device_ref(row) if row is not None else None, name or one.called


def now(switch: SwitchNow) -> list[PortThen]:
    """The ports of a switch as they are, in their order; those that it does not tell any more are left out unless people said
    something of them."""
    return [
        PortThen(port, port.state, port.since if port.state is not None else None, tuple(port.here))
        for port in sorted(switch.ports.values(), key=lambda port: (port.place, port.id))
        if port.there or port.words.note or port.words.mark
    ]


def then(connection: Connection, switch: SwitchNow, at: int) -> list[PortThen]:
    """The ports of a switch as they were at a moment; those that were not known then are left out."""
    states = switch_records.states_at(connection, switch.ports, at)
    behind: dict[int, list[PortStay]] = defaultdict(list)
    for row in switch_records.stays_at(connection, switch.row.id, at):
        last = row.last if row.last is not None else switch.row.learnt or row.first
        behind[row.port].append(PortStay(row.port, row.mac, row.in_vlans, row.first, last, row.last is None))
    return [
        PortThen(port, from_stored(states[key].state), states[key].first, tuple(behind[key]))
        for key, port in sorted(switch.ports.items(), key=lambda one: (one[1].place, one[0]))
        if key in states
    ]


def find(context: Context, connection: Connection, text: str) -> SwitchNow:
    """A switch by its id, its name or its address, or by a device that is one. Raises Missing, Ambiguous."""
    word = text.strip("'\"“”„ ").casefold()
    switches, names = context.switches.switches, Names(context, connection)
    if word.isdigit() and int(word) in switches:
        return switches[int(word)]
    called = {identity: names.switch(one)[1] for identity, one in switches.items()}
    found = [
        one for identity, one in switches.items()
        if word in (called[identity].casefold(), dotted(one.row.address), one.called.casefold())
    ]  # fmt: skip
    if not found:
        try:
            device = resolving.device_to_read(context, connection, text)
        except Missing:
            device = None
        found = [
            one for one in switches.values() if device is not None and (names.switch(one)[0] or _NOBODY).id == device
        ]
    if len(found) > 1:
        raise Ambiguous("switches", text, [
            Meant(id=one.row.id, name=called[one.row.id], address=dotted(one.row.address)) for one in found
        ])  # fmt: skip
    if not found:
        there = ", ".join(sorted(called.values())[:8]) or "none yet: 'roster switch add ADDRESS'"
        raise Missing(f"no switch {text!r} is read; those that are: {there}")
    return found[0]


def find_port(context: Context, connection: Connection, switch: SwitchNow, text: str) -> PortNow:
    """A port of a switch by what the switch calls it, or by its id written as #7. Raises Missing."""
    word = text.strip("'\"“”„ ").casefold()
    for port in switch.ports.values():
        if word == port.name.casefold() or word == f"#{port.id}":
            return port
    names = ", ".join(port.name for port in sorted(switch.ports.values(), key=lambda one: one.place)[:12])
    called = Names(context, connection).switch(switch)[1]
    raise Missing(f"{called} has no port {text!r}; its ports are {names}{' …' if len(switch.ports) > 12 else ''}")


def leads_to(switch: SwitchNow, one: PortThen, names: Names, owners: Mapping[MacNumber, SwitchNow]) -> str:
    """To whom an uplink leads: who announces itself there, else the only other switch behind it."""
    for around in one.state.neighbours if one.state is not None else ():
        if "telephone" not in around.capabilities:
            other = owners.get(around.mac) if around.mac is not None else None
            return names.switch(other)[1] if other is not None else around.name or around.chassis
    found = (owners[stay.mac] for stay in one.behind if stay.mac in owners)
    behind = {other.row.id: other for other in found if other.row.id != switch.row.id}
    return names.switch(next(iter(behind.values())))[1] if len(behind) == 1 else ""


_NOBODY = DeviceRef(id=-1, name=None)


def macs_of(ports: Collection[PortThen], most: int) -> set[MacNumber]:
    """The MACs behind some ports that views show: all of those with few, the first of those with many."""
    return {stay.mac for one in ports for stay in first_behind(one, most)}


def first_behind(one: PortThen, most: int) -> Sequence[PortStay]:
    """The first of those behind a port."""
    return sorted(one.behind, key=lambda stay: stay.mac)[:most]


def resting(port: PortNow, at: int) -> PortStay | None:
    """Who was behind a port last, where that is known without asking the records."""
    gone = [replace(stay, last=min(stay.last, at)) for stay in port.stays.values() if not stay.here]
    return max(gone, key=lambda stay: stay.last, default=None)
