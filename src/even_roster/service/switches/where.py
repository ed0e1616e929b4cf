"""Answers where somebody is or was plugged in, from what all switches have learnt. Only reads."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace

from sqlalchemy import Connection

from ...api.common import DeviceRef
from ...api.switches import PlacedEarlier, Placing, PortRef, SwitchRef
from ...core.address import Address, address_of, dotted
from ...core.mac import Mac, MacError, MacNumber
from ...core.switches.placing import AGEING_MS, Candidate, Grade, Placed, place
from ...core.switches.port_states import PortState, from_stored
from ...core.switches.port_stays import Ended
from ...core.switches.sentences import speed_said
from ...core.switches.uplinks import Verdict
from ...store import device_queries, switch_records
from ...store.edits import Missing
from ...store.switch_records import StayRow
from ..context import Context
from ..knowing import moments
from ..knowing.switch_now import PortNow, SwitchNow
from ..naming import resolving
from ..views import mac_view, maybe_time, time_of
from . import pair_book
from .picture import Names

MOST_EARLIER = 50


def macs_of(context: Context, connection: Connection, what: str, at: int | None) -> list[MacNumber]:
    """The MACs that a question is about: a MAC, those of a device, or who holds an address (at a moment: who held it then). Raises
    Missing, Ambiguous."""
    word = what.strip("'\"“”„ ")
    try:
        return [Mac.parse(word).value]
    except MacError:
        pass
    address = _address(word)
    if address is not None:
        found = holders(context, connection, address, at)
        if found:
            return found
        raise Missing(f"nobody is known to have {dotted(address)}{' then' if at is not None else ''}")
    identity = resolving.device_to_read(context, connection, what)
    macs = [adapter.mac for adapter in device_queries.adapters_of(connection, identity)]
    if not macs:  # behind a router nobody has seen its MAC: the router's table has it
        for item in context.plan.plan.of_device(identity):
            macs += holders(context, connection, item.address, at)
    if not macs:
        raise Missing(f"{what} has no MAC that is known; 'roster pair without' tells whom to ask")
    return list(dict.fromkeys(macs))


def _address(word: str) -> Address | None:
    from ipaddress import AddressValueError, IPv4Address

    try:
        return address_of(IPv4Address(word))
    except AddressValueError:
        return None


def holders(context: Context, connection: Connection, address: Address, at: int | None) -> list[MacNumber]:
    """Who has an address, or had it at a moment, or probably did."""
    site = context.plan.site_here
    if at is not None:
        known = [one for one in moments.of_address(connection, site, address, at) if one.then.known.there]
        return list(dict.fromkeys(MacNumber(one.row.mac) for one in known if one.row.mac is not None))
    with context.findings.looking() as world:
        now = list(world.macs_at(address))
    last = device_queries.last_holders(connection, site, [address]).get(address)
    return now or ([last] if last is not None else pair_book.holders(context, connection, address))


class Places:
    """Where some MACs are, now or at a moment."""

    def __init__(self, context: Context, connection: Connection, at: int | None) -> None:
        self._context, self._connection, self._at = context, connection, at
        self._switches = context.switches.switches
        self._ports = context.switches.by_port
        self._owners = context.switches.owners
        self.names = Names(context, connection)

    def of(self, macs: Sequence[MacNumber]) -> dict[MacNumber, Placed | None]:
        """Where each of them is, by what is known now or was at the moment."""
        until = self._at if self._at is not None else 1 << 62
        rows: dict[MacNumber, list[StayRow]] = defaultdict(list)
        for row in switch_records.stays_of_macs(self._connection, macs, until):
            if row.port in self._ports:
                rows[row.mac].append(row)
        ports = {row.port for found in rows.values() for row in found}
        states = self._states(ports)
        return {mac: self._place(rows[mac], states) for mac in macs}

    def _place(self, rows: list[StayRow], states: dict[int, PortState | None]) -> Placed | None:
        """The answer for one of them. How many are behind uplinks is counted only where that decides."""
        candidates = [self._candidate(row, states) for row in rows]
        found = place(candidates)
        if found is None or found.grade is not Grade.BEHIND:
            return found
        counts = self._counts({one.port for one in candidates if one.here and one.uplink and not one.faces})
        return place([replace(one, behind=counts.get(one.port, one.behind)) for one in candidates])

    def _states(self, ports: set[int]) -> dict[int, PortState | None]:
        if self._at is None:
            return {port: self._ports[port][1].state for port in ports}
        then = switch_records.states_at(self._connection, ports, self._at)
        return {port: from_stored(then[port].state) if port in then else None for port in ports}

    def _counts(self, ports: set[int]) -> dict[int, int]:
        if self._at is None:
            return {port: len(self._ports[port][1].here) for port in ports}
        return {port: switch_records.behind_count(self._connection, port, self._at) for port in ports}

    def _candidate(self, row: StayRow, states: dict[int, PortState | None]) -> Candidate:
        switch, _ = self._ports[row.port]
        state = states[row.port]
        last = row.last if row.last is not None else switch.row.learnt or row.first
        here = row.last is None
        if self._at is not None:
            here, last = last >= self._at, min(last, self._at)
        ended = bool(row.ended) and not here
        announced = state is not None and any(one.chassis == str(Mac(row.mac)) for one in state.neighbours)
        uplink = state is not None and state.uplink and not announced
        faces = uplink and state is not None and self._faces(state, last)
        return Candidate(switch.row.id, row.port, row.first, last, here, uplink, 1, ended, faces)

    def _faces(self, state: PortState, at: int) -> bool:
        """Whether the switch at the other end of a link is read, and was about that time."""
        for around in state.neighbours:
            other = self._owners.get(around.mac) if around.mac is not None else None
            if other is not None and (other.row.learnt or 0) >= at - AGEING_MS:
                return True
        return False

    def view(self, mac: MacNumber, placed: Placed | None) -> Placing:
        """The answer for one MAC."""
        seen = mac_view(mac, self._context.vendors)
        row = self.names.device(mac)
        device = DeviceRef(id=row.id, name=row.called or None) if row is not None else None
        if placed is None:
            return Placing(
                mac=seen.mac, vendor=seen.vendor, device=device, address=self.names.address(mac), grade=None, switch=None,
                port=None, first_seen=None, last_seen=None, read_at=None, at_least=False, speed=None, alias="", notes="",
                reasons=[], others=[], said=(_NEVER if self._at is None else _NOT_THEN) if self._switches else _NONE,
            )  # fmt: skip
        switch, port = self._ports[placed.at.port]
        state = self._states({port.id})[port.id]
        called = self.names.switch(switch)[1]
        others = [self._ports[one.port] for one in placed.others]
        return Placing(
            mac=seen.mac, vendor=seen.vendor, device=device, address=self.names.address(mac), grade=placed.grade.value,
            switch=SwitchRef(id=switch.row.id, name=called), port=PortRef(id=port.id, name=port.name),
            first_seen=time_of(placed.at.first), last_seen=time_of(placed.at.last), read_at=maybe_time(switch.row.read),
            at_least=placed.at.first == switch.begun,
            speed=state.speed if state is not None else None, alias=state.alias if state is not None else "",
            notes=port.words.note, reasons=self._reasons(placed, switch, port, state),
            others=[PortRef(id=one.id, name=f"{self.names.switch(at)[1]} {one.name}") for at, one in others],
            said=said(placed, called, port.name, state, now=self._at is None),
        )  # fmt: skip

    def _reasons(self, placed: Placed, switch: SwitchNow, port: PortNow, state: PortState | None) -> list[str]:
        verdict: Verdict = port.verdict
        found = []
        if placed.grade is Grade.BEHIND:
            if self._at is None:  # what was weighed is what is known now
                found += [reason.said for reason in verdict.reasons]
            found.append("no switch that is read has it at a port that leads nowhere else")
        elif placed.grade is Grade.ON:
            here, verb = self._counts({port.id})[port.id], "is" if self._at is None else "was"
            verbs = "are" if self._at is None else "were"
            found.append(f"it {verb} the only MAC there" if here <= 1 else f"{here} MACs {verbs} there")
        if placed.others:
            where = ", ".join(f"{self.names.switch(at)[1]} port {one.name}" for at, one in
                              (self._ports[other.port] for other in placed.others))  # fmt: skip
            found.append(f"{where} {'has' if len(placed.others) == 1 else 'have'} it, too: two with one MAC, or a loop")
        if self._at is None and switch.row.trouble:
            found.append(f"the switch could not be read lately: {switch.row.trouble}")
        return found

    def earlier(self, macs: Sequence[MacNumber]) -> list[PlacedEarlier]:
        """Where they were, the latest first: ports that lead to other switches are left out."""
        until = self._at if self._at is not None else 1 << 62
        found = []
        for row in switch_records.stays_of_macs(self._connection, macs, until):
            known = self._ports.get(row.port)
            if known is None:
                continue
            switch, port = known
            if port.state is not None and port.state.uplink:
                continue
            last = row.last if row.last is not None else switch.row.learnt or row.first
            found.append(PlacedEarlier(
                mac=str(Mac(row.mac)), switch=SwitchRef(id=switch.row.id, name=self.names.switch(switch)[1]),
                port=PortRef(id=port.id, name=port.name), first_seen=time_of(row.first), last_seen=time_of(last),
                here=row.last is None, ended=Ended(row.ended).words,
            ))  # fmt: skip
            if len(found) == MOST_EARLIER:
                break
        return found


_NEVER = "no switch that is read has ever learnt it"
_NOT_THEN = "no switch that is read had learnt it by then"
_NONE = "no switch is read yet: 'roster switch add ADDRESS'"


def said(placed: Placed, switch: str, port: str, state: PortState | None, *, now: bool) -> str:
    """Where somebody is plugged in as a sentence without times."""
    where = f"port {port} of {switch}"
    speed = f", {speed_said(state.speed)}" if state is not None and state.up and state.speed else ""
    if placed.grade is Grade.ON:
        return f"on {where}{speed}"
    if placed.grade is Grade.BEHIND:
        ways = (
            [one.name or one.chassis for one in state.neighbours if "telephone" not in one.capabilities]
            if state
            else []
        )
        return f"behind {where}, by way of {ways[0] if ways else 'something that is not read'}"
    leads = "behind" if placed.at.uplink else "on"
    return f"not there {'now' if now else 'then'}; last {leads} {where}"
